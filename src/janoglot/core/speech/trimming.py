"""Where the sound in a recording begins and ends, and cutting it there without a click."""

from __future__ import annotations

import numpy as np

from janoglot.core.speech.engines.base import Mark, Samples, Spoken

FLOOR_DB = -50.0
"""What lies this far under the loudest 10 ms is silence."""
MARGIN = 0.015
"""Seconds kept on either side, so that soft onsets and releases are whole."""
EDGE = 0.005
"""Seconds of fade at either end."""
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


def soft_edges(samples: Samples, rate: int, seconds: float = EDGE) -> Samples:
    """A copy with raised-cosine fades of ``seconds`` at both ends, so that it joins silence without a step."""
    out = samples.astype(np.float32, copy=True)
    length = min(round(rate * seconds), len(out) // 2)
    if length:
        ramp = (0.5 - 0.5 * np.cos(np.pi * (np.arange(length) + 0.5) / length)).astype(np.float32)
        out[:length] *= ramp
        out[-length:] *= ramp[::-1]
    return out


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
