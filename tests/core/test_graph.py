from __future__ import annotations

import subprocess
import sys
from dataclasses import replace

import pytest

from janoglot.core.graph import recipe_hash
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines.base import Delivery
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
