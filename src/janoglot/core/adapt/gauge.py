"""How long words will be when they are spoken, before anybody voices them, and what would make them fit."""

from __future__ import annotations

import math
from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock
from typing import Literal

from janoglot.core.adapt.syllables import syllables
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.trimming import trim

Standing = Literal["spare", "fits", "fast", "over"]

_MOST_KEPT = 4_000
_known: OrderedDict[str, float] = OrderedDict()
_lock = Lock()


def predicted_seconds(recipe: TakeRecipe) -> float:
    """The natural length of the take that ``recipe`` would make: the very same, by the engine itself.

    Nothing is kept of the sound; lengths are, for those who type the same again. Raises EngineError.
    """
    with _lock:
        if recipe.hash in _known:
            _known.move_to_end(recipe.hash)
            return _known[recipe.hash]
    engine = engine_named(recipe.voice.engine)
    lengths = engine.lengths(recipe.utterance)
    seconds = lengths.seconds if lengths else trim(engine.speak(recipe.utterance)).seconds
    with _lock:
        _known[recipe.hash] = seconds
        while len(_known) > _MOST_KEPT:
            _known.popitem(last=False)
    return seconds


@dataclass(frozen=True, slots=True)
class Gauge:
    """``natural`` in seconds; ``slot`` and ``room`` (the slot and the silence that may be used after it) or None.

    ``over``: seconds too long for the room at the fastest rate that is allowed, below nothing where there is room to
    spare. ``trim``: about how many syllables less would be said in comfort.
    """

    natural: float
    slot: float | None
    room: float | None
    rate: float
    over: float
    standing: Standing
    syllables: int
    trim: int


def gauge(words: str, language: str, natural: float, slot: float | None, room: float | None, comfortable: float,
          hard: float) -> Gauge:
    """How ``words`` of this natural length stand in their slot."""
    count = syllables(words, language)
    if slot is None or room is None or not natural:
        return Gauge(natural, slot, room, 1.0, 0.0, "fits", count, 0)
    rate = max(1.0, natural / max(room, 0.05))
    over = natural / hard - room
    standing: Standing = "over" if over > 0.005 else "fast" if rate > comfortable + 0.002 else (
        "spare" if natural < 0.75 * slot else "fits")
    less = 1 - comfortable * room / natural
    trim_by = max(1, math.ceil(less * count - 0.25)) if standing in ("over", "fast") and count else 0
    return Gauge(natural, slot, room, round(rate, 4), round(over, 3), standing, count, min(trim_by, max(0, count - 1)))
