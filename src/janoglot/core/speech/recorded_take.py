"""A person's own take of a line: cut to what is spoken, levelled, its words found; and otherwise left as it is."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from janoglot.core.audio.edges import soft_edges
from janoglot.core.audio.loudness import measure
from janoglot.core.errors import BadInput, EngineError
from janoglot.core.graph import recipe_hash
from janoglot.core.speech.engines.base import Mark, Samples
from janoglot.core.speech.guide import words_found
from janoglot.core.speech.takes import Take, TakeRecipe, WordMark, write_sound
from janoglot.core.speech.trimming import at_kept_loudness
from janoglot.core.store import Store

VERSION = 1
"""Of the way that recordings are prepared: part of their takes' names."""
_FRAME = 0.010
_BEFORE, _AFTER = 0.05, 0.12
"""Seconds kept around what is spoken: a breath's end, a room's own."""
_FLOOR_DB = -50.0
"""What lies this far under a recording's speech is silence, however quiet its room."""
_ABOVE_ROOM_DB = 10.0
"""What stands out from the room by less is the room."""
_LEAST_RUN = 0.04
"""Seconds. What is shorter, with nothing near it, is a click and no speech."""
_NEAR = 0.3


def spoken_span(samples: Samples, rate: int) -> tuple[int, int]:
    """First and last-plus-one sample of what is spoken in a recording, with a little of its room around it; (0, 0)
    where nothing is."""
    size = max(1, round(rate * _FRAME))
    count = len(samples) // size
    if count < 3:
        return 0, 0
    frames = samples[: count * size].astype(np.float64).reshape(count, size)
    level = 10 * np.log10(np.maximum((frames**2).mean(1), 1e-12))
    loud, room = np.percentile(level, 98), np.percentile(level, 5)
    if loud < -100:
        return 0, 0
    # Somebody who fills the whole recording leaves no room to be heard.
    bar = max(loud + _FLOOR_DB, min(room + _ABOVE_ROOM_DB, loud - 20))
    heard = np.flatnonzero(level > bar)
    runs = np.split(heard, np.flatnonzero(np.diff(heard) > 1) + 1)
    near, least = round(_NEAR / _FRAME), round(_LEAST_RUN / _FRAME)
    kept = [run for k, run in enumerate(runs) if len(run) >= least
            or any(len(other) >= least and min(abs(other[0] - run[-1]), abs(run[0] - other[-1])) <= near
                   for other in runs[max(0, k - 2): k + 3])]
    if not kept:
        return 0, 0
    start = int(kept[0][0]) * size - round(_BEFORE * rate)
    end = (int(kept[-1][-1]) + 1) * size + round(_AFTER * rate)
    return max(0, start), min(len(samples), end)


def prepared_take(samples: Samples, rate: int, words: str, stand_in: TakeRecipe | None, store: Store,
                  find: Callable[[Samples, int, TakeRecipe], tuple[Mark, ...]] = words_found) -> Take:
    """Keep a recording of ``words`` in ``store`` as ``<hash>.wav``, cut and at the loudness that all takes are kept at.

    ``stand_in`` is how a voice of ours would say them, by which they are found in it; where there is none, or they
    are not found, no word has a mark. Raises BadInput where nothing is spoken.
    """
    start, end = spoken_span(samples, rate)
    if end - start < 0.1 * rate:
        raise BadInput("Nothing is said in this recording.")
    cut = soft_edges(samples[start:end].astype(np.float32), rate)
    cut = at_kept_loudness(cut, measure(cut, rate, peaks=False).integrated)
    sound = hashlib.sha256((cut * 32767).astype("<i2").tobytes()).hexdigest()
    name = recipe_hash("recorded", sound=sound, rate=rate, words=" ".join(words.split()), version=VERSION)
    write_sound(store, f"{name}.wav", cut, rate)
    marks: tuple[Mark, ...] = ()
    if stand_in is not None:
        try:
            marks = find(cut, rate, replace(stand_in, words=words))
        except (BadInput, EngineError):
            # A whisper, or words that no voice of ours can say: it is still that person's take.
            marks = ()
    return Take(name, round(len(cut) / rate, 6), rate, round(measure(cut, rate, peaks=False).integrated, 3),
                tuple(WordMark(round(one.start, 4), round(one.end, 4), one.at, one.length) for one in marks))
