"""Where the sound in a recording begins and ends, and cutting it there without a click."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from janoglot.core.audio.edges import soft_edges
from janoglot.core.speech.engines.base import KEPT_LUFS, Mark, Samples, Spoken

FLOOR_DB = -50.0
"""What lies this far under the loudest 10 ms is silence."""
MARGIN = 0.015
"""Seconds kept on either side, so that soft onsets and releases are whole."""
_FRAME = 0.010


def audible_span(samples: Samples, rate: int) -> tuple[int, int]:
    """First and last-plus-one sample of what can be heard; (0, 0) where nothing can."""
    frame = max(1, round(rate * _FRAME))
    count = len(samples) // frame
    if count == 0:
        return (0, len(samples)) if len(samples) and float(np.abs(samples).max()) > 0 else (0, 0)
    frames = samples[: count * frame].reshape(count, frame)
    power = np.einsum("ij,ij->i", frames, frames) / frame
    loudest = float(power.max())
    if loudest <= 1e-10:
        return 0, 0
    heard = np.flatnonzero(power > loudest * 10 ** (FLOOR_DB / 10))
    margin = round(rate * MARGIN)
    start = max(0, int(heard[0]) * frame - margin)
    end = min(len(samples), (int(heard[-1]) + 1) * frame + margin)
    return start, end


def trim(spoken: Spoken) -> Spoken:
    """``spoken`` without the silence around it, its marks moved along."""
    start, end = audible_span(spoken.samples, spoken.rate)
    offset, seconds = start / spoken.rate, (end - start) / spoken.rate

    def moved(marks: tuple[Mark, ...]) -> tuple[Mark, ...]:
        return tuple(
            Mark(min(max(mark.start - offset, 0.0), seconds), min(max(mark.end - offset, 0.0), seconds), mark.at,
                 mark.length, mark.text)
            for mark in marks
        )

    return Spoken(soft_edges(spoken.samples[start:end], spoken.rate), spoken.rate, moved(spoken.words),
                  moved(spoken.phonemes))


def at_kept_loudness(samples: Samples, lufs: float) -> Samples:
    """``samples``, whose loudness is ``lufs``, at KEPT_LUFS; less where a peak would pass −1 dBFS."""
    peak = float(np.abs(samples).max(initial=0.0))
    if peak <= 0:
        return samples
    return samples * np.float32(min(10 ** ((KEPT_LUFS - lufs) / 20), 0.891 / peak))


SHORTEST_PAUSE = 0.08
"""Seconds. A silence shorter than this is part of a word."""


def scaled_pauses(spoken: Spoken, factor: float) -> Spoken:
    """``spoken`` with every pause between words ``factor`` times as long, its marks moved along."""
    start, end = audible_span(spoken.samples, spoken.rate)
    if factor == 1.0 or start >= end:
        return spoken
    frame = max(1, round(spoken.rate * _FRAME))
    heard = np.abs(spoken.samples[start:end]) > float(np.abs(spoken.samples).max()) * 10 ** (FLOOR_DB / 20)
    edges = np.flatnonzero(heard)
    gaps = [(start + int(a), start + int(b)) for a, b in pairwise(edges)
            if b - a > SHORTEST_PAUSE * spoken.rate]
    pieces: list[Samples] = []
    moves: list[tuple[int, int]] = []
    at = moved = 0
    for first, last in gaps:
        # The middle of a pause is nothing: it is cut out of, or put into.
        change = round((last - first) * (factor - 1))
        change = max(change, 2 * frame - (last - first))
        middle = (first + last) // 2
        cut = max(0, -change) // 2
        pieces += [spoken.samples[at: middle - cut], np.zeros(max(0, change), np.float32)]
        at, moved = middle + max(0, -change) - cut, moved + change
        moves.append((middle, moved))
    samples = np.concatenate([*pieces, spoken.samples[at:]])

    def later(marks: tuple[Mark, ...]) -> tuple[Mark, ...]:
        def place(seconds: float) -> float:
            passed = [total for middle, total in moves if middle <= seconds * spoken.rate]
            return min(max(0.0, seconds + (passed[-1] if passed else 0) / spoken.rate), len(samples) / spoken.rate)

        return tuple(Mark(place(m.start), place(m.end), m.at, m.length, m.text) for m in marks)

    return Spoken(samples, spoken.rate, later(spoken.words), later(spoken.phonemes))
