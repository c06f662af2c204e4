"""Giving voices to speakers: who still needs one, and which suits."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence

from janoglot.core.errors import BadInput
from janoglot.core.languages import distance, english_name
from janoglot.core.speech.catalogue import catalogue, voices_for
from janoglot.core.speech.voices import AGES, Voice

# Semitones of pitch, and thirds of a vocal tract, weigh about alike in telling two voices apart.
_TRACT_WEIGHT = 90.0
_TILT_WEIGHT = 0.35


def apart(one: Voice, other: Voice) -> float:
    """How far two voices sound apart, about in semitones, from how they are shaped."""
    a, b = one.shaping, other.shaping
    return math.hypot(
        12 * math.log2(a.pitch_hz / b.pitch_hz), _TRACT_WEIGHT * math.log(a.tract / b.tract),
        _TILT_WEIGHT * (a.tilt_db - b.tilt_db), 4 * (a.breath - b.breath), 3 * (a.roughness - b.roughness),
        2.0 * (a.source != b.source), 2.5 * (one.engine == other.engine == "rich" and one.base != other.base),
    )


def cast_rest(
    speakers: Sequence[str], language: str, taken: Mapping[str, str], like: Mapping[str, str] | None = None,
    avoid: Collection[str] = (),
) -> dict[str, str]:
    """A voice id for every speaker of ``speakers`` that ``taken`` gives none.

    ``speakers`` come with the one who speaks most first. ``like`` gives each speaker's voice in another
    edition: the choice keeps near it in register and age, so that a deep Keeper stays deep. Voices
    already used are taken again only where the language has no more. Children's voices go only to who
    has one elsewhere, or when nothing else is left. Rich voices go before light ones: they are what is
    delivered. Deterministic.

    Raises BadInput where no voice on this machine speaks the language.
    """
    candidates = voices_for(language)
    if not candidates:
        raise BadInput("No voice on this machine speaks {language}.", language=english_name(language))
    voices = catalogue()
    used = set(taken.values()) | set(avoid)
    chosen: dict[str, str] = {}
    for speaker in speakers:
        if taken.get(speaker):
            continue
        model = voices.get((like or {}).get(speaker, ""))
        in_cast = [voices[v] for v in (*taken.values(), *chosen.values()) if v in voices]

        def cost(voice: Voice, model: Voice | None = model, in_cast: list[Voice] = in_cast) -> tuple[float, str]:
            total = 100.0 * (voice.id in used) + 60.0 * (not voice.is_rich)
            # A rich voice takes the accent of whichever place the words are from.
            total += 0.0 if voice.is_rich else 1.5 * distance(language, voice.locale)
            nearest = min((apart(voice, other) for other in in_cast), default=12.0)
            total += 40.0 / (1.0 + nearest)
            if model:
                total += 0.8 * apart(voice, model) + 1.0 * abs(AGES.index(voice.age) - AGES.index(model.age))
            else:
                total += 30.0 * (voice.age == "child") + 4.0 * (voice.age in ("teen", "70s"))
            return total, voice.id

        best = min(candidates, key=cost)
        chosen[speaker] = best.id
        used.add(best.id)
    return chosen
