"""Stressed words of a recording, and which words of a translation say them."""

from __future__ import annotations

from dataclasses import replace

import pytest

from janoglot.core.adapt.word_alignment import align_words
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.directing import directed, marks_of
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.source_stress import stressed_words
from janoglot.core.speech.takes import TakeRecipe

WORDS = "Nobody told me that the boat would leave before the tide."
LINE = TakeRecipe(WORDS, voice_named("blackcap"), Delivery(), "en-GB")


@pytest.mark.parametrize("word", [1, 7, 10])
def test_a_word_that_stands_out_is_found(word: int) -> None:
    marks = marks_of([{"kind": "pace", "word": word, "amount": 0.6}, {"kind": "lift", "word": word, "amount": 4.0},
                      {"kind": "level", "word": word, "amount": 4.0}], WORDS)
    spoken = engine_named("rich").speak(replace(LINE, delivery=directed(Delivery(), marks, WORDS)).utterance)
    found = stressed_words(spoken.samples, spoken.rate, LINE)
    assert word in [one.word for one in found]
    assert all(0.75 <= one.amount <= 2 for one in found) and len(found) <= 2
    plain = engine_named("rich").speak(LINE.utterance)
    by_itself = {one.word: one.steps for one in stressed_words(plain.samples, plain.rate, LINE)}
    assert next(one.steps for one in found if one.word == word) > by_itself.get(word, 0.0) + 1


def test_of_two_words_there_is_no_telling() -> None:
    short = replace(LINE, words="Not now.")
    spoken = engine_named("rich").speak(short.utterance)
    assert stressed_words(spoken.samples, spoken.rate, short) == ()


PAIRS = [("The museum sends a boat.", "El museo manda una barca."), ("The clock is late.", "El reloj va tarde."),
         ("The museum has a clock.", "El museo tiene un reloj."), ("A boat is never late.", "Una barca nunca va tarde."),
         ("Nobody sends Imka a clock.", "Nadie manda un reloj a Imka."), ("The boat has a clock.", "La barca tiene un reloj.")]


def test_words_say_what_they_stand_opposite_to_again_and_again() -> None:
    found = align_words(PAIRS)
    said = {(source.split()[one.source].strip("."), target.split()[one.target].strip("."))
            for (source, target), row in zip(PAIRS, found, strict=True) for one in row}
    assert {("museum", "museo"), ("clock", "reloj"), ("boat", "barca"), ("late", "tarde"), ("Imka", "Imka")} <= said
    assert not {("museum", "reloj"), ("clock", "museo"), ("boat", "reloj")} & said
    assert all(0 < one.sure <= 1 for row in found for one in row)


def test_nothing_says_nothing() -> None:
    assert align_words([("", "x y"), ("x y", ""), ("", "")]) == [[], [], []] and align_words([]) == []
