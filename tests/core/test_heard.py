"""What was heard is held against what is written by its sounds: faults are found, and what only looks otherwise is none."""

from __future__ import annotations

import random

import pytest

from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Utterance
from janoglot.core.speech.heard import compare, is_heard_right
from janoglot.core.speech.intelligibility import sentences
from janoglot.core.speech.recogniser import recognise


@pytest.mark.parametrize(("words", "heard", "language"), [
    ("The third step is loose.", "the 3rd step is loose", "en-GB"), ("Room 12, on the left.", "Room twelve on the left.", "en-GB"),
    ("Grey harbours.", "Gray harbors", "en-GB"), ("Mind it, Imka!", "mind it imka", "en-GB"), ("C'est à eux.", "C'est à E.", "fr-FR"),
    ("पानी आया है।", "پانی آیا ہے", "hi-IN"), ("他在这里。", "她在這裡", "zh-CN")])
def test_what_is_written_otherwise_counts_little(words: str, heard: str, language: str) -> None:
    found = compare(words, heard, language)
    assert found.error <= 0.25 if language == "fr-FR" else found.error < 0.1
    assert found.text == heard


def test_lost_replaced_and_added_words_are_named() -> None:
    words = "Nobody comes here at night."
    lost = compare(words, "Nobody comes here", "en-GB")
    assert [words[one.at: one.at + one.length] for one in lost.otherwise] == ["at", "night"]
    replaced = compare(words, "Nobody sings here at night", "en-GB")
    assert [(words[one.at: one.at + one.length], one.heard) for one in replaced.otherwise] == [("comes", "sings")]
    added = compare(words, "Nobody comes here at night tomorrow", "en-GB")
    assert [(one.at, one.length, one.heard) for one in added.otherwise] == [(len(words), 0, "tomorrow")]
    assert not any(is_heard_right(one.error, one.otherwise, "en-GB") for one in (lost, replaced, added))
    assert is_heard_right(*(lambda one: (one.error, one.otherwise))(compare(words, "nobody comes here at night", "en-GB")), "en-GB")


def test_nothing_heard_and_nothing_written() -> None:
    assert compare("Mind it.", "", "en-GB").error == 1.0
    assert compare("", "Mind it.", "en-GB").error > 0
    assert compare("…", "", "en-GB").error == 0.0


@pytest.mark.parametrize(("language", "voice"), [pytest.param("en-GB", "nightingale", marks=pytest.mark.afresh), ("es-MX", "tecolote"), ("it-IT", "codirosso"), ("pt-BR", "uirapuru")])
def test_planted_faults_are_found_and_good_lines_are_not_doubted(language: str, voice: str) -> None:
    """Six lines of which each is spoken once; the faults are a word replaced and an end cut off."""
    chosen, engine, chance = voice_named(voice), engine_named("rich"), random.Random(3)
    said = sentences(language)[2:14:2]
    other = [word for text in sentences(language)[1::2] for word in text.strip(".?¿!").split() if len(word) > 5]
    good = found = faults = 0
    for words in said:
        spoken = engine.speak(Utterance(words, chosen.base, chosen.shaping, language=language))
        heard = recognise(spoken.samples, spoken.rate, language)
        one = compare(words, heard, language)
        good += is_heard_right(one.error, one.otherwise, language)
        pieces = words.split()
        pieces[max(range(len(pieces)), key=lambda at: len(pieces[at]))] = chance.choice(other)
        for text, what in ((" ".join(pieces), heard), (words, " ".join(heard.split()[:-1]))):
            one = compare(text, what, language)
            faults += 1
            found += not is_heard_right(one.error, one.otherwise, language)
    assert good >= len(said) - 1
    assert found >= faults - 1
