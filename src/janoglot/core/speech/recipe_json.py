"""A take's recipe written down, for whoever makes the take somewhere else or later."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from janoglot.core.speech.engines.base import Delivery, Guide, GuideWord, Manner, WordMark
from janoglot.core.speech.readings import Reading
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.voices import Voice


def recipe_as_json(recipe: TakeRecipe) -> dict[str, Any]:
    return {"words": recipe.words, "voice": recipe.voice.as_json(), "delivery": asdict(recipe.delivery),
            "language": recipe.language, "foreign": recipe.foreign, "variant": recipe.variant,
            **({"like": recipe_as_json(recipe.like), "like_spans": recipe.like_spans} if recipe.like else {})}


def recipe_from_json(told: dict[str, Any]) -> TakeRecipe:
    """Raises KeyError and the like for one of another version."""
    return TakeRecipe(told["words"], Voice.from_json(told["voice"]), _delivery(told["delivery"]), told["language"],
                      tuple((words, language) for words, language in told["foreign"]), told.get("variant", 0),
                      recipe_from_json(told["like"]) if told.get("like") else None,
                      tuple((at, there, length) for at, there, length in told.get("like_spans", ())))


def _delivery(told: dict[str, Any]) -> Delivery:
    return Delivery(**{**told, "emphasis": tuple(map(tuple, told["emphasis"])),
                       "pauses_at": tuple(map(tuple, told["pauses_at"])),
                       "marks": tuple(WordMark(**mark) for mark in told.get("marks", ())),
                       "readings": tuple(Reading(**one) for one in told.get("readings", ())),
                       "guide": guide_from_json(told.get("guide", {})),
                       "manner": _manner(told.get("manner", {}))})


def guide_from_json(told: dict[str, Any]) -> Guide:
    return Guide(**{**told, "words": tuple(
        GuideWord(**{**word, "melody": tuple(word["melody"])}) for word in told.get("words", ()))})


def _manner(told: dict[str, Any]) -> Manner:
    return Manner(**{**told, **{name: tuple((style, share) for style, share in told.get(name, ()))
                                for name in ("readers", "timbres")}})
