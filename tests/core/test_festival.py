"""Festival's voices, as Debian packages them; set-up for the tests installs one."""

from __future__ import annotations

import pytest

from janoglot.core.errors import EngineError
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery, Shaping, Utterance
from janoglot.core.speech.engines.festival import _marks, festival_voices
from janoglot.core.speech.engines.vits import NEUTRAL, heard_seconds
from janoglot.core.speech.intelligibility import error_rate
from janoglot.core.speech.recogniser import recognise

WORDS = "The old clock stands at the end of the harbour wall. Please wait here."


def said(words: str = WORDS, **delivery: float) -> Utterance:
    return Utterance(words, "kal_diphone", Shaping(NEUTRAL), Delivery(**delivery), "en-US")


def test_it_is_found_and_offered_beside_ours() -> None:
    assert festival_voices()["kal_diphone"].locale == "en-US"
    voice = voice_named("festival-kal-diphone")
    assert (voice.name, voice.engine, voice.is_rich) == ("Kal", "festival", False)
    assert voice.licence_at.startswith("/usr/share/doc/festvox-kal")


def test_it_is_understood_and_its_words_have_their_times() -> None:
    spoken = engine_named("festival").speak(said())
    assert error_rate(WORDS, recognise(spoken.samples, spoken.rate, "en-US"), "en") < 0.35
    assert [WORDS[mark.at: mark.at + mark.length] for mark in spoken.words] == WORDS.replace(".", "").split()
    assert all(one.start < one.end <= spoken.seconds for one in spoken.words)
    assert [mark.start for mark in spoken.words] == sorted(mark.start for mark in spoken.words)


def test_pace_and_a_wanted_length_are_heeded() -> None:
    engine = engine_named("festival")
    plain = engine.speak(said())
    natural = heard_seconds(plain.samples, plain.rate)
    quick = engine.speak(said(pace=1.25))
    assert heard_seconds(quick.samples, quick.rate) == pytest.approx(natural / 1.25, rel=0.06)
    slot = engine.speak(said(), 1.1 * natural)
    assert heard_seconds(slot.samples, slot.rate) == pytest.approx(1.1 * natural, rel=0.06)


def test_words_are_words_and_no_program() -> None:
    engine = engine_named("festival")
    spoken = engine.speak(said('The tide ") (quit) (print "is" \\ out'))
    assert spoken.seconds > 1.0 and len(spoken.words) > 3


def test_what_cannot_be_said_is_told() -> None:
    engine = engine_named("festival")
    with pytest.raises(EngineError, match="nothing that this voice can say"):
        engine.speak(said("…!"))
    with pytest.raises(EngineError, match="not on this machine"):
        engine.speak(Utterance("Tide.", "gone_diphone"))


def test_an_end_that_is_not_told_is_where_the_next_begins() -> None:
    marks = _marks("the tide turns", "the\t0.1 0.2\ntide\t0.2 0.0\nodd\t0.4 0.5\nturns\t0.6 0.0\n", 1.0)
    assert [(mark.start, mark.end, mark.at) for mark in marks] == [(0.1, 0.2, 0), (0.2, 0.6, 4), (0.6, 1.0, 9)]
