"""A look-ahead limiter for true peaks, as a stream.

The gain is the moving average of a moving minimum over one window, so it has arrived at what a peak
needs before the peak comes, leaves as softly, and never bends the wave itself.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from janoglot.core.audio.loudness import true_peaks

LOOKAHEAD = 0.004
"""Seconds."""
_STEP = 16
"""Samples between two values of the gain; a power of two."""
_MARGIN_DB = 0.15
"""What a peak measured between samples may differ by after the gain has moved across it."""


def lets_through(ceiling_db: float) -> float:
    """The highest true peak that a limiter for ``ceiling_db`` leaves as it is: a little under that ceiling."""
    return float(10 ** ((ceiling_db - _MARGIN_DB) / 20))


def limit(samples: npt.NDArray[np.float32], rate: int,
          ceiling_db: float) -> tuple[npt.NDArray[np.float32], float]:
    """``samples``, shape (n,) or (n, 2), with their true peaks held under ``ceiling_db`` (dBTP), and the most that one
    was taken down, in dB. Same length."""
    limiter = Limiter(rate, ceiling_db, 1 if samples.ndim == 1 else samples.shape[1])
    return np.concatenate([limiter.process(samples), limiter.flush()]), limiter.reduced_db


class Limiter:
    """Holds a stream of one channel, or two, under ``ceiling_db`` (dBTP). Blocks go in, shape (n,) or (n, 2); blocks of
    the same lengths in all come out, late by :attr:`delay` samples until :meth:`flush`. Both channels are taken down
    alike, or what is heard would move to the side."""

    def __init__(self, rate: int, ceiling_db: float, channels: int = 1, keep_gain: bool = False) -> None:
        """``keep_gain``: what each sample was multiplied by is kept in :attr:`gains`, block by block."""
        self.gains: list[npt.NDArray[np.float32]] | None = [] if keep_gain else None
        self._ceiling = np.float32(lets_through(ceiling_db))
        self._half = max(2, round(rate * LOOKAHEAD / _STEP))
        # Whole steps, so that a stream's steps fall where those of the whole would.
        self.delay = 4 * self._half * _STEP
        self._shape: tuple[int, ...] = () if channels == 1 else (channels,)
        self._held = np.zeros((0, *self._shape), np.float32)
        self._context = np.zeros((self.delay, *self._shape), np.float32)
        self.reduced_db = 0.0
        """The most that a peak was taken down, in dB."""

    def process(self, block: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        joined = np.concatenate([self._held, block])
        ready = (len(joined) - self.delay) // _STEP * _STEP
        if ready <= 0:
            self._held = joined
            return np.zeros((0, *self._shape), np.float32)
        out = self._limit(joined, ready)
        self._context = np.concatenate([self._context, joined[:ready]])[-self.delay:]
        self._held = joined[ready:]
        return out

    def flush(self) -> npt.NDArray[np.float32]:
        out = self._limit(self._held, len(self._held))
        self._held = np.zeros((0, *self._shape), np.float32)
        return out

    def _limit(self, joined: npt.NDArray[np.float32], ready: int) -> npt.NDArray[np.float32]:
        if not len(joined):
            return joined
        whole = np.concatenate([self._context, joined])
        peaks = _peaks(whole, float(self._ceiling))
        need = np.minimum(1.0, self._ceiling / np.maximum(peaks, 1e-9))
        if float(need.min()) >= 1.0:
            if self.gains is not None:
                self.gains.append(np.ones(len(joined[:ready]), np.float32))
            return joined[:ready]
        gain = self._gain(need)[len(self._context): len(self._context) + ready]
        if self.gains is not None:
            self.gains.append(gain)
        self.reduced_db = max(self.reduced_db, float(-20 * np.log10(gain.min(initial=1.0))))
        return np.asarray(joined[:ready] * (gain if joined.ndim == 1 else gain[:, None]), dtype=np.float32)

    def _gain(self, need: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        """The gain for each sample: worked out once for every few, and drawn straight between.

        The minimum reaches further than the average by more than one step to either side, so both ends of a
        step are under what anything within it needs, and so is the line between them.
        """
        steps = -(-len(need) // _STEP) + 1
        padded = np.ones(steps * _STEP, np.float32)
        padded[: len(need)] = need
        least = padded
        while len(least) > steps:
            # Pair by pair: many times faster than the least of each short row.
            least = np.minimum(least[0::2], least[1::2])
        window = 2 * self._half + 1
        nodes = ndimage.uniform_filter1d(
            ndimage.minimum_filter1d(least, 2 * window - 1, mode="nearest"), window, mode="nearest")
        rise = np.diff(nodes)[:, None]
        drawn = nodes[:-1, None] + rise * (np.arange(_STEP, dtype=np.float32) / _STEP)[None, :]
        return np.asarray(drawn.reshape(-1)[: len(need)], dtype=np.float32)


def _peaks(samples: npt.NDArray[np.float32], above: float) -> npt.NDArray[np.float32]:
    """Of the louder channel, sample by sample."""
    if samples.ndim == 1:
        return true_peaks(samples, above)
    return np.asarray(np.maximum.reduce([true_peaks(np.ascontiguousarray(samples[:, channel]), above)
                                         for channel in range(samples.shape[1])]))
