"""Programme loudness and true peak, measured as a stream so that length costs no memory.

Source: ITU-R BS.1770-4 (K-weighting, gating, Annex 2 for the true peak); EBU Tech 3341 for the checks.
The weighting filters are the standard's, derived for any sample rate from their analogue prototypes.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from scipy import signal

Floats = npt.NDArray[np.floating]

SILENCE = -120.0
"""What is reported, in LUFS or dB, where there is nothing to measure."""
ABSOLUTE_GATE = -70.0
RELATIVE_GATE = -10.0
_OVERSAMPLE = 4
_TAPS_EACH = 12
_STEP = 0.1
"""Seconds. Gating blocks of 400 ms overlap by three quarters, so they begin every 100 ms."""


def k_weighting(rate: int) -> npt.NDArray[np.float64]:
    """The two K-weighting stages as second-order sections for ``rate`` Hz, shape (2, 6)."""
    gain, corner, q = 10 ** (3.999843853973347 / 20), 1681.974450955533, 0.7071752369554196
    k = math.tan(math.pi * corner / rate)
    middle = gain**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [(gain + middle * k / q + k * k) / a0, 2 * (k * k - gain) / a0, (gain - middle * k / q + k * k) / a0,
             1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    corner, q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * corner / rate)
    a0 = 1 + k / q + k * k
    high_pass = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    return np.array([shelf, high_pass])


def _interpolator() -> npt.NDArray[np.float64]:
    """A 48-tap Kaiser-windowed sinc for four-fold oversampling."""
    length = _OVERSAMPLE * _TAPS_EACH
    return np.asarray(signal.firwin(length + 1, 1 / _OVERSAMPLE, window=("kaiser", 5.0)) * _OVERSAMPLE)


_INTERPOLATOR = _interpolator()
# No interpolated sample exceeds the loudest sample near it by more than this factor.
_OVERSHOOT = max(float(np.abs(_INTERPOLATOR[phase::_OVERSAMPLE]).sum()) for phase in range(_OVERSAMPLE))


def oversampled_peaks(samples: Floats) -> npt.NDArray[np.float32]:
    """The largest magnitude between each sample and the next, at four times the rate. Same shape."""
    fine = signal.upfirdn(_INTERPOLATOR.astype(np.float32), samples.astype(np.float32), _OVERSAMPLE)
    delay = _OVERSAMPLE * _TAPS_EACH // 2
    fine = np.abs(fine[delay: delay + _OVERSAMPLE * len(samples)])
    return np.asarray(np.maximum(fine.reshape(-1, _OVERSAMPLE).max(axis=1), np.abs(samples)), dtype=np.float32)


class LoudnessMeter:
    """Measures one channel as it passes by.

    Feed it with :meth:`add`; ask for the figures at any time. Memory: eight bytes for each 100 ms.
    """

    def __init__(self, rate: int) -> None:
        self._rate = rate
        self._sections = k_weighting(rate)
        self._state = np.zeros((2, 2))
        self._step = round(rate * _STEP)
        self._rest = np.zeros(0)
        self._steps: list[npt.NDArray[np.float64]] = []
        self._peak = 0.0
        self._tail = np.zeros(2 * _TAPS_EACH, np.float32)
        self._fed = 0
        self._energy = 0.0

    def add(self, samples: Floats) -> None:
        """``samples``: mono float in −1…1, any length, directly after what came before."""
        if not len(samples):
            return
        self._fed += len(samples)
        self._add_peak(samples)
        weighted, self._state = signal.sosfilt(self._sections, samples, zi=self._state)
        self._energy += float(np.dot(weighted, weighted))
        joined = np.concatenate([self._rest, weighted]) if len(self._rest) else weighted
        whole = len(joined) // self._step * self._step
        if whole:
            blocks = joined[:whole].reshape(-1, self._step)
            self._steps.append(np.einsum("ij,ij->i", blocks, blocks) / self._step)
        self._rest = joined[whole:].copy()

    def _add_peak(self, samples: Floats) -> None:
        # A cut through a wave overshoots, so what lies within the filter's reach of the end waits in the tail.
        joined = np.concatenate([self._tail, samples.astype(np.float32, copy=False)])
        reach = _TAPS_EACH
        last = len(joined) - reach
        # Exact, and most of a programme is skipped: nothing in here can reach the peak found so far.
        if float(np.abs(joined).max()) * _OVERSHOOT > self._peak:
            for start in range(reach, last, self._step):
                stop = min(start + self._step, last)
                piece = joined[start - reach: stop + reach]
                if float(np.abs(piece).max()) * _OVERSHOOT > self._peak:
                    self._peak = max(self._peak, float(oversampled_peaks(piece)[reach: stop - start + reach].max()))
        self._tail = joined[-2 * reach:]

    @property
    def seconds(self) -> float:
        return self._fed / self._rate

    @property
    def true_peak_db(self) -> float:
        """dBTP."""
        ending = oversampled_peaks(np.concatenate([self._tail, np.zeros(_TAPS_EACH, np.float32)]))
        peak = max(self._peak, float(ending[_TAPS_EACH:].max()))
        return 20 * math.log10(peak) if peak > 1e-6 else SILENCE

    def _windows(self, steps: int) -> npt.NDArray[np.float64]:
        energy = np.concatenate(self._steps) if self._steps else np.zeros(0)
        if len(energy) < steps:
            return np.zeros(0)
        summed = np.concatenate([[0.0], np.cumsum(energy)])
        return np.asarray((summed[steps:] - summed[:-steps]) / steps)

    @property
    def integrated(self) -> float:
        """Gated loudness of all that was fed, in LUFS. Under 400 ms: of the whole, ungated."""
        blocks = self._windows(4)
        if not len(blocks):
            return _lufs(self._energy / self._fed) if self._fed else SILENCE
        over = blocks[blocks > _energy_at(ABSOLUTE_GATE)]
        if not len(over):
            return SILENCE
        over = over[over > _energy_at(_lufs(float(over.mean())) + RELATIVE_GATE)]
        return _lufs(float(over.mean()))

    def short_term(self) -> list[float]:
        """Loudness over 3 s windows, one value for each second, in LUFS (EBU Tech 3341 short-term)."""
        return [_lufs(float(value)) for value in self._windows(30)[::10]]

    def momentary(self, every: int = 4) -> list[float]:
        """Loudness over 400 ms windows, one value for each ``every`` × 100 ms, in LUFS."""
        return [_lufs(float(value)) for value in self._windows(4)[::every]]


def _lufs(energy: float) -> float:
    return max(SILENCE, -0.691 + 10 * math.log10(energy)) if energy > 0 else SILENCE


def _energy_at(lufs: float) -> float:
    return float(10 ** ((lufs + 0.691) / 10))


def measure(samples: Floats, rate: int) -> LoudnessMeter:
    """A meter that was fed with ``samples``."""
    meter = LoudnessMeter(rate)
    meter.add(samples)
    return meter
