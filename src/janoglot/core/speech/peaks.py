"""Peaks of a sound, to draw it with, kept beside it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile

from janoglot.core.store import Store

A_SECOND = 50
"""Peaks for one second of sound."""
_SECONDS_AT_ONCE = 20


def peaks_of(samples: npt.NDArray[np.float32], rate: int) -> bytes:
    """The largest amplitude of each fiftieth of a second, 0 to 255; louder than full scale is full scale."""
    size = max(1, rate // A_SECOND)
    padded = np.pad(np.abs(samples), (0, -len(samples) % size))
    return bytes(np.clip(padded.reshape(-1, size).max(axis=1) * 255, 0, 255).astype(np.uint8))


def peaks_key(key: str) -> str:
    """The store's key of the peaks of the sound ``key``."""
    return f"{Path(key).stem}.peaks"


def kept_peaks(key: str, store: Store) -> bytes:
    """The peaks of the sound ``key``, made once. Raises FileNotFoundError where there is no such sound."""
    name = peaks_key(key)
    if store.has(name):
        return store.path(name).read_bytes()
    with soundfile.SoundFile(store.path(key)) as file:
        # Some seconds at a time: of hours of sound, all at once would be gigabytes.
        block = max(1, file.samplerate // A_SECOND) * A_SECOND * _SECONDS_AT_ONCE
        found = b"".join(peaks_of(np.abs(some).max(axis=1), file.samplerate)
                         for some in file.blocks(block, dtype="float32", always_2d=True))
    store.write(name, lambda place: _write(place, found))
    return found


def _write(place: Path, content: bytes) -> None:
    place.write_bytes(content)
