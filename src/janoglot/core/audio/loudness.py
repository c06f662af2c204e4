"""Programme loudness and true peak, measured as a stream so that length costs no memory.

Source: ITU-R BS.1770-5 (K-weighting, gating, Annex 2 for the true peak); EBU Tech 3341 and 3342 for the checks.
The weighting filters are the standard's, derived for any sample rate from their analogue prototypes.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import signal

Floats = npt.NDArray[np.floating]

SILENCE = -120.0
"""What is reported, in LUFS or dB, where there is nothing to measure."""
ABSOLUTE_GATE = -70.0
RELATIVE_GATE = -10.0
_OVERSAMPLE = 4
REACH = 24
"""Samples that the interpolation looks to either side."""
_OVERSHOOT = 1.5
"""How far a wave can rise between two samples above both: 3 dB (1.41) for what lies under a quarter of the
rate, as all speech here does and every test signal of EBU Tech 3341."""
_FAINT = 1e-9
"""−180 dB. Added at the highest frequency so that the filters never work on denormal numbers, which are
several times slower: most of a programme's pauses are exact zeros."""
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


def _fractional_delays() -> npt.NDArray[np.float32]:
    """Kaiser-windowed sincs that give the wave a quarter, a half and three quarters of the way to the next
    sample, as columns: shape (2 × REACH, 3)."""
    offsets = np.arange(-REACH + 1, REACH + 1)[:, None] - np.arange(1, _OVERSAMPLE)[None, :] / _OVERSAMPLE
    return np.asarray(np.sinc(offsets) * np.i0(6.0 * np.sqrt(np.maximum(0, 1 - (offsets / REACH) ** 2))) / np.i0(6.0),
                      dtype=np.float32)


_DELAYS = _fractional_delays()


def true_peaks(samples: Floats, above: float) -> npt.NDArray[np.float32]:
    """The largest magnitude from each sample up to the next one, at four times the rate. Same shape.

    Only where that can exceed ``above`` is anything interpolated; elsewhere the sample itself is given.
    The first and last :data:`REACH` values are only as good as what lies beyond the cut.
    """
    peaks = np.abs(samples).astype(np.float32, copy=False)
    mask = peaks > above / _OVERSHOOT
    mask[:-1] |= mask[1:]
    near = np.flatnonzero(mask)
    if not len(near):
        return peaks
    padded = np.pad(samples.astype(np.float32, copy=False), REACH)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * REACH)
    for start in range(0, len(near), 65_536):
        some = near[start: start + 65_536]
        between = np.abs(_DELAYS.T @ windows[some + 1].T)
        peaks[some] = np.maximum.reduce([peaks[some], *between])
    return peaks


class LoudnessMeter:
    """Measures one channel, or left and right, as they pass by.

    Feed it with :meth:`add`; ask for the figures at any time. Memory: eight bytes for each 100 ms.
    ``peaks`` or ``loudness`` False leaves that half out, and its time. The loudness of two channels is of their
    energies together; their peak is the higher one's.
    """

    def __init__(self, rate: int, peaks: bool = True, loudness: bool = True, channels: int = 1) -> None:
        self.channels = channels
        self._rate = rate
        self._peaks = peaks
        self._loudness = loudness
        # One filter of fourth order: a third faster than two of second, and exact enough in double precision.
        self._filter = signal.sos2tf(k_weighting(rate))
        self._states = [np.zeros(4) for _ in range(channels)]
        self._step = round(rate * _STEP)
        # Of each channel what does not fill a step yet.
        self._rests = [np.zeros(0) for _ in range(channels)]
        self._steps: list[npt.NDArray[np.float64]] = []
        self._peak = 0.0
        self._tails = [np.zeros(2 * REACH, np.float32) for _ in range(channels)]
        self._fed = 0

    def add(self, samples: Floats) -> None:
        """``samples``: float in −1…1, shape (n,) or (n, channels), directly after what came before."""
        if not len(samples):
            return
        self._fed += len(samples)
        energy: npt.NDArray[np.float64] | None = None
        for channel in range(self.channels):
            one = samples if samples.ndim == 1 else samples[:, channel]
            if self._peaks:
                self._add_peak(one, channel)
            if self._loudness:
                of_one = self._energy(one, channel)
                energy = of_one if energy is None else energy + of_one
        if energy is not None and len(energy):
            self._steps.append(energy)

    def _energy(self, samples: Floats, channel: int) -> npt.NDArray[np.float64]:
        """Of each step that is full now."""
        weighted, self._states[channel] = signal.lfilter(*self._filter, samples + _faint(len(samples)),
                                                         zi=self._states[channel])
        rest = self._rests[channel]
        joined = np.concatenate([rest, weighted]) if len(rest) else weighted
        whole = len(joined) // self._step * self._step
        self._rests[channel] = joined[whole:].copy()
        blocks = joined[:whole].reshape(-1, self._step)
        return np.asarray(np.einsum("ij,ij->i", blocks, blocks) / self._step)

    def _add_peak(self, samples: Floats, channel: int) -> None:
        # A cut through a wave overshoots, so what lies within the filter's reach of the end waits in the tail.
        joined = np.concatenate([self._tails[channel], samples.astype(np.float32, copy=False)])
        last = len(joined) - REACH
        if last > REACH:
            # No lower than the loudest sample, so nearly all of a programme is passed over.
            self._peak = max(self._peak, _loudest(joined[REACH:last]))
            self._peak = max(self._peak, float(true_peaks(joined, self._peak)[REACH:last].max()))
        self._tails[channel] = joined[-2 * REACH:]

    @property
    def seconds(self) -> float:
        return self._fed / self._rate

    @property
    def true_peak_db(self) -> float:
        """dBTP."""
        peak = max(self._peak, *(
            float(true_peaks(np.concatenate([tail, np.zeros(REACH, np.float32)]), self._peak)[REACH:].max())
            for tail in self._tails))
        return 20 * math.log10(peak) if peak > 1e-6 else SILENCE

    @property
    def energies(self) -> npt.NDArray[np.float64]:
        """K-weighted energy of each 100 ms that is full, of all channels together."""
        return np.concatenate(self._steps) if self._steps else np.zeros(0)

    @property
    def integrated(self) -> float:
        """Gated loudness of all that was fed, in LUFS. Under 400 ms: of the whole, ungated."""
        energies = self.energies
        if len(energies) < 4:
            energy = float(energies.sum()) * self._step + sum(float(np.dot(rest, rest)) for rest in self._rests)
            return lufs_of(energy / self._fed) if self._fed else SILENCE
        return gated(energies)

    def short_term(self) -> list[float]:
        """Loudness over 3 s windows, one value for each second, in LUFS (EBU Tech 3341 short-term)."""
        return [lufs_of(float(value)) for value in windows(self.energies, 30)[::10]]

    def momentary(self, every: int = 4) -> list[float]:
        """Loudness over 400 ms windows, one value for each ``every`` × 100 ms, in LUFS."""
        return [lufs_of(float(value)) for value in windows(self.energies, 4)[::every]]

    @property
    def range_lu(self) -> float:
        return loudness_range(self.energies)


def windows(energies: npt.NDArray[np.float64], steps: int) -> npt.NDArray[np.float64]:
    """Mean energy of every run of so many ``steps`` of 100 ms."""
    if len(energies) < steps:
        return np.zeros(0)
    summed = np.concatenate([[0.0], np.cumsum(energies)])
    return np.asarray((summed[steps:] - summed[:-steps]) / steps)


def gated(energies: npt.NDArray[np.float64]) -> float:
    """Gated loudness of K-weighted energies of each 100 ms, in LUFS."""
    blocks = windows(energies, 4)
    over = blocks[blocks > _energy_at(ABSOLUTE_GATE)]
    if not len(over):
        return SILENCE
    over = over[over > _energy_at(lufs_of(float(over.mean())) + RELATIVE_GATE)]
    return lufs_of(float(over.mean()))


def loudness_range(energies: npt.NDArray[np.float64]) -> float:
    """LU between the tenth and the ninety-fifth of a hundred of short-term loudness, of what is over the gates.

    Source: EBU Tech 3342 (windows of 3 s, ten a second; gates at −70 LUFS and 20 LU under the mean of what is over it).
    """
    short = windows(energies, 30)
    over = short[short > _energy_at(ABSOLUTE_GATE)]
    over = over[over > _energy_at(lufs_of(float(over.mean())) - 20.0)] if len(over) else over
    if len(over) < 2:
        return 0.0
    low, high = np.percentile(over, [10.0, 95.0])
    return lufs_of(float(high)) - lufs_of(float(low))


def _faint(length: int) -> npt.NDArray[np.float64]:
    """A sound of the highest frequency that nobody hears, ``length`` samples; not to be written to."""
    return _faint_of(1 << max(16, (length - 1).bit_length()))[:length]


@lru_cache(maxsize=4)
def _faint_of(length: int) -> npt.NDArray[np.float64]:
    return np.tile([_FAINT, -_FAINT], length // 2)


def _loudest(samples: Floats) -> float:
    """The largest magnitude, without a copy."""
    return max(float(samples.max()), -float(samples.min()))


def lufs_of(energy: float) -> float:
    return max(SILENCE, -0.691 + 10 * math.log10(energy)) if energy > 0 else SILENCE


def _energy_at(lufs: float) -> float:
    return float(10 ** ((lufs + 0.691) / 10))


def measure(samples: Floats, rate: int, peaks: bool = True) -> LoudnessMeter:
    """A meter that was fed with ``samples``, shape (n,) or (n, 2)."""
    meter = LoudnessMeter(rate, peaks, channels=1 if samples.ndim == 1 else samples.shape[1])
    meter.add(samples)
    return meter
