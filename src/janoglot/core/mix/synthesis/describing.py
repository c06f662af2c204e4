"""What a description of a sound says, in plain English: which generators, and how they are set."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import regex
from rapidfuzz import fuzz, process

from janoglot.core.mix.synthesis.base import Generator
from janoglot.core.mix.synthesis.library import GENERATORS, MOST_PARTS, Part

_NEAR_ENOUGH = 80
_TOLD = json.loads(Path(__file__).with_suffix(".json").read_text())
_MANNERS: Mapping[str, Mapping[str, float]] = _TOLD["manners"]
"""What a word moves, and whither: parameters by name, as a share of the way from the lowest to the highest."""
_PLACES: Mapping[str, Sequence[tuple[str, float]]] = _TOLD["places"]
"""Places are several sounds, each with its level in dB."""
_AT_NIGHT: Mapping[str, Sequence[tuple[str, float]]] = _TOLD["at_night"]
_PASSED_OVER = frozenset(_TOLD["passed_over"])
_NUMBERS = {word: number for number, word in enumerate(
    ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"), 1)}
_COUNTED = ("times", "strokes")
_STROKES = frozenset(("stroke", "strokes", "time", "times"))
_STRUCK_ONCE, _STRUCK_ON = regex.compile(r"\bbell\b"), regex.compile(r"\b(?:toll\w*|ring\w*|strik\w*|peal\w*)\b")
"""One bell is heard once, unless it goes on."""


@dataclass(frozen=True, slots=True)
class Described:
    """``parts``: what was understood. ``missed``: words that were not; ``near``: sounds whose names come near them."""

    parts: tuple[Part, ...]
    missed: tuple[str, ...]
    near: tuple[str, ...]


def described(text: str) -> Described:
    """A description such as "heavy rain on a tin roof, distant thunder": parted at commas, "and" and "with"."""
    parts: list[Part] = []
    missed: list[str] = []
    for phrase in regex.split(r"[,;.]|\band\b|\bwith\b|\bthen\b", text.casefold()):
        words = regex.findall(r"[\p{L}’'-]+|\d+", phrase)
        if not words:
            continue
        found, used = _sounds(phrase, words)
        manners = [word for word in words if word in _MANNERS]
        if not found:
            # Of what was said last: "footsteps, slow", "a bell, three strokes".
            counted = {word for word in words if word in _NUMBERS or word.isdigit() or word in _STROKES}
            if parts and (manners or counted):
                parts[-1] = _set(parts[-1], manners, words)
                used |= {*manners, *counted}
            missed += [word for word in words if word not in used and word not in _PASSED_OVER]
            continue
        if _STRUCK_ONCE.search(phrase) and not _STRUCK_ON.search(phrase):
            found = [Part(part.sound, {**part.settings, "strokes": 1.0}, part.level_db) if any(
                one.name == "strokes" for one in GENERATORS[part.sound].parameters) else part for part in found]
        for part in found:
            same = next((number for number, one in enumerate(parts) if one.sound == part.sound), None)
            if same is None:
                parts.append(_set(part, manners, words))
            else:
                parts[same] = _set(parts[same], manners, words)
        known = used | set(manners) | set(_PASSED_OVER) | set(_NUMBERS)
        missed += [word for word in words if word not in known and not word.isdigit()]
    near = {name for word in missed for name, score, _ in process.extract(word, _NAMES, scorer=fuzz.ratio, limit=2)
            if score >= 55}
    return Described(tuple(parts[:MOST_PARTS]), tuple(dict.fromkeys(missed)),
                     tuple(sorted({_NAMES_OF[name] for name in near})))


def _sounds(phrase: str, words: list[str]) -> tuple[list[Part], set[str]]:
    """The sounds that a phrase names, the longest name first, and the words that it took."""
    for place, sounds in _PLACES.items():
        if place in words:
            chosen = _AT_NIGHT.get(place, sounds) if "night" in words else sounds
            return [Part(name, {}, level) for name, level in chosen], {place}
    for name in sorted(_NAMES, key=lambda one: -len(one)):
        if regex.search(rf"(?<!\p{{L}}){regex.escape(name)}(?!\p{{L}})", phrase):
            return [Part(_NAMES_OF[name])], set(name.split())
    for word in words:
        if word in _PASSED_OVER or word in _MANNERS or len(word) < 4:
            continue
        best = process.extractOne(word, _NAMES, scorer=fuzz.ratio, score_cutoff=_NEAR_ENOUGH)
        if best:
            return [Part(_NAMES_OF[best[0]])], {word}
    return [], set()


def _set(part: Part, manners: list[str], words: list[str]) -> Part:
    generator: Generator = GENERATORS[part.sound]
    settings = dict(part.settings)
    for one in generator.parameters:
        told = [one.low + _MANNERS[word][one.name] * (one.high - one.low) for word in manners
                if one.name in _MANNERS[word]]
        if told:
            # Of several words the one that says most.
            settings[one.name] = round(max(told, key=lambda value, one=one: abs(value - one.usual)), 3)  # type: ignore[misc]
        if one.name in _COUNTED:
            for word in words:
                count = _NUMBERS.get(word) or (int(word) if word.isdigit() and len(word) < 3 else 0)
                if one.low <= count <= one.high:
                    settings[one.name] = float(count)
    return Part(part.sound, settings, part.level_db)


_NAMES_OF: Mapping[str, str] = {word: one.name for one in GENERATORS.values() for word in (one.name, *one.words)}
_NAMES = list(_NAMES_OF)
