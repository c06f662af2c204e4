"""Kinds of light voice, from which the catalogue and the sketches take theirs."""

from __future__ import annotations

import math

from janoglot.core.speech.engines.base import Shaping
from janoglot.core.speech.voices import AGES

# Kinds of voice, from low to high. Within one language no two share both a pitch and a colour.
KINDS: dict[str, tuple[str, Shaping]] = {
    "deep": ("60s", Shaping(pitch_hz=76, melody=0.85, tract=0.88, tilt_db=-3, roughness=0.4, tempo=0.93)),
    "grave": ("50s", Shaping(pitch_hz=90, melody=0.8, tract=0.95, tilt_db=-7, tempo=0.96)),
    "weathered": ("70s", Shaping(pitch_hz=104, melody=1.2, tract=0.93, tilt_db=2, breath=0.35, roughness=0.9,
                                 tempo=0.9)),
    "steady": ("40s", Shaping(pitch_hz=110, melody=0.95, tract=0.97, source="klatt2")),
    "plain": ("30s", Shaping(pitch_hz=126, melody=1.0, tract=1.0, tilt_db=1)),
    "keen": ("20s", Shaping(pitch_hz=143, melody=1.25, tract=1.03, tilt_db=6, tempo=1.05)),
    "velvet": ("40s", Shaping(pitch_hz=160, melody=0.95, tract=1.06, tilt_db=-8, breath=0.3, tempo=0.97)),
    "aged": ("70s", Shaping(pitch_hz=178, melody=1.3, tract=1.04, tilt_db=-1, roughness=1.0, tempo=0.9)),
    "clear": ("30s", Shaping(pitch_hz=196, melody=1.05, tract=1.11, tilt_db=2)),
    "airy": ("20s", Shaping(pitch_hz=212, melody=1.1, tract=1.13, tilt_db=0, breath=0.7, tempo=1.02)),
    "bright": ("20s", Shaping(pitch_hz=236, melody=1.3, tract=1.15, tilt_db=6, tempo=1.04)),
    "teen": ("teen", Shaping(pitch_hz=258, melody=1.2, tract=1.17, source="klatt3", tempo=1.06)),
    "child": ("child", Shaping(pitch_hz=300, melody=1.3, tract=1.26, tilt_db=2, tempo=1.0)),
}


def nearest_kind(pitch_hz: float, age: str) -> tuple[str, Shaping]:
    """The age and shaping of the kind that is nearest in pitch, and in age where two are near."""
    return min(KINDS.values(), key=lambda kind: abs(12 * math.log2(kind[1].pitch_hz / pitch_hz))
               + 0.8 * abs(AGES.index(kind[0]) - AGES.index(age)))
