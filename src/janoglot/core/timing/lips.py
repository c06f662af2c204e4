"""How well a wording agrees with the mouth that is seen: where lips close, where they meet the teeth, where the mouth
opens wide.

Sounds are grouped by how they look (Fisher, "Confusions among visually perceived consonants", 1968: p, b, m look alike,
and so do f, v); of vowels only the open ones are told. When a sound comes is known by its word: within a word sounds
share its time by their usual lengths. What is not seen here: how far the picture's own mouth really opens, rounding,
the tongue, and everything about a face that is turned away. The source's mouth is taken from its words, not from the
picture.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from janoglot.core.speech.sounds import VOWELS, said
from janoglot.core.speech.takes import WordMark

Shape = Literal["closed", "teeth", "open"]

_SHAPES: dict[str, Shape] = {
    **dict.fromkeys("pbmɓʙ", "closed"), **dict.fromkeys("fvɱʋ", "teeth"), **dict.fromkeys("aɑæɐɒä", "open"),
}
_WEIGHT: dict[Shape, float] = {"closed": 2.0, "teeth": 1.2, "open": 1.0}
"""Lips that meet when none should, or the reverse, are seen first."""
_ALIKE = {("closed", "teeth"): 0.4, ("teeth", "closed"): 0.4}
_TOLERANCE = 0.10
"""Seconds at which an agreement counts for about a third: two to three frames are what an eye forgives."""
_NEAR = 0.30
_LONG, _VOWEL, _CONSONANT = 1.9, 1.4, 1.0


@dataclass(frozen=True, slots=True)
class MouthShape:
    """Seconds, at the middle of the sound."""

    at: float
    shape: Shape


@dataclass(frozen=True, slots=True)
class Agreement:
    """``score`` from 0 to 1; None where neither mouth does anything that can be told. ``nudge`` is by how many seconds
    a later (earlier, below nothing) start would agree best, within what was allowed, and ``nudged`` the score then."""

    score: float | None
    nudge: float = 0.0
    nudged: float | None = None


def mouth_shapes(words: str, language: str, marks: Sequence[WordMark], seconds: float) -> list[MouthShape]:
    """What the lips do while ``words`` are said in ``seconds``. ``marks`` are the words' own times; without them words
    share the time by their length."""
    spoken = said(words, language)
    times = {mark.at: (mark.start, mark.end) for mark in marks}
    found: list[MouthShape] = []
    whole = sum(_length(word.ipa) for word in spoken) or 1.0
    passed = 0.0
    for word in spoken:
        length = _length(word.ipa)
        start, end = times.get(word.at, (seconds * passed / whole, seconds * (passed + length) / whole))
        passed += length
        found += _in_word(word.ipa, start, end)
    return found


def _sounds(ipa: str) -> list[tuple[str, float]]:
    sounds: list[tuple[str, float]] = []
    for ch in ipa:
        if ch in "ːˑ" and sounds:
            sounds[-1] = (sounds[-1][0], _LONG)
        elif ch.isalpha() and ch not in "ˈˌʲʰʷˠˤ":
            sounds.append((ch, _VOWEL if ch in VOWELS else _CONSONANT))
    return sounds


def _length(ipa: str) -> float:
    return sum(length for _, length in _sounds(ipa)) or 0.5


def _in_word(ipa: str, start: float, end: float) -> list[MouthShape]:
    whole = _length(ipa)
    found, passed = [], 0.0
    for symbol, length in _sounds(ipa):
        shape = _SHAPES.get(symbol)
        if shape:
            found.append(MouthShape(round(start + (end - start) * (passed + length / 2) / whole, 3), shape))
        passed += length
    return found


def agreement(source: Sequence[MouthShape], dub: Sequence[MouthShape], early: float = 0.0,
              late: float = 0.0) -> Agreement:
    """How well two mouths agree that begin at the same time, and which start within ``early`` and ``late`` of it would
    do best. A shape finds one partner at the most, in order: twice what is agreed on by all that there is."""
    if not source and not dub:
        return Agreement(None)
    score = _score(source, dub, 0.0)
    best, at = score, 0.0
    steps = range(-round(early / 0.01), round(late / 0.01) + 1)
    for step in sorted(steps, key=abs):
        moved = _score(source, dub, step * 0.01)
        # What cannot be seen is not worth moving anybody.
        if moved > best + 0.005:
            best, at = moved, step * 0.01
    return Agreement(round(score, 4), round(at, 3), round(best, 4))


def _score(source: Sequence[MouthShape], dub: Sequence[MouthShape], shift: float) -> float:
    total = sum(_WEIGHT[one.shape] for one in (*source, *dub))
    if not total:
        return 0.0
    # The best pairing in order, as sequences are aligned.
    row = [0.0] * (len(dub) + 1)
    for one in source:
        before = row
        row = [0.0] * (len(dub) + 1)
        for k, other in enumerate(dub):
            row[k + 1] = max(row[k], before[k + 1], before[k] + _agreed(one, other, shift))
    return 2 * row[-1] / total


def _agreed(one: MouthShape, other: MouthShape, shift: float) -> float:
    away = abs(other.at + shift - one.at)
    if away > _NEAR:
        return 0.0
    alike = 1.0 if one.shape == other.shape else _ALIKE.get((one.shape, other.shape), 0.0)
    return alike * min(_WEIGHT[one.shape], _WEIGHT[other.shape]) * math.exp(-((away / _TOLERANCE) ** 2))


def ranked(source: Sequence[MouthShape], takes: Sequence[Sequence[MouthShape]]) -> list[int]:
    """The indices of ``takes``, the one that agrees best with the source first; ties stay in their order."""
    return sorted(range(len(takes)), key=lambda k: (-(agreement(source, takes[k]).score or 0.0), k))
