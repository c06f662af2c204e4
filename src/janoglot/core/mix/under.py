"""Layers under the voices: looped, faded, panned, and ducked by what is known to be said later, anywhere in a
programme.

Memory holds the sounds that are loaded, not the programme.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt
import soundfile
import soxr

from janoglot.core.mix.blocks import Track
from janoglot.core.mix.cues import Cue, Duck, Layer, PlacedCue
from janoglot.core.mix.sides import RATE, Floats32, Strip, spread

Curve = tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]
"""Seconds, and dB between which a gain runs straight."""
Spans = Sequence[tuple[float, float]]
_JOIN = 0.4
"""Seconds over which a loop that does not close on itself is laid over its own beginning."""
_QUIET = -70.0
_DIP_LEAD, _DIP_RELEASE = 0.35, 0.7
"""Seconds, where one line is given more way to."""
_NODE = 32
"""Samples between two values of a gain that moves."""
_READY = 12
_SHORT = 90 * RATE


class Sound(Protocol):
    """A sound for a cue, at 48 kHz: so many ``frames``, so loud (LUFS). ``round_``: its end meets its beginning.
    ``key`` names it, for blocks of it to be kept."""

    @property
    def frames(self) -> int: ...

    @property
    def lufs(self) -> float: ...

    @property
    def round_(self) -> bool: ...

    @property
    def key(self) -> str: ...

    def read(self, first: int, last: int) -> Floats32:
        """Shape (last − first,) or (last − first, 2)."""
        ...


@dataclass(frozen=True, slots=True)
class CueSound:
    """One in memory."""

    samples: Floats32
    lufs: float
    round_: bool = False
    key: str = ""

    @property
    def frames(self) -> int:
        return len(self.samples)

    def read(self, first: int, last: int) -> Floats32:
        return self.samples[first:last]


@dataclass(slots=True)
class FileSound:
    """One in a file of 48 kHz, of which only what is heard is read; a short one is held once it has been."""

    place: Path
    frames: int
    lufs: float
    round_: bool
    key: str
    _held: Floats32 | None = None

    def read(self, first: int, last: int) -> Floats32:
        if self._held is None and self.frames <= _SHORT:
            self._held, _ = soundfile.read(self.place, dtype="float32")
        if self._held is not None:
            return self._held[first:last]
        found, _ = soundfile.read(self.place, start=first, stop=last, dtype="float32")
        return np.asarray(found)


def sound_at_rate(samples: Floats32, rate: int) -> Floats32:
    """One channel or two of it, at 48 kHz."""
    kept = samples[:, :2] if samples.ndim == 2 else samples
    kept = kept[:, 0] if kept.ndim == 2 and kept.shape[1] == 1 else kept
    return np.asarray(kept if rate == RATE else soxr.resample(kept, rate, RATE, quality="HQ"), np.float32)


class Loop:
    """A sound that begins again without a seam, from ``trim`` samples on: where it does not close on itself, its last
    part is laid over its first, as loud as both (constant power)."""

    def __init__(self, sound: Sound, trim: int = 0) -> None:
        self._sound = sound
        self._trim = trim
        self._join = 0 if sound.round_ and not trim else min(round(_JOIN * RATE), (sound.frames - trim) // 3)
        self.size = max(1, sound.frames - trim - self._join)

    def read(self, first: int, last: int) -> Floats32:
        pieces = []
        while first < last:
            begin = first % self.size
            count = min(last - first, self.size - begin)
            pieces.append(self._once(begin, begin + count))
            first += count
        return np.concatenate(pieces) if len(pieces) != 1 else pieces[0]

    def _once(self, first: int, last: int) -> Floats32:
        piece = self._sound.read(self._trim + first, self._trim + last)
        if first >= self._join:
            return piece
        size = min(last, self._join) - first
        angle = (first + np.arange(size, dtype=np.float32)) / max(1, self._join - 1) * np.float32(math.pi / 2)
        rising, falling = np.sin(angle), np.cos(angle)
        over = self._sound.read(self._trim + self.size + first, self._trim + self.size + first + size)
        if piece.ndim == 2:
            rising, falling = rising[:, None], falling[:, None]
        joined = piece.copy()
        joined[:size] = piece[:size] * rising + over * falling
        return joined


def closed(sound: Sound) -> Floats32:
    """Once round of its loop."""
    loop = Loop(sound)
    return loop.read(0, loop.size)


def ducking(spans: Spans, duck: Duck) -> Curve:
    """A curve of gains, dB over seconds, as points between which it runs straight: down before voices set in, held
    over short gaps, and back."""
    merged: list[list[float]] = []
    for start, end in sorted(spans):
        if merged and start - merged[-1][1] <= max(duck.hold, duck.lead + duck.release):
            merged[-1][1] = max(merged[-1][1], end)
        else:
            merged.append([start, end])
    times, gains = [0.0], [0.0]
    for start, end in merged:
        for time, gain in ((start - duck.lead, 0.0), (start, -duck.amount_db), (end, -duck.amount_db),
                           (end + duck.release, 0.0)):
            times.append(max(time, times[-1]))
            gains.append(gain)
    if merged and merged[0][0] <= duck.lead:
        # Somebody speaks from the very beginning: it has given way already.
        gains[0] = gains[1] = -duck.amount_db
    return np.array(times), np.array(gains)


def deepened(curve: Curve, deeper: Sequence[tuple[float, float, float]]) -> Curve:
    """A ducking curve with more taken off in some places: start and end in seconds, and dB."""
    times, gains = curve
    for start, end, db in deeper:
        added = np.array([max(0.0, start - _DIP_LEAD), max(1e-4, start), end, end + _DIP_RELEASE])
        every = np.unique(np.concatenate([times, added]))
        gains = np.interp(every, times, gains) - np.interp(
            every, added, [0.0 if start > _DIP_LEAD else db, db, db, 0.0]
        )
        times = every
    return times, gains


class UnderTrack:
    """One layer under the voices: its cues, faded, drawn and ducked, wherever it is asked for.

    ``load`` gives the sound of a cue; what cannot be had is left out by whoever plans. ``target``: the loudness that
    voices have, LUFS. ``voices``: when somebody speaks.
    """

    voice = False
    channels = 2

    def __init__(self, layer: Layer, cues: Sequence[PlacedCue], load: Callable[[PlacedCue], Sound], target: float,
                 voices: Spans, deeper: Sequence[tuple[float, float, float]] = ()) -> None:
        """``deeper``: start and end in seconds, and dB that it gives way there beside its ducking."""
        self.name = layer.name
        self.layer = layer
        self.strip = Strip(layer.level_db, layer.pan, layer.mute, layer.solo)
        self.curve = deepened(ducking(voices, layer.duck), deeper)
        self._bends = bool(np.any(self.curve[1]))
        self._cues = sorted(cues, key=lambda one: one.start)
        self._load = load
        self._target = target
        self._ready: OrderedDict[int, _Ready] = OrderedDict()

    def _between(self, first: int, last: int) -> list[int]:
        return [number for number, cue in enumerate(self._cues)
                if round(cue.start * RATE) < last and (cue.lasts is None or (cue.start + cue.lasts) * RATE > first)
                and self._length(number) + round(cue.start * RATE) > first]

    def _length(self, number: int) -> int:
        """Samples that a cue lasts."""
        placed = self._cues[number]
        if placed.lasts is not None and placed.cue.loop:
            return round(placed.lasts * RATE)
        return self._of(number).length

    def content(self, first: int, last: int) -> Any:
        found = self._between(first, last)
        if not found:
            return None
        times, gains = self.curve
        duck = None
        if self._bends:
            # The curve as it runs through these samples: what bends elsewhere is another block's.
            inside = (times * RATE > first) & (times * RATE < last)
            edges = np.interp([first / RATE, last / RATE], times, gains)
            duck = [*(float(one) for one in edges), *np.round(times[inside] - first / RATE, 5).tolist(),
                    *gains[inside].tolist()]
        cues = []
        for number in found:
            cue = self._cues[number]
            cues.append([shape_of(cue.cue), round(cue.start * RATE) - first, cue.lasts, self._of(number).key])
        return [self._target, duck, cues]

    def piece(self, first: int, last: int) -> Floats32:
        block: Floats32 | None = None
        for number in self._between(first, last):
            start, ready = round(self._cues[number].start * RATE), self._of(number)
            low, high = max(start, first), min(start + self._length(number), last)
            if low >= high:
                continue
            heard = self._heard(number, ready, low - start, high - start, low)
            if block is None and (low, high) == (first, last):
                # Nearly always one sound goes on from end to end.
                block = heard
                continue
            if block is None:
                block = np.zeros((last - first, 2), np.float32)
            block[low - first: high - first] += heard
        return np.zeros((last - first, 2), np.float32) if block is None else block

    def _of(self, number: int) -> _Ready:
        if number not in self._ready:
            self._ready[number] = _Ready(self._cues[number], self._load(self._cues[number]), self._target)
            while len(self._ready) > _READY:
                self._ready.popitem(last=False)
        return self._ready[number]

    def _heard(self, number: int, ready: _Ready, first: int, last: int, at: int) -> Floats32:
        """Samples ``first`` to ``last`` of a cue, which lie at ``at`` in the programme."""
        cue, length = self._cues[number].cue, self._length(number)
        piece = ready.read(first, last)
        # Gains move slowly: they are worked out now and then, and drawn straight between.
        begin = first // _NODE
        places = np.arange(begin, last // _NODE + 2) * _NODE
        gain = np.ones(len(places))
        for seconds, away in ((cue.fade_in, places), (cue.fade_out, length - 1 - places)):
            if seconds > 0:
                share = np.clip((away + 1) / max(1.0, seconds * RATE), 0.0, 1.0)
                gain *= np.sin(share * math.pi / 2) if cue.curve == "power" else share
        if cue.points:
            times, levels = np.array(cue.points).T
            gain *= 10 ** (np.interp(places / RATE, times, levels) / 20)
        times, levels = self.curve
        if self._bends:
            gain *= 10 ** (np.interp((at - first + places) / RATE, times, levels) / 20)
        # It was made for this alone, and is changed where it lies.
        if np.ptp(gain) == 0:
            if gain[0] != 1.0:
                piece *= np.float32(gain[0])
            return piece
        drawn = _drawn(gain.astype(np.float32))[first - begin * _NODE: last - begin * _NODE]
        for side in range(2):
            piece[:, side] *= drawn
        return piece


class _Ready:
    """The sound of a cue, trimmed, looped, and how much louder it is on each side."""

    def __init__(self, placed: PlacedCue, sound: Sound, target: float) -> None:
        cue = placed.cue
        self.key = sound.key
        self._sound = sound
        self._trim = min(round(cue.trim * RATE), sound.frames)
        self._loop = Loop(sound, self._trim) if cue.loop and sound.frames > self._trim else None
        gain = 0.0 if sound.lufs < _QUIET else target + cue.gain_db - sound.lufs
        self._gain = np.float32(10 ** (gain / 20))
        self._pan = cue.pan
        there = sound.frames - self._trim
        lasts = there if placed.lasts is None else round(placed.lasts * RATE)
        self.length = lasts if self._loop else min(lasts, there)

    def read(self, first: int, last: int) -> Floats32:
        """Shape (last − first, 2), in memory of its own."""
        found = self._loop.read(first, last) if self._loop else self._sound.read(self._trim + first, self._trim + last)
        if found.ndim == 2 and not self._pan:
            return found * self._gain
        sides = spread(found, self._pan, 2)
        sides *= self._gain
        return sides


def _drawn(nodes: Floats32) -> Floats32:
    """Straight lines between values that lie a node apart."""
    made = np.diff(nodes)[:, None] * (np.arange(_NODE, dtype=np.float32) / _NODE)
    made += nodes[:-1, None]
    return np.asarray(made.reshape(-1))


def shape_of(cue: Cue) -> list[Any]:
    """Of a cue what its sound depends on, beside where it lies."""
    return [
        cue.trim,
        cue.loop,
        cue.fade_in,
        cue.fade_out,
        cue.curve,
        cue.gain_db,
        cue.pan,
        [list(one) for one in cue.points],
    ]


def under_tracks(cues: Sequence[PlacedCue], load: Callable[[PlacedCue], Sound], target: float, voices: Spans,
                 deeper: Sequence[tuple[float, float, float]] = ()) -> list[Track]:
    """Placed cues by their layers."""
    layers = list(dict.fromkeys(one.layer for one in cues))
    return [UnderTrack(layer, [one for one in cues if one.layer == layer], load, target, voices, deeper)
            for layer in layers]
