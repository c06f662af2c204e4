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
_FEWEST = 5
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


@cache
def measured() -> dict[str, dict[str, Heard]]:
    """By language, then by what a voice is a blend of: what was heard, the best understood first."""
    if not SHIPPED.exists():
        return {}
    told = json.loads(SHIPPED.read_text("utf-8"))
    return {language: {voice: Heard(*figures) for voice, figures in rows.items()} for language, rows in told.items()}


@cache
def heard_speaking(base: str, language: str) -> Heard | None:
    """What was measured of a voice of this blend in a language that is not its own: how it is shaped tells less. None
    where nothing was, or where so few were measured that it says something of the language alone."""
    rows = measured().get(primary(language), {})
    return rows.get(base) if len(rows) >= _FEWEST else None


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
    every = {**measured(), primary(language): heard}
    told = {tag: {voice: [one.error, one.sounds, one.native] for voice, one in rows.items()}
            for tag, rows in sorted(every.items())}
    SHIPPED.write_text(json.dumps(told, indent=0) + "\n", "utf-8")
    measured.cache_clear()
