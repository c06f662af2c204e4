from __future__ import annotations

import subprocess
import sys
from dataclasses import dataclass, field, replace

import pytest

from janoglot.core.graph import recipe_hash
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import TakeRecipe, rendition_key


def test_equal_inputs_hash_alike_in_another_process() -> None:
    here = recipe_hash("take", words="Mareas", rate=1.15, marks=[(1, 2.5)], nothing=None)
    code = 'from janoglot.core.graph import recipe_hash as h; ' \
           'print(h("take", nothing=None, marks=((1, 2.5),), rate=1.15, words="Mareas"))'
    there = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True,
                           env={"PYTHONPATH": "src", "PYTHONHASHSEED": "7"}).stdout.strip()
    assert here == there
    assert recipe_hash("mix", words="Mareas", rate=1.15, marks=[(1, 2.5)], nothing=None) != here


def test_a_float_that_went_through_a_database_is_the_same() -> None:
    assert recipe_hash("x", pace=1.1) == recipe_hash("x", pace=1.1 + 1e-13)
    assert recipe_hash("x", pace=1.1) != recipe_hash("x", pace=1.11)


def test_what_cannot_be_hashed_is_refused() -> None:
    with pytest.raises(TypeError, match="object"):
        recipe_hash("x", thing=object())


def test_a_take_is_named_by_all_that_it_is_made_from_and_nothing_else() -> None:
    voice = voice_named("curlew")
    base = TakeRecipe("Mind the third step.", voice)
    assert base.hash == TakeRecipe("  Mind the\nthird step. ", voice).hash
    others = [
        TakeRecipe("Mind the fourth step.", voice),
        TakeRecipe("Mind the third step.", voice_named("wren")),
        TakeRecipe("Mind the third step.", voice, Delivery(pace=1.1)),
        TakeRecipe("Mind the third step.", replace(voice, shaping=replace(voice.shaping, breath=0.2))),
    ]
    assert len({base.hash, *(other.hash for other in others)}) == 5
    assert TakeRecipe("Mind the third step.", replace(voice, name="Otter", age="20s")).hash == base.hash


def test_a_rendition_of_natural_length_is_the_take_itself() -> None:
    assert rendition_key("abc", 2.0, 2.004) == "abc.wav"
    assert rendition_key("abc", 1.8, 2.0) != "abc.wav"
    assert rendition_key("abc", 1.8, 2.0) == rendition_key("abc", 1.8002, 2.0)


def _as_of_old(recipe: TakeRecipe) -> str:
    """A take's name as the first version worked it out: every field that it knew, and no other."""
    shaping, delivery = recipe.voice.shaping, recipe.delivery
    voice = recipe_hash("voice", engine=recipe.voice.engine, base=recipe.voice.base, shaping={
        name: getattr(shaping, name) for name in
        ("pitch_hz", "melody", "tract", "tilt_db", "breath", "roughness", "tempo", "source")})
    tongue = {"language": recipe.language} if recipe.voice.is_rich else {}
    return recipe_hash("take", words=recipe.spoken_words, voice=voice, engine=engine_named(recipe.voice.engine).version,
                       delivery={name: getattr(delivery, name) for name in
                                 ("pace", "pitch", "melody", "pauses", "emphasis", "pauses_at")}, **tongue)


@pytest.mark.parametrize("recipe", [
    TakeRecipe("The tide is turning.", voice_named("curlew"), language="en-GB"),
    TakeRecipe("La marea.", voice_named("azor"), Delivery(pace=1.1, pitch=-1, melody=1.2, pauses=0.8), "es-MX"),
    TakeRecipe("The tide, said Pell.", VoiceSettings(brighter=2, younger=0.3).shaped(voice_named("bittern")),
               Delivery(emphasis=((4, 4, 1.0),), pauses_at=((10, 0.4),)), "en-GB"),
])
def test_takes_of_today_keep_their_names(recipe: TakeRecipe) -> None:
    assert recipe.hash == _as_of_old(recipe)


def test_a_field_that_is_added_leaves_every_name_as_it_was() -> None:
    @dataclass(frozen=True)
    class Grown(Delivery):
        whisper: float = 0.0
        marks: tuple[str, ...] = field(default_factory=tuple)

    for known in (Delivery(), Delivery(pace=1.2, emphasis=((0, 3, 1.0),))):
        grown = Grown(*(getattr(known, name) for name in Delivery.IN_EVERY_RECIPE))
        assert recipe_hash("take", delivery=grown) == recipe_hash("take", delivery=known)
        assert recipe_hash("take", delivery=replace(grown, whisper=0.4)) != recipe_hash("take", delivery=known)


def test_a_choice_of_takes_is_in_the_recipe() -> None:
    plain = TakeRecipe("Mind the third step.", voice_named("curlew"))
    others = [replace(plain, variant=number) for number in range(6)]
    assert others[0].hash == plain.hash
    assert len({one.hash for one in others}) == 6
    assert len({one.utterance.delivery for one in others}) == 6
    assert all(abs(one.utterance.delivery.pace - 1) <= 0.07 for one in others)
