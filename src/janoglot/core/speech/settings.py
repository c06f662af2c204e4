"""How a voice is set for a speaker, and otherwise for a line: the same things for either."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.settings import bounds_of, setting
from janoglot.core.speech.engines.base import Delivery, Manner
from janoglot.core.speech.manner import together
from janoglot.core.speech.moods import Moods, level_of, manners_of
from janoglot.core.speech.voices import Voice, register_of

_TRACT = 0.09
_PITCH = 2.0
_SOFT, _SOFT_DB = Manner(tilt=-5.0, breath=0.25, energy=-0.4, attack=-0.8, pace=0.96), -4.0
_LIVELY = Manner(lively=1.25, melody=1.4, pace=1.03)
"""The reading goes further from the middle of all readings, and what it sings with it: of some blends the network alone
would sing less. A voice keeps its sound, so that it is still the same person."""


@dataclass(frozen=True, slots=True)
class VoiceSettings:
    """``pace`` multiplies the voice's speed, ``melody`` the range of its pitch, ``pauses`` their lengths; ``pitch``
    is in semitones, ``level_db`` in dB. Timbre: ``brighter`` lifts (+) or darkens (−) what lies above 2 kHz, in dB;
    ``breathier`` adds breath, 0–1; ``younger`` runs from older (−1) to younger (+1), by a shorter vocal tract and a
    higher pitch; ``rougher`` makes the larynx unsteady, ``softer`` takes
    force, brightness and level away, both 0–1. ``livelier`` runs from steadier (−1) to livelier (+1): how far the
    reading goes from the middle of all readings."""

    pace: float = setting(1.0, 0.7, 1.4)
    pitch: float = setting(0.0, -6.0, 6.0)
    melody: float = setting(1.0, 0.2, 2.0)
    pauses: float = setting(1.0, 0.3, 3.0)
    level_db: float = setting(0.0, -12.0, 12.0)
    brighter: float = setting(0.0, -6.0, 6.0)
    breathier: float = setting(0.0, 0.0, 0.6)
    younger: float = setting(0.0, -1.0, 1.0)
    rougher: float = setting(0.0, 0.0, 0.8)
    softer: float = setting(0.0, 0.0, 1.0)
    livelier: float = setting(0.0, -1.0, 1.0)

    @property
    def delivery(self) -> Delivery:
        return Delivery(pace=round(self.pace, 3), pitch=round(self.pitch, 3), melody=round(self.melody, 3),
                        pauses=round(self.pauses, 3))

    def delivery_in(self, moods: Moods = ()) -> Delivery:
        """How a line is said with these settings and in these moods."""
        return _delivery_in(self, moods)

    def level_in(self, moods: Moods = ()) -> float:
        """dB in the mix, the voice's own being none."""
        return round(self.level_db + level_of(moods) + _SOFT_DB * self.softer, 2)

    def shaped(self, voice: Voice) -> Voice:
        """``voice`` with this timbre; itself where nothing of it is set."""
        if not (self.brighter or self.breathier or self.younger):
            return voice
        shaping = voice.shaping
        return replace(voice, shaping=replace(
            shaping, tilt_db=round(shaping.tilt_db + self.brighter, 2),
            breath=round(min(1.0, shaping.breath + self.breathier), 3),
            tract=round(shaping.tract * (1 + _TRACT * self.younger), 4),
            pitch_hz=round(shaping.pitch_hz * 2 ** (_PITCH * self.younger / 12), 2)))

    def kept_as(self, voice: Voice) -> tuple[dict[str, Any], VoiceSettings]:
        """What of ``voice`` is another so that it sounds by itself as it does with these settings, timbre and pitch;
        and what is left of the settings then."""
        shaping = self.shaped(voice).shaping
        pitch = round(shaping.pitch_hz * 2 ** (self.pitch / 12), 2)
        left = replace(self, pitch=0.0, brighter=0.0, breathier=0.0, younger=0.0)
        return {"shaping": replace(shaping, pitch_hz=pitch), "register": register_of(pitch)}, left

    def over(self, given: Mapping[str, float | None]) -> VoiceSettings:
        """These settings with those of ``given`` that are not None."""
        return replace(self, **{name: value for name, value in given.items()
                                if value is not None and name in VOICE_BOUNDS})


@lru_cache(maxsize=1024)
def _delivery_in(settings: VoiceSettings, moods: Moods) -> Delivery:
    return replace(settings.delivery, manner=together([
        *manners_of(moods), (_SOFT, settings.softer), (Manner(rough=1.0), settings.rougher),
        (_LIVELY, settings.livelier)]))


VOICE_BOUNDS = bounds_of(VoiceSettings)
SETTINGS = tuple(VOICE_BOUNDS)


def checked_voice_settings(given: Mapping[str, Any]) -> dict[str, float]:
    """The settings in ``given`` as numbers. Raises BadInput for one that is none or outside its limits."""
    found = {}
    for name in SETTINGS:
        if given.get(name) in (None, ""):
            continue
        try:
            value = float(given[name])
        except (TypeError, ValueError):
            raise BadInput("“{value}” is no number for {name}.", value=str(given[name])[:30], name=name) from None
        low, high = VOICE_BOUNDS[name]
        if not low <= value <= high:
            raise BadInput("{name} runs from {low:g} to {high:g}, not {value:g}.", name=name, low=low, high=high,
                           value=value)
        found[name] = value
    return found
