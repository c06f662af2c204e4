"""A line laid out along its own time before any sound of it is made: when each word is said, and what will be sung."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from janoglot.core.speech.directing import words_of
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Mark, Melody
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.takes import TakeRecipe, written_marks


@dataclass(frozen=True, slots=True)
class StaveWord:
    """A word of the line as directing counts them, with the seconds from which and to which it is said."""

    text: str
    start: float
    end: float


@dataclass(frozen=True, slots=True)
class Stave:
    """``melody`` is None for an engine that only sings."""

    seconds: float
    words: tuple[StaveWord, ...]
    melody: Melody | None


def stave_of(recipe: TakeRecipe) -> Stave | None:
    """The stave of a line that is to be said so; None for an engine that knows nothing before its sound.

    Raises EngineError where nothing in the words can be said.
    """
    engine = engine_named(recipe.voice.engine)
    known = engine.lengths(recipe.utterance)
    if known is None:
        return None
    melody = engine.melody(recipe.utterance) if isinstance(engine, RichEngine) else None
    return Stave(known.seconds, stave_words(recipe.spoken_words, written_marks(known.words, recipe.respelled)),
                 melody)


def stave_words(text: str, marks: Sequence[Mark]) -> tuple[StaveWord, ...]:
    """The words of ``text`` along an engine's marks. Words that it says as one share its time by their letters, and one
    that is not said has none."""
    found, at, end = [], 0, 0.0
    for word in words_of(text):
        spans = []
        for mark in marks:
            begin, upto = max(at, mark.at), min(at + len(word), mark.at + mark.length)
            if begin < upto:
                each = (mark.end - mark.start) / mark.length
                spans.append((mark.start + each * (begin - mark.at), mark.start + each * (upto - mark.at)))
        start, end = (spans[0][0], spans[-1][1]) if spans else (end, end)
        found.append(StaveWord(word, round(start, 4), round(end, 4)))
        at += len(word) + 1
    return tuple(found)
