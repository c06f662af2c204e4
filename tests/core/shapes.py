"""How far voices are apart by how they are shaped, whatever was measured of them."""

from __future__ import annotations

import math

from janoglot.core.speech.voices import Voice

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
