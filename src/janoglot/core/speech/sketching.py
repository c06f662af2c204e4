"""The light voice that sketches for a rich one."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from janoglot.core.languages import distance
from janoglot.core.speech.engines import formant_engine
from janoglot.core.speech.engines.formant import FormantEngine
from janoglot.core.speech.kinds import nearest_kind
from janoglot.core.speech.voices import Voice


@lru_cache(maxsize=4096)
def sketch_voice(voice: Voice, language: str) -> Voice:
    """A voice of the formant engine that speaks ``language`` at the pitch, age and brightness of ``voice``."""
    bases = formant_engine().bases()
    base = min(bases, key=lambda one: (distance(language or voice.locale, one.locale), one.id))
    _, shaping = nearest_kind(voice.shaping.pitch_hz, voice.age)
    shaping = replace(shaping, pitch_hz=voice.shaping.pitch_hz, melody=shaping.melody * voice.shaping.melody,
                      tempo=1.0)
    return replace(voice, engine=FormantEngine.id, base=base.id, locale=base.locale, shaping=shaping, tongues=())
