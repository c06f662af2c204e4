"""A guide read: its words found, followed by another voice, and bad recordings told."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from janoglot.core.errors import BadInput
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.directing import directed, marks_of
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery, Guide, Spoken
from janoglot.core.speech.guide import STEP, faults_of, prosody_of, read_guide
from janoglot.core.speech.recipe_json import recipe_as_json, recipe_from_json
from janoglot.core.speech.takes import TakeRecipe

WORDS = "Mind the third step, it is loose and it will tell me that you are here."
LINE = TakeRecipe(WORDS, voice_named("blackcap"), Delivery(), "en-GB")


def said(recipe: TakeRecipe) -> Spoken:
    return engine_named(recipe.voice.engine).speak(recipe.utterance)


@pytest.fixture(scope="module")
def guide() -> Spoken:
    """Another voice, with a pause where the line has none, slow words and a lifted one."""
    marks = marks_of([{"kind": "pace", "word": 4, "count": 3, "amount": 0.75}, {"kind": "gap", "word": 7, "amount": 0.4},
                      {"kind": "lift", "word": 12, "amount": 4}], WORDS)
    return said(replace(LINE, voice=voice_named("cormorant"), delivery=directed(Delivery(), marks, WORDS)))


@pytest.fixture(scope="module")
def followed(guide: Spoken) -> tuple[TakeRecipe, Spoken]:
    found = read_guide(guide.samples, guide.rate, LINE, None)
    assert found.by_word and not found.faults
    recipe = replace(LINE, delivery=Delivery(guide=Guide(found.words)))
    return recipe, said(recipe)


def test_words_begin_when_the_guide_s_do(guide: Spoken, followed: tuple[TakeRecipe, Spoken]) -> None:
    _, spoken = followed
    starts = [np.array([mark.start for mark in one.words]) for one in (guide, spoken)]
    off = np.abs((starts[1] - starts[1][0]) - (starts[0] - starts[0][0]))
    assert np.mean(off <= 0.04) >= 0.9
    plain = np.array([mark.start for mark in said(LINE).words])
    assert np.abs((plain - plain[0]) - (starts[0] - starts[0][0])).max() > 0.3, "the two read differently, or this proves nothing"


def test_the_melody_is_the_guide_s_about_the_voice_s_own_height(guide: Spoken, followed: tuple[TakeRecipe, Spoken]) -> None:
    _, spoken = followed
    sung = [prosody_of(one.samples, one.rate).semitones for one in (guide, spoken)]
    pairs = []
    for one, other in zip(guide.words, spoken.words, strict=True):
        for share in np.linspace(0.05, 0.95, 20):
            places = [int((mark.start + share * (mark.end - mark.start)) / STEP) for mark in (one, other)]
            if all(place < len(track) for place, track in zip(places, sung, strict=True)):
                pairs.append([track[place] for place, track in zip(places, sung, strict=True)])
    both = np.array([pair for pair in pairs if not np.isnan(pair).any()])
    assert np.corrcoef(both.T)[0, 1] >= 0.9


def test_nothing_is_followed_at_nought_and_half_lies_between(guide: Spoken, followed: tuple[TakeRecipe, Spoken]) -> None:
    recipe, whole = followed
    plain = said(LINE)
    lengths = []
    for share in (0.0, 0.5):
        told = replace(recipe.delivery.guide, timing=share, melody=share, energy=share)
        lengths.append(said(replace(recipe, delivery=Delivery(guide=told))).seconds)
    assert lengths[0] == pytest.approx(plain.seconds, abs=0.06)
    assert min(plain.seconds, whole.seconds) <= lengths[1] <= max(plain.seconds, whole.seconds)


def test_a_guide_in_another_language_is_followed_by_phrase() -> None:
    theirs = said(TakeRecipe("Cuidado con el tercer escalón. Está flojo, y me dirá que estás aquí.", voice_named("urraca"), Delivery(pace=0.8), "es-MX"))
    found = read_guide(theirs.samples, theirs.rate, LINE, None, "es-MX")
    assert found.words and not found.by_word
    spoken = said(replace(LINE, delivery=Delivery(guide=Guide(found.words))))
    assert abs(spoken.seconds - theirs.seconds) < abs(said(LINE).seconds - theirs.seconds)


def test_other_words_are_told(guide: Spoken) -> None:
    found = read_guide(guide.samples, guide.rate, LINE, "something quite different was said by somebody here")
    assert [one.code for one in found.faults] == ["other_words"] and not found.by_word


@pytest.mark.parametrize(("change", "code"), [
    (lambda sound: sound * 0.0002, "too_quiet"), (lambda sound: np.clip(sound * 40, -1, 1), "clipped"),
    (lambda sound: sound + np.random.default_rng(1).normal(0, 0.06, len(sound)), "noise"),
    (lambda sound: sound[:2000], "too_short"), (lambda sound: np.tile(sound, 20), "too_long")])
def test_bad_recordings_get_a_plain_word(guide: Spoken, change: object, code: str) -> None:
    samples = change(guide.samples.astype(np.float64)).astype(np.float32)  # type: ignore[operator]
    assert code in [one.code for one in faults_of(samples, guide.rate)]
    assert not faults_of(guide.samples, guide.rate)


def test_silence_and_noise_hold_no_voice() -> None:
    with pytest.raises(BadInput):
        prosody_of(np.random.default_rng(2).normal(0, 0.1, 24_000).astype(np.float32), 24_000)


def test_a_recipe_with_a_guide_is_written_down_and_read_again(followed: tuple[TakeRecipe, Spoken]) -> None:
    import json

    recipe, _ = followed
    assert recipe_from_json(json.loads(json.dumps(recipe_as_json(recipe)))) == recipe
    assert recipe.hash != LINE.hash
