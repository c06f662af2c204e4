"""Beginnings and ends that do not click."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Samples = npt.NDArray[np.float32]
EDGE = 0.005
"""Seconds of fade at either end."""


def soft_edges(samples: Samples, rate: int, seconds: float = EDGE) -> Samples:
    """A copy, shape (n,) or (n, channels), with raised-cosine fades of ``seconds`` at both ends, so that it joins
    silence without a step."""
    out = samples.astype(np.float32, copy=True)
    length = min(round(rate * seconds), len(out) // 2)
    if length:
        ramp = (0.5 - 0.5 * np.cos(np.pi * (np.arange(length) + 0.5) / length)).astype(np.float32)
        ramp = ramp if out.ndim == 1 else ramp[:, None]
        out[:length] *= ramp
        out[-length:] *= ramp[::-1]
    return out
