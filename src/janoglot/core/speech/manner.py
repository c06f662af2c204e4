"""Manners put together, and what they come down to for an engine."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import replace

from janoglot.core.speech.engines.base import WHISPERED, Delivery, Manner, Shaping, WordMark

NEUTRAL = Manner()
_FACTORS = ("pace", "melody", "pauses", "tract", "lively", "final", "row")
_AMOUNTS = ("pitch", "tilt", "breath", "rough", "fall", "energy", "attack", "whisper")
_LIMITS = {"pace": (0.6, 1.6), "pitch": (-7.0, 9.0), "melody": (0.2, 2.2), "pauses": (0.3, 2.5), "tilt": (-9.0, 10.0),
           "breath": (0.0, 0.9), "rough": (0.0, 0.9), "tract": (0.9, 1.1), "lively": (0.2, 1.9), "final": (0.7, 1.8),
           "fall": (-5.0, 5.0), "energy": (-3.0, 3.0), "attack": (-2.0, 2.0), "whisper": (0.0, 1.0), "row": (0.3, 3.0)}
_MOST_LENT = 0.8
"""A voice keeps at least so much less than the whole of its own way of reading."""


def together(manners: Iterable[tuple[Manner, float]]) -> Manner:
    """Manners over one another, each as strong as it is said to be (1: as it is), within what stays speech. What is the
    same in the end is the same manner, in whatever order it was told."""
    # In one order: a sum of broken numbers is another one in another order, and may be rounded to another side.
    given = sorted(((manner, strength) for manner, strength in manners if strength), key=repr)
    if not given:
        return NEUTRAL
    values: dict[str, float] = {}
    for name in _FACTORS:
        product = 1.0
        for manner, strength in given:
            product *= getattr(manner, name) ** strength
        values[name] = product
    for name in _AMOUNTS:
        values[name] = sum(getattr(manner, name) * strength for manner, strength in given)
    kept = {name: round(min(high, max(low, values[name])), 3) for name, (low, high) in _LIMITS.items()}
    return Manner(**kept, readers=_lent(given, "readers"), timbres=_lent(given, "timbres"))


def _lent(given: Iterable[tuple[Manner, float]], which: str) -> tuple[tuple[str, float], ...]:
    shares: Counter[str] = Counter()
    for manner, strength in given:
        for name, share in getattr(manner, which):
            shares[name] += share * strength
    total = sum(shares.values())
    scale = min(1.0, _MOST_LENT / total) if total > 0 else 0.0
    return tuple(sorted((name, round(share * scale, 3)) for name, share in shares.items() if share * scale > 0.0005))


def applied(manner: Manner, shaping: Shaping, delivery: Delivery, words: str) -> tuple[Shaping, Delivery]:
    """What of a manner every engine can do by the shaping and the delivery that it knows; ``delivery`` keeps the
    manner for what only some can."""
    if manner == NEUTRAL:
        return shaping, delivery
    shaping = replace(shaping, tilt_db=round(shaping.tilt_db + manner.tilt, 2),
                      breath=round(min(1.0, shaping.breath + manner.breath), 3),
                      roughness=round(min(1.0, shaping.roughness + manner.rough), 3),
                      tract=round(shaping.tract * manner.tract, 4))
    marks = delivery.marks
    last = words.rfind(" ") + 1
    if manner.fall and manner.whisper < WHISPERED and words:
        marks = (*marks, WordMark("turn", last, len(words) - last, manner.fall))
    return shaping, replace(delivery, pace=round(delivery.pace * manner.pace, 4),
                            pitch=round(delivery.pitch + manner.pitch, 3),
                            melody=round(delivery.melody * manner.melody, 4),
                            pauses=round(delivery.pauses * manner.pauses, 3), marks=marks)
