"""Hearing a voice before it is cast."""

from __future__ import annotations

import logging

from celery import shared_task

from janoglot.core.errors import JanoglotError
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.measures import keep_measure
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import TakeRecipe, kept_take, make_rendition
from janoglot.server.storage import takes

log = logging.getLogger(__name__)


@shared_task
def say(words: str, voice: str, settings: dict[str, float], language: str = "") -> str:
    """The store's key of ``words`` in ``voice``, set so, spoken where it is missing."""
    recipe = audition_recipe(words, voice, settings, language)
    take = kept_take(recipe, takes())
    return make_rendition(recipe, take.seconds, take.seconds, takes())


def audition_recipe(words: str, voice: str, settings: dict[str, float], language: str) -> TakeRecipe:
    chosen = VoiceSettings().over(settings)
    return TakeRecipe(words, chosen.shaped(voice_named(voice)), chosen.delivery, language)


@shared_task
def measure_voices(voices: list[str]) -> None:
    """Measure voices that nobody has measured yet, so that they are matched by ear and no longer by guess."""
    for voice in voices:
        try:
            keep_measure(voice_named(voice), takes())
        except (JanoglotError, ValueError):
            log.warning("a voice could not be measured", extra={"voice": voice})
