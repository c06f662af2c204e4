"""Music cut to a length: passages left out or said again, joined where both sides are alike and a beat falls.

Beats and what each sounds like (chroma, and the envelope of its spectrum) are found by librosa; where one can be left
for another is a matter of how alike what comes before and after both is (self-similarity; Foote, *Visualizing music and
audio using self-similarity*, 1999). What is still missing, a part of a beat, is made up by playing all of it a trace
quicker or slower: less than anybody hears. The beginning and the ending are always the piece's own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import soxr

from janoglot.core.errors import BadInput
from janoglot.core.mix.sides import RATE, Floats32

RECUT_VERSION = 1
MOST_JOINS = 4
_HEARD_RATE = 22_050
_HOP = 256
_FADE = 0.03
_SHIFT = 0.02
"""Seconds that a join may move off its beat for both waves to meet."""
_MOST_SPEED = 0.012
"""Twenty cents."""
_CONTEXT = 3
"""Beats to either side of a join that are compared."""
_KEPT_HEAD, _KEPT_TAIL = 2.0, 5.0
"""Seconds of the beginning and of the ending that always stay."""
_JUMPS = 1_500
_PER_JOIN, _PER_SPEED, _OFF_BAR = 0.08, 12.0, 0.12
Floats = npt.NDArray[np.float64]


@dataclass(slots=True)
class Beats:
    """``times`` of a piece's beats, seconds; ``looks``: what each sounds like, shape (beats, features), each row of
    length 1; ``seconds`` of the piece."""

    times: Floats
    looks: Floats
    seconds: float

    def write(self, place: Path) -> None:
        with place.open("wb") as file:
            np.savez_compressed(file, times=self.times, looks=self.looks.astype(np.float32), seconds=self.seconds)

    @classmethod
    def read(cls, place: Path) -> Beats:
        with np.load(place) as told:
            return cls(told["times"], told["looks"].astype(float), float(told["seconds"]))


@dataclass(frozen=True, slots=True)
class Recut:
    """``pieces``: from where to where of the piece is played, one after another (seconds); ``speed``: how much quicker;
    ``joins``: when they are heard, in what comes of it; ``cost``: how much they are likely to be noticed, 0 not at
    all."""

    pieces: tuple[tuple[float, float], ...]
    speed: float
    joins: tuple[float, ...]
    seconds: float
    cost: float


def beats_of(samples: Floats32) -> Beats:
    """The beats of a piece at 48 kHz, shape (n,) or (n, 2). Raises BadInput where it has none."""
    import librosa

    mono = samples if samples.ndim == 1 else samples.mean(axis=1)
    heard = np.asarray(soxr.resample(mono, RATE, _HEARD_RATE, quality="HQ"), np.float32)
    onsets = librosa.onset.onset_strength(y=heard, sr=_HEARD_RATE, hop_length=_HOP)
    _, frames = librosa.beat.beat_track(onset_envelope=onsets, sr=_HEARD_RATE, hop_length=_HOP)
    if len(frames) < 12:
        raise BadInput("No beat is found in this: it cannot be cut anew to a length.")
    chroma = librosa.feature.chroma_stft(y=heard, sr=_HEARD_RATE, hop_length=_HOP, n_fft=4_096)
    timbre = librosa.feature.mfcc(y=heard, sr=_HEARD_RATE, hop_length=_HOP, n_mfcc=14)[1:]
    looks = np.concatenate(
        [_level(librosa.util.sync(chroma, list(frames))), 0.7 * _level(librosa.util.sync(timbre, list(frames)))]
    )
    # What comes before the first beat is no beat's; where it is the very beginning nothing does.
    before = int(frames[0] > 0)
    looks = looks[:, before: len(frames) + before]
    looks = looks / np.maximum(1e-9, np.linalg.norm(looks, axis=0))
    return Beats(np.asarray(librosa.frames_to_time(frames, sr=_HEARD_RATE, hop_length=_HOP), float),
                 np.asarray(looks.T, float), len(samples) / RATE)


def _level(rows: npt.NDArray[Any]) -> Floats:
    centred = rows - rows.mean(axis=1, keepdims=True)
    return np.asarray(centred / np.maximum(1e-9, centred.std(axis=1, keepdims=True)), float) / math.sqrt(len(rows))


def proposals(beats: Beats, wanted: float, most: int = MOST_JOINS, count: int = 3) -> list[Recut]:
    """Ways to bring a piece to ``wanted`` seconds, the least noticed first, no two with a join at the same place.

    Raises BadInput where it cannot be done with ``most`` joins.
    """
    if abs(beats.seconds / wanted - 1) <= _MOST_SPEED / 4:
        speed = beats.seconds / wanted
        return [Recut(((0.0, beats.seconds),), speed, (), wanted, 0.0)]
    if wanted < _KEPT_HEAD + _KEPT_TAIL + 1:
        raise BadInput("Music is not cut under {least:g} seconds: its beginning and its ending need as many.",
                       least=_KEPT_HEAD + _KEPT_TAIL + 1)
    found = sorted(_ways(beats, wanted, most), key=lambda one: one.cost)
    chosen: list[Recut] = []
    for one in found:
        if all(_differ(one, other) for other in chosen):
            chosen.append(one)
        if len(chosen) == count:
            break
    if not chosen:
        raise BadInput("It cannot be brought to {wanted:.1f} seconds with {most} joins or fewer.", wanted=wanted,
                       most=most)
    return chosen


def _differ(one: Recut, other: Recut) -> bool:
    ends = [end for _, end in other.pieces[:-1]]
    return all(all(abs(end - known) > 2.0 for known in ends) for _, end in one.pieces[:-1])


def _ways(beats: Beats, wanted: float, most: int) -> list[Recut]:
    leave, enter, cost = _jumps(beats)
    gain = beats.times[enter] - beats.times[leave]
    # How much shorter a jump makes it; one back makes it longer.
    missing = beats.seconds - wanted
    slack = _MOST_SPEED * wanted
    found = []
    best = np.argsort(cost, kind="stable")
    for index in best[np.abs(gain[best] - missing) <= slack][:60]:
        found.append(_way(beats, [int(index)], leave, enter, cost, wanted))
    # The same jump back several times over is a passage that is said again and again.
    for times in range(2, most + 1):
        for index in best[(gain[best] < 0) & (np.abs(gain[best] * times - missing) <= slack)][:20]:
            found.append(_way(beats, [int(index)] * times, leave, enter, cost, wanted))
    if most >= 2:
        few = best[:400]
        pairs = np.abs(gain[few][:, None] + gain[few][None, :] - missing) <= slack
        # The second is left after the first has been entered.
        pairs &= beats.times[leave[few]][None, :] >= beats.times[enter[few]][:, None] + _KEPT_HEAD
        rows, columns = np.nonzero(pairs)
        total = cost[few][rows] + cost[few][columns]
        for index in np.argsort(total, kind="stable")[:60]:
            found.append(_way(beats, [int(few[rows[index]]), int(few[columns[index]])], leave, enter, cost, wanted))
    if most >= 3 and not found:
        found += _by_steps(beats, leave, enter, cost, gain, missing, slack, most, wanted)
    return found


def _by_steps(beats: Beats, leave: npt.NDArray[np.int64], enter: npt.NDArray[np.int64], cost: Floats, gain: Floats,
              missing: float, slack: float, most: int, wanted: float) -> list[Recut]:
    """Jump after jump, each of the ones that bring it nearest: for lengths far from the piece's own."""
    order = np.argsort(cost, kind="stable")[:300]
    way: list[int] = []
    left = missing
    while len(way) < most and abs(left) > slack:
        at = beats.times[enter[way[-1]]] + 1.0 if way else _KEPT_HEAD
        rest = most - len(way)
        fitting = [index for index in order if beats.times[leave[index]] >= at and gain[index] * left > 0
                   and (rest == 1 or abs(gain[index]) <= abs(left))]
        if not fitting:
            return []
        nearest = min(
            fitting, key=lambda index: abs(left / rest - gain[index]) if rest > 1 else abs(left - gain[index])
        )
        way.append(int(nearest))
        left -= float(gain[nearest])
    return [_way(beats, way, leave, enter, cost, wanted)] if abs(left) <= slack else []


def _jumps(beats: Beats) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64], Floats]:
    """From which beats to which it can be jumped, and how much each would be noticed."""
    count = len(beats.times)
    alike = beats.looks @ beats.looks.T
    total, weight = np.zeros((count, count)), np.zeros((count, count))
    for off in range(-_CONTEXT, _CONTEXT):
        low, high = max(0, -off), min(count, count - off)
        total[low:high, low:high] += alike[low + off: high + off, low + off: high + off]
        weight[low:high, low:high] += 1
    cost = 1 - total / np.maximum(weight, 1)
    index = np.arange(count)
    cost += _OFF_BAR * ((index[:, None] - index[None, :]) % 4 != 0)
    may = (beats.times >= _KEPT_HEAD) & (beats.times <= beats.seconds - _KEPT_TAIL)
    allowed = may[:, None] & (beats.times <= beats.seconds - _KEPT_TAIL)[None, :] & (
        np.abs(index[:, None] - index[None, :]) >= 4)
    leave, enter = np.nonzero(allowed)
    costs = cost[leave, enter]
    # Of each length the best ones, so that every length has some.
    order = np.lexsort((costs, np.round((beats.times[enter] - beats.times[leave]) / 0.25)))
    steps = np.round((beats.times[enter] - beats.times[leave]) / 0.25)[order]
    first = np.concatenate([[0], np.flatnonzero(np.diff(steps)) + 1])
    rank = np.arange(len(order)) - np.repeat(first, np.diff([*first, len(order)]))
    kept = order[rank < 12]
    return leave[kept], enter[kept], costs[kept]


def _way(beats: Beats, jumps: Sequence[int], leave: npt.NDArray[np.int64], enter: npt.NDArray[np.int64], cost: Floats,
         wanted: float) -> Recut:
    pieces, start = [], 0.0
    for jump in jumps:
        pieces.append((start, float(beats.times[leave[jump]])))
        start = float(beats.times[enter[jump]])
    pieces.append((start, beats.seconds))
    length = sum(end - begin for begin, end in pieces)
    speed = length / wanted
    joins = tuple(float(one) for one in np.cumsum([(end - begin) / speed for begin, end in pieces])[:-1])
    total = float(cost[list(jumps)].mean()) + _PER_JOIN * len(jumps) + _PER_SPEED * abs(speed - 1)
    return Recut(tuple(pieces), speed, joins, wanted, round(total, 4))


def cut(samples: Floats32, recut: Recut) -> Floats32:
    """The piece, at 48 kHz, as it is cut: joins crossfaded with constant power where both waves meet best."""
    size = round(_FADE * RATE)
    made = samples[: round(recut.pieces[0][1] * RATE)]
    for (_, end), (start, last) in zip(recut.pieces, recut.pieces[1:], strict=False):
        leave, enter = round(end * RATE), round(start * RATE)
        enter += _meeting(samples, leave, enter)
        angle = np.linspace(0, math.pi / 2, size, dtype=np.float32)
        rising, falling = np.sin(angle), np.cos(angle)
        if samples.ndim == 2:
            rising, falling = rising[:, None], falling[:, None]
        half = size // 2
        out, into = samples[leave - half: leave - half + size], samples[enter - half: enter - half + size]
        joined = out * falling + into * rising
        made = np.concatenate([made[: len(made) - half], joined, samples[enter - half + size: round(last * RATE)]])
    wanted = round(recut.seconds * RATE)
    if abs(len(made) - wanted) > 2:
        made = np.asarray(soxr.resample(made, float(len(made)), float(wanted), quality="HQ"), np.float32)
    if len(made) < wanted:
        made = np.concatenate([made, np.zeros((wanted - len(made), *made.shape[1:]), np.float32)])
    return np.asarray(made[:wanted])


def _meeting(samples: Floats32, leave: int, enter: int) -> int:
    """How many samples later the second is entered for both to be in step."""
    reach, size = round(_SHIFT * RATE), round(0.06 * RATE)
    mono = samples if samples.ndim == 1 else samples.mean(axis=1)
    one = mono[max(0, leave - size // 2): leave + size // 2]
    other = mono[max(0, enter - size // 2 - reach): enter + size // 2 + reach]
    if len(one) < size or len(other) < size + 2 * reach:
        return 0
    found = np.correlate(other, one, "valid")
    energy = np.convolve(other**2, np.ones(size, np.float32), "valid")
    return int(np.argmax(found / np.sqrt(np.maximum(energy, 1e-9)))) - reach
