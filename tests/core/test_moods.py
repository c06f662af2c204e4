"""Moods: what plain words ask for, how layers lie over one another, and what comes of them in the sound."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from janoglot.core.edition.model import (
    Edition,
    EditionCasting,
    EditionLine,
    EditionPart,
    PartDirection,
)
from janoglot.core.edition.standing import EditionStanding
from janoglot.core.errors import BadInput
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery, Manner
from janoglot.core.speech.manner import NEUTRAL, together
from janoglot.core.speech.mood_measures import FEATURES, differing, features_of
from janoglot.core.speech.mood_words import in_words, understood
from janoglot.core.speech.moods import MOODS, checked_moods, laid_over, level_of, manners_of
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import TakeRecipe

WORDS = "Nobody told me that the boat would leave before the tide."
STRENGTHS = st.dictionaries(st.sampled_from(sorted(MOODS)), st.sampled_from([0.4, 0.7, 1.0, 1.5]), max_size=4)


class TestPlainWords:
    @pytest.mark.parametrize(("told", "moods", "missed"), [
        ("tired, close to tears", {"tired": 1.0, "sad": 1.2}, ()),
        ("a little angry, but gently", {"angry": 0.5, "gentle": 1.0}, ()),
        ("Whispered; very afraid.", {"whispered": 1.0, "afraid": 1.4}, ()),
        ("as at a reception desk", {"welcoming": 1.0}, ()),
        ("warmly", {"warm": 1.0}, ()),
        ("not sad, rather crispy", {}, ("not sad", "crispy")),
        ("like a wet sponge", {}, ("wet", "sponge")),
        ("", {}, ()),
    ])
    def test_what_is_understood_and_what_is_not(self, told: str, moods: dict[str, float], missed: tuple[str, ...]) -> None:
        found = understood(told)
        assert (dict(found.moods), found.missed) == (moods, missed)

    def test_where_in_the_line(self) -> None:
        marks = understood("slow at the end, louder, rising at the end").marks("one two three four five six")
        assert {(mark.kind, mark.word, mark.count) for mark in marks} == {("pace", 4, 2), ("level", 0, 6), ("turn", 4, 2)}

    @given(STRENGTHS)
    def test_moods_written_in_words_are_read_again(self, moods: dict[str, float]) -> None:
        told = checked_moods(moods)
        assert understood(in_words(told)).moods == told

    def test_every_mood_can_be_asked_for_by_its_name(self) -> None:
        assert all(dict(understood(name).moods) == {name: 1.0} for name in MOODS)

    @given(st.text(max_size=200))
    def test_whatever_is_typed(self, told: str) -> None:
        understood(told)


class TestLayers:
    def test_the_nearest_holds_and_nothing_takes_away(self) -> None:
        assert laid_over([(("sad", 1.0), ("dry", 0.5)), (("sad", 0.4),), (("dry", 0.0), ("warm", 1.0))]) == (
            ("sad", 0.4), ("warm", 1.0))

    @pytest.mark.parametrize("told", [{"grumpy": 1.0}, {"sad": 2.0}, {"sad": "x"}, dict.fromkeys(list(MOODS)[:7], 1.0)])
    def test_what_is_no_mood_is_said(self, told: dict[str, float]) -> None:
        with pytest.raises(BadInput):
            checked_moods(told)

    def test_a_line_a_part_and_a_casting_in_that_order(self) -> None:
        part = EditionPart(7, "Quay")
        lines = [EditionLine(1, 1, 1, "Pilot", WORDS, part, moods=(("sad", 1.0),)), EditionLine(2, 2, 1, "Pilot", WORDS, part),
                 EditionLine(3, 3, 1, "Pilot", WORDS)]
        edition = Edition("en-GB", True, lines, {1: EditionCasting("buzzard", VoiceSettings(softer=0.2), moods=(("dry", 1.0),))},
                          part_directions={(7, 1): PartDirection((("softer", 0.9),), (("sad", 0.3),))})
        standing = EditionStanding(edition, {})
        assert [one.moods for one in standing.lines] == [
            (("dry", 1.0), ("sad", 1.0)), (("dry", 1.0), ("sad", 0.3)), (("dry", 1.0),)]
        assert [one.settings.softer for one in standing.lines] == [0.9, 0.9, 0.2]
        assert standing.lines[0].level_db < standing.lines[2].level_db


class TestManner:
    @example({"afraid": 1.0, "warm": 1.0, "angry": 1.0})
    @given(STRENGTHS)
    def test_the_same_told_in_another_order_is_the_same_take(self, moods: dict[str, float]) -> None:
        one = together(manners_of(tuple(moods.items())))
        other = together(manners_of(tuple(reversed(moods.items()))))
        assert one == other

    def test_nothing_is_nothing(self) -> None:
        assert together([]) == together([(MOODS["sad"].manner, 0.0)]) == NEUTRAL == Manner()

    def test_a_mood_makes_another_take_and_none_the_same_as_ever(self) -> None:
        voice = voice_named("buzzard")
        plain = TakeRecipe(WORDS, voice, VoiceSettings().delivery, "en-GB").hash
        assert TakeRecipe(WORDS, voice, VoiceSettings().delivery_in(), "en-GB").hash == plain
        assert TakeRecipe(WORDS, voice, VoiceSettings().delivery_in((("sad", 1.0),)), "en-GB").hash != plain

    @given(STRENGTHS)
    def test_moods_over_one_another_stay_speech(self, moods: dict[str, float]) -> None:
        made = together(manners_of(tuple(moods.items())))
        assert 0.6 <= made.pace <= 1.6 and 0 <= made.breath <= 0.9 and sum(share for _, share in made.readers) <= 0.81


SPREAD = {"pitch": 0.8, "range": 1.2, "pace": 3.7, "level": 1.0, "tilt": 0.25, "voicing": 0.25}
"""Of plain readings, as measured over variants (docs/directing.md)."""


@pytest.mark.parametrize("mood", ["whispered", "shouted", "sad", "urgent"])
def test_a_mood_is_heard_in_the_sound(mood: str) -> None:
    from janoglot.core.speech.mood_measures import Features

    engine, voice = engine_named("rich"), voice_named("hawfinch")
    plain = engine.speak(TakeRecipe(WORDS, voice, Delivery(), "en").utterance)
    said = engine.speak(TakeRecipe(WORDS, voice, Delivery(manner=together(manners_of(((mood, 1.0),)))), "en").utterance)
    neutral = features_of(plain.samples, plain.rate, plain.seconds, 0.0)
    heard = features_of(said.samples, said.rate, plain.seconds, level_of(((mood, 1.0),)))
    assert len(differing(neutral, heard, Features(**SPREAD))) >= 3
    if mood == "whispered":
        assert heard.voicing < 2.0 < neutral.voicing
    if mood == "shouted":
        assert heard.tilt > neutral.tilt + 4 and heard.pitch > neutral.pitch + 3
    assert np.abs(said.samples).max() <= 1.0
    assert set(FEATURES) == set(SPREAD)


def test_a_sketch_has_the_intention_too() -> None:
    """The light engine does what it can of a mood: a sad sketch is slower, lower and flatter than a plain one."""
    voice = voice_named("buzzard")
    recipes = [TakeRecipe(WORDS, voice, VoiceSettings().delivery_in(moods), "en-GB").sketch for moods in ((), (("sad", 1.0),))]
    plain, sad = [engine_named(recipe.voice.engine).speak(recipe.utterance) for recipe in recipes]
    one, other = (features_of(said.samples, said.rate, plain.seconds, 0.0) for said in (plain, sad))
    assert other.pace < one.pace and other.pitch < one.pitch and other.range < one.range


def test_livelier_and_steadier_by_the_network_s_own_means() -> None:
    engine, voice = engine_named("rich"), voice_named("hawfinch")
    ranges = []
    for livelier in (-1.0, 0.0, 1.0):
        recipe = TakeRecipe(WORDS, voice, VoiceSettings(livelier=livelier).delivery_in(), "en")
        hz = engine.melody(recipe.utterance).hz  # type: ignore[attr-defined]
        sung = 12 * np.log2(hz[hz > 0])
        ranges.append(float(np.percentile(sung, 85) - np.percentile(sung, 15)))
    assert ranges[0] < ranges[1] < ranges[2]


def test_variants_differ_and_are_the_same_anywhere() -> None:
    recipe = TakeRecipe(WORDS, voice_named("hawfinch"), Delivery(), "en")
    engine = engine_named("rich")
    sung = [engine.melody(replace(recipe, variant=number).utterance).hz for number in (0, 1, 2, 3, 1)]  # type: ignore[attr-defined]
    assert np.array_equal(sung[1], sung[4])
    assert len({one.tobytes() for one in sung}) == 4
    stressed = {replace(recipe, variant=number).utterance.delivery.emphasis for number in range(1, 8)}
    assert len(stressed) >= 3
