"""How well rich voices are understood in languages that none of them is at home in, as a recogniser heard it.

Which voice speaks a language best that nobody of them grew up with is found by ear, not by kinship: a Hindi reader
speaks German better than an English one. ``understanding.json`` is made by ``./janoglot measure-voices --tongues`` and
shipped.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from janoglot.core.errors import BadInput
from janoglot.core.languages import primary
from janoglot.core.speech.heard import compare
from janoglot.core.speech.intelligibility import sentences, understood
from janoglot.core.speech.measures import sentence
from janoglot.core.speech.voices import Voice

SHIPPED = Path(__file__).with_name("understanding.json")
_MOST_MISHEARD = 0.4
"""Of the sounds: beyond, a language is not offered."""


@dataclass(frozen=True, slots=True)
class Heard:
    """``error``: share of words (characters where there are no spaces) heard otherwise. ``sounds``: share of the
    sounds. ``native``: how surely it is taken for the language by who is not told."""

    error: float
    sounds: float
    native: float

    @property
    def understood(self) -> float:
        """The share that is understood, 0 to 1: of sounds, because who hears right may spell otherwise."""
        return max(0.0, 1.0 - self.sounds)


_NATIVES = "natives"
"""The row of a language's light voices, who are at home in it."""
_AS_GOOD = (0.05, 0.1)
"""Who is no worse than this beside the best, in errors and in being taken for the language, is understood as well; the
second where that leaves fewer than can be cast."""
_CLEARER = 0.5
"""Of the sounds that natives are misheard in."""
FEWEST_CAST = 6
"""Voices that a cast is made of."""


@cache
def _shipped() -> dict[str, dict[str, Heard]]:
    if not SHIPPED.exists():
        return {}
    told = json.loads(SHIPPED.read_text("utf-8"))
    return {language: {voice: Heard(*figures) for voice, figures in rows.items()} for language, rows in told.items()}


@cache
def measured() -> dict[str, dict[str, Heard]]:
    """By language, then by what a voice is a blend of: what was heard of rich ones, the best understood first."""
    return {language: {base: heard for base, heard in rows.items() if base != _NATIVES}
            for language, rows in _shipped().items()}


def natives_heard(language: str) -> Heard | None:
    """How the light voices were understood that are at home in a language; None where that was not measured."""
    return _shipped().get(primary(language), {}).get(_NATIVES)


@cache
def best_heard(language: str) -> Heard | None:
    """Of rich voices that are not at home in a language, whoever was understood best."""
    return min(measured().get(primary(language), {}).values(), key=_badly, default=None)


@cache
def heard_well(language: str) -> frozenset[str]:
    """The blends that are understood about as well as the best in a language that is not their own; and where these are
    too few for a cast, those that are still understood far better than its light natives."""
    best = best_heard(language)
    if best is None:
        return frozenset()
    for worse in _AS_GOOD:
        found = frozenset(base for base, heard in measured()[primary(language)].items()
                          if heard.error <= best.error + worse and heard.native >= best.native - worse)
        if len(found) >= FEWEST_CAST:
            return found
    light = natives_heard(language)
    return found if light is None else found | {
        base for base, heard in measured()[primary(language)].items() if heard.sounds <= _CLEARER * light.sounds}


@cache
def heard_speaking(base: str, language: str) -> Heard | None:
    """What was measured of a voice of this blend in a language that is not its own: how it is shaped tells less. None
    where nothing was."""
    return measured().get(primary(language), {}).get(base)


def spoken_without_home() -> tuple[str, ...]:
    """The languages that rich voices are offered in though none is at home there: those in which most of what the best
    of them says is heard right."""
    return tuple(language for language, rows in sorted(measured().items()) if any(
        heard.sounds <= _MOST_MISHEARD for heard in rows.values()))


def hear(voice: Voice, language: str, texts: Sequence[str]) -> Heard:
    """Have ``voice`` say ``texts`` and hear them. Raises RecogniserMissing."""
    found = understood(voice, language, texts)
    sounds = [compare(said, heard, language).error for said, heard in found.heard]
    return Heard(round(found.error, 3), round(sum(sounds) / len(sounds), 3), round(found.native, 3))


def measure_language(voices: Sequence[Voice], language: str, count: int = 8, best: int = 9) -> dict[str, Heard]:
    """Every one of ``voices`` over one text, then the ``best`` of them over ``count``: who is understood best there.

    Where there are no sentences of ours the languages' names are said. Raises RecogniserMissing.
    """
    try:
        texts = list(sentences(language))
    except BadInput:
        texts = [sentence(language)]
    first = {voice.id: hear(voice, language, texts[:1]) for voice in voices}
    chosen = sorted(voices, key=lambda one: _badly(first[one.id]))[:best]
    heard = {voice.base: hear(voice, language, texts[:count]) if len(texts) > 1 else first[voice.id]
             for voice in chosen}
    return dict(sorted(heard.items(), key=lambda row: row[1].sounds))


def _badly(heard: Heard) -> float:
    return 2 * heard.sounds + heard.error - heard.native


def write_shipped(language: str, heard: dict[str, Heard]) -> None:
    """Keep what was heard of ``language`` with the program, in the place of what was kept of it."""
    natives = natives_heard(language)
    every = {**_shipped(), primary(language): {**heard, **({_NATIVES: natives} if natives else {})}}
    told = {tag: {voice: [one.error, one.sounds, one.native] for voice, one in rows.items()}
            for tag, rows in sorted(every.items())}
    SHIPPED.write_text(json.dumps(told, indent=0) + "\n", "utf-8")
    for kept in (_shipped, measured, best_heard, heard_well):
        kept.cache_clear()
