"""Steady noise taken down: hiss, hum, a fan; what moves is left as it is.

The floor of each frequency is what it has in its quietest moments (Martin, *Noise power spectral density estimation
based on optimal smoothing and minimum statistics*, 2001, without its smoothing over time); what is near it is taken
down by so many dB, with gains that are even over neighbours, so that nothing twitters (Ephraim and Malah, 1984, say
why it would).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import ndimage, signal

Floats32 = npt.NDArray[np.float32]
_WINDOW = 0.043
_QUIETEST = 8.0
_ABOVE_QUIETEST = 5.0
"""By how much the floor is over the eighth of a hundred of moments: of noise whose power is spread as a
Gaussian noise's is, nearly all of it lies under that."""
_STEEP = 2.0


def without_noise(samples: Floats32, rate: int, most_db: float = 18.0) -> Floats32:
    """A recording, shape (n,) or (n, 2), with its steady noise up to ``most_db`` lower; as long as it was.

    Where it is shorter than half a second there is nothing to know its noise by, and it is as it was.
    """
    if len(samples) < rate // 2:
        return samples
    sides = samples[:, None] if samples.ndim == 1 else samples
    made = np.stack([_one(np.ascontiguousarray(sides[:, side]), rate, most_db) for side in range(sides.shape[1])], 1)
    return made[:, 0] if samples.ndim == 1 else made


def _one(samples: Floats32, rate: int, most_db: float) -> Floats32:
    size = 2 ** round(np.log2(_WINDOW * rate))
    _, _, spectrum = signal.stft(samples, rate, nperseg=size, noverlap=size * 3 // 4)
    power = np.abs(spectrum) ** 2
    smooth = ndimage.uniform_filter1d(power, 3, axis=1)
    # What digital silence there is tells nothing of the noise.
    sounding = power.sum(axis=0) > 1e-9 * max(1e-20, float(power.sum(axis=0).max()))
    if sounding.sum() < 8:
        return samples
    floor = np.percentile(smooth[:, sounding], _QUIETEST, axis=1, keepdims=True) * _ABOVE_QUIETEST
    floor = ndimage.uniform_filter1d(floor, 5, axis=0)
    over = smooth / np.maximum(floor, 1e-20)
    kept = np.clip(1.0 - (1.0 / np.maximum(over, 1e-9)) ** (_STEEP / 2), 0.0, 1.0)
    gain = np.maximum(10 ** (-most_db / 20), ndimage.uniform_filter(kept, (3, 3)))
    _, made = signal.istft(spectrum * gain, rate, nperseg=size, noverlap=size * 3 // 4)
    return np.asarray(made[: len(samples)], np.float32)
