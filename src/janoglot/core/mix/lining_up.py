"""How much later one recording is than another that has the same sounds in it, by correlation."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import signal

from janoglot.core.mix.sides import RATE, Floats32

_COARSE = 100
"""Hz, of the envelopes that it is looked for by."""
_FINE = 8_000
_LISTENED = 20.0
"""Seconds of the loudest stretch by which it is found to the sample."""


def later_by(other: Floats32, one: Floats32) -> tuple[float, float]:
    """How many seconds later ``other`` is than ``one``, both of one channel at 48 kHz, to a fraction of a millisecond;
    and how sure that is, 0 to 1: how much the best place stands out from the next."""
    a, b = _envelope(one), _envelope(other)
    found = signal.correlate(b, a, "full", "fft")
    lag = int(np.argmax(found)) - (len(a) - 1)
    away = np.abs(np.arange(len(found)) - int(np.argmax(found))) > _COARSE // 2
    rest = float(found[away].max(initial=0.0))
    sure = float(np.clip(1 - rest / max(1e-9, float(found.max())), 0.0, 1.0))
    return _refined(other, one, lag / _COARSE), sure


def _envelope(samples: Floats32) -> npt.NDArray[np.float64]:
    """How a recording's level rises and falls, about 0, in dB."""
    size = RATE // _COARSE
    whole = np.pad(samples, (0, -len(samples) % size)).reshape(-1, size).astype(np.float64)
    level = 10 * np.log10((whole**2).mean(axis=1) + 1e-8)
    risen = np.diff(level, prepend=level[:1])
    return np.asarray(risen - risen.mean())


def _refined(other: Floats32, one: Floats32, lag: float) -> float:
    """To the sample, around where it is already."""
    size = round(_LISTENED * RATE)
    first = max(0, round(-lag * RATE))
    last = min(len(one), len(other) - round(lag * RATE))
    if last - first < RATE // 2:
        return lag
    loud = np.add.reduceat(one[first:last].astype(np.float64) ** 2, np.arange(0, last - first, RATE))
    start = first + max(0, int(np.argmax(np.convolve(loud, np.ones(max(1, size // RATE)), "same"))) * RATE - size // 2)
    end = min(last, start + size)
    reach = RATE // 50
    here = one[start:end]
    there_at = start + round(lag * RATE) - reach
    there = other[max(0, there_at): there_at + len(here) + 2 * reach]
    if there_at < 0 or len(there) < len(here):
        return lag
    found = signal.correlate(there.astype(np.float64), here.astype(np.float64), "valid", "fft")
    best = int(np.argmax(found))
    return (there_at + best - start) / RATE
