"""Measuring voices, and what a voice would say before it is cast."""

from __future__ import annotations

import logging

from janoglot.cast.recorded_speakers import keep_recorded_measure
from janoglot.core.errors import JanoglotError
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.measures import keep_measure
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import TakeRecipe
from janoglot.productions.jobs import JobKind, Piece, Stopped, register
from janoglot.productions.models import Speaker
from janoglot.productions.voices import voice_cast
from janoglot.server.storage import takes

log = logging.getLogger(__name__)


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
