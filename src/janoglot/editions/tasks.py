"""Saying a recipe for somebody who waits for it; what is made is kept like any other sound."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from celery import shared_task
from django.core.cache import cache

from janoglot.core.errors import EngineError
from janoglot.core.speech.recipe_json import recipe_as_json, recipe_from_json
from janoglot.core.speech.takes import Quality, TakeRecipe, finish_key, kept_take, make_sound, sketch_key
from janoglot.server.storage import takes
from janoglot.server.work import NOW, SOON, Work, hand_out, require_queue

_ASKED_AGAIN = 20
"""Seconds after which what was asked for and has not come is asked for again."""


@shared_task(base=Work)
def hear_recipe(told: dict[str, Any], quality: Quality) -> None:
    """Have a recipe spoken, as a sketch or finished, at its natural length. Safe to run twice."""
    recipe = recipe_from_json(told)
    try:
        take = kept_take(recipe, takes())
        make_sound(recipe, take.seconds, take.seconds, quality, takes())
    except EngineError as error:
        why = str(error)
        takes().write(_fault_key(recipe), lambda place: _write(place, why))


def ask_for(recipe: TakeRecipe) -> tuple[dict[Quality, str], str]:
    """Have ``recipe`` said, unless somebody has just asked for the same, and what can be heard of it now, or why it
    cannot be said. A rich voice is heard as a sketch first. Raises QueueAway, with nothing begun."""
    there, fault = auditions(recipe), audition_fault(recipe)
    if "finish" in there or fault:
        return there, fault
    require_queue()
    # Who asks again is waiting for the same.
    if cache.add(f"audition-{recipe.hash}", True, _ASKED_AGAIN):
        told = recipe_as_json(recipe)
        if recipe.voice.is_rich and "sketch" not in there:
            hand_out(hear_recipe, told, "sketch", queue=NOW)
        hand_out(hear_recipe, told, "finish", queue=SOON if recipe.voice.is_rich else NOW)
    return auditions(recipe), ""


def auditions(recipe: TakeRecipe) -> dict[Quality, str]:
    """What can be heard of ``recipe`` now: the store's keys, by quality. Of a light voice there is no sketch."""
    store = takes()
    if not store.has(f"{recipe.hash}.json") or not (recipe.voice.is_rich or store.has(f"{recipe.hash}.wav")):
        return {}
    seconds = kept_take(recipe, store).seconds
    keys: dict[Quality, str] = {"finish": finish_key(recipe, seconds, seconds)}
    if recipe.voice.is_rich:
        keys["sketch"] = sketch_key(recipe, seconds)
    return {quality: key for quality, key in keys.items() if store.has(key)}


def audition_fault(recipe: TakeRecipe) -> str:
    """Why it cannot be said; "" where nobody has found that it cannot."""
    store = takes()
    return store.path(_fault_key(recipe)).read_text() if store.has(_fault_key(recipe)) else ""


def _fault_key(recipe: TakeRecipe) -> str:
    return f"{recipe.hash}.fault"


def _write(place: Path, text: str) -> None:
    place.write_text(text)
