"""Hearing a voice before it is cast."""

from __future__ import annotations

import logging
from pathlib import Path

from celery import shared_task

from janoglot.cast.recorded_speakers import keep_recorded_measure
from janoglot.core.errors import EngineError, JanoglotError
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.measures import keep_measure
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import Quality, TakeRecipe, finish_key, kept_take, make_sound, sketch_key
from janoglot.productions.jobs import JobKind, Piece, Stopped, register
from janoglot.productions.models import Speaker
from janoglot.productions.voices import voice_cast
from janoglot.server.storage import takes
from janoglot.server.work import Work

log = logging.getLogger(__name__)


@shared_task(base=Work)
def say(words: str, voice: str, settings: dict[str, float], language: str, quality: Quality) -> None:
    """Have ``words`` spoken in ``voice``, set so: as a sketch or finished. Safe to run twice."""
    recipe = audition_recipe(words, voice, settings, language)
    try:
        take = kept_take(recipe, takes())
        make_sound(recipe, take.seconds, take.seconds, quality, takes())
    except EngineError as error:
        why = str(error)
        # Kept beside where the sound would be, for whoever waits for it.
        takes().write(fault_key(recipe), lambda place: _write(place, why))


def audition(recipe: TakeRecipe) -> dict[Quality, str]:
    """What can be heard of ``recipe`` now: the store's keys, by quality. Of a light voice there is no sketch."""
    store = takes()
    if not store.has(f"{recipe.hash}.json"):
        return {}
    seconds = kept_take(recipe, store).seconds if recipe.voice.is_rich or store.has(f"{recipe.hash}.wav") else None
    if seconds is None:
        return {}
    keys: dict[Quality, str] = {"finish": finish_key(recipe, seconds, seconds)}
    if recipe.voice.is_rich:
        keys["sketch"] = sketch_key(recipe, seconds)
    return {quality: key for quality, key in keys.items() if store.has(key)}


def fault_key(recipe: TakeRecipe) -> str:
    return f"{recipe.hash}.fault"


def _write(place: Path, text: str) -> None:
    place.write_text(text)


def audition_recipe(words: str, voice: str, settings: dict[str, float], language: str) -> TakeRecipe:
    chosen = VoiceSettings().over(settings)
    return TakeRecipe(words, chosen.shaped(voice_cast(voice) or voice_named(voice)), chosen.delivery, language)


def measure_voices(piece: Piece) -> None:
    """Measure voices that nobody has measured yet, so that they are matched by ear and no longer by guess. The numbers
    are speakers: what they sound like in the recording."""
    for voice in piece.items:
        if not piece.wanted():
            raise Stopped
        try:
            if isinstance(voice, int):
                keep_recorded_measure(Speaker.objects.get(pk=voice))
                continue
            keep_measure(voice_cast(voice) or voice_named(voice), takes())
        except (JanoglotError, ValueError, Speaker.DoesNotExist, OSError, RuntimeError) as error:
            # The sound library's errors are RuntimeErrors.
            log.warning("a voice could not be measured", extra={"voice": voice})
            piece.fault(str(voice), str(error))


MEASURING = register(JobKind("measure", measure_voices))
