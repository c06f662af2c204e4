"""Hearing a voice before it is cast."""

from __future__ import annotations

from celery import shared_task

from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.takes import TakeRecipe, kept_take, make_rendition
from janoglot.server.storage import takes


@shared_task
def say(words: str, voice: str, pace: float = 1.0, pitch: float = 0.0, language: str = "") -> str:
    """The store's key of ``words`` in ``voice``, spoken where it is missing."""
    recipe = TakeRecipe(words, voice_named(voice), Delivery(pace=pace, pitch=pitch), language)
    take = kept_take(recipe, takes())
    return make_rendition(recipe, take.seconds, take.seconds, takes())
