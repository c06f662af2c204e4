"""What a finished track is made of: its rate, its ceiling, and sounds of one channel or two on its sides."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

RATE = 48_000
"""Hz. Of every finished track."""
CEILING = -1.0
"""dBTP."""
Floats32 = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Strip:
    """How a layer lies in the mix: so much louder (dB), so far to a side (−1 left, 1 right), not heard at all, or heard
    alone."""

    level_db: float = 0.0
    pan: float = 0.0
    mute: bool = False
    solo: bool = False


def spread(samples: Floats32, pan: float, channels: int) -> Floats32:
    """``samples`` of one channel or two on ``channels``, at ``pan`` (−1 left, 1 right) by the law of constant power: as
    loud wherever it is."""
    if channels == 1:
        return samples if samples.ndim == 1 else np.asarray(samples.sum(axis=1) * np.float32(math.sqrt(0.5)))
    angle = (min(1.0, max(-1.0, pan)) + 1) * math.pi / 4
    sides = np.array([math.cos(angle), math.sin(angle)], np.float32)
    if samples.ndim == 1:
        return on_two_sides(samples, sides[0], sides[1])
    # What has two sides already is balanced, and left alone in the middle.
    if not pan:
        return samples
    left, right = np.minimum(np.float32(1.0), sides * np.float32(math.sqrt(2)))
    return on_two_sides(samples, left, right)


def on_two_sides(samples: Floats32, left: np.float32 | Floats32, right: np.float32 | Floats32) -> Floats32:
    """One channel or two, each at its gain: side by side, which is several times quicker than both at once."""
    made = np.empty((len(samples), 2), np.float32)
    one, other = (samples, samples) if samples.ndim == 1 else (samples[:, 0], samples[:, 1])
    np.multiply(one, left, out=made[:, 0])
    np.multiply(other, right, out=made[:, 1])
    return made


def laid(piece: Floats32, strip: Strip, channels: int) -> Floats32:
    """A piece at its strip's level and pan, on as many channels as the mix has."""
    gain = np.float32(10 ** (strip.level_db / 20))
    if channels == 2 and strip.pan and piece.ndim == 2:
        angle = (min(1.0, max(-1.0, strip.pan)) + 1) * math.pi / 4
        root = math.sqrt(2)
        return on_two_sides(piece, gain * np.float32(min(1.0, math.cos(angle) * root)),
                            gain * np.float32(min(1.0, math.sin(angle) * root)))
    out = spread(piece, strip.pan, channels)
    return out if not strip.level_db else np.asarray(out * gain)
