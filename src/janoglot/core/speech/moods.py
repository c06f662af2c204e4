"""Moods: how a line should sound in a word, each a recipe over everything that an engine can do.

A mood is never one thing turned up. Its recipe (:class:`Mood`) says how it reads, at what height and pace, how bright
and how breathy it is, how its ends fall, and how loud it is in the mix. Recipes were found by search and by ear of
instruments: ``docs/directing.md`` has what was measured.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.speech.engines.base import Manner

MOST_MOODS = 6
"""Over one another on one line."""
Moods = tuple[tuple[str, float], ...]
"""Names with their strengths, 0 to 1.5; in the order of the names."""
STRONGEST = 1.5


@dataclass(frozen=True, slots=True)
class Mood:
    """``level_db`` is of the mix, not of the take."""

    manner: Manner
    level_db: float = 0.0


_LIVELY, _HUSHED = (("af_bella", 0.35),), (("af_nicole", 0.45),)

MOODS: Mapping[str, Mood] = {
    "calm": Mood(Manner(pace=0.86, pitch=-1.2, melody=0.75, pauses=1.3, tilt=-2.0, lively=0.7), -1.0),
    "warm": Mood(Manner(pace=0.94, pitch=-1.4, melody=1.15, tilt=-3.5, breath=0.15, final=1.15), -0.5),
    "bright": Mood(Manner(pace=1.05, pitch=1.6, melody=1.15, tilt=4.0, tract=1.02, fall=0.5, attack=0.3), 0.5),
    "joyful": Mood(Manner(pace=1.1, pitch=2.8, melody=1.5, tilt=2.5, lively=1.35, fall=1.0, readers=_LIVELY), 1.5),
    "excited": Mood(Manner(pace=1.22, pitch=4.0, melody=1.7, pauses=0.7, tilt=3.5, lively=1.45, energy=0.3,
                           attack=0.5), 3.0),
    "urgent": Mood(Manner(pace=1.32, pitch=1.8, melody=0.9, pauses=0.5, tilt=3.5, energy=0.3, final=0.85, attack=0.5),
                   2.0),
    "stern": Mood(Manner(pace=0.9, pitch=-2.4, melody=0.65, pauses=1.2, tilt=2.5, lively=0.8, fall=-1.5, attack=0.8),
                  2.5),
    "angry": Mood(Manner(pace=1.14, pitch=1.4, melody=1.4, pauses=0.7, tilt=6.0, rough=0.4, energy=0.5, attack=1.0,
                         fall=-1.0), 4.5),
    "afraid": Mood(Manner(pace=1.16, pitch=4.0, melody=0.75, pauses=1.2, breath=0.35, rough=0.5, tilt=-1.0, final=0.9),
                   -2.0),
    "sad": Mood(Manner(pace=0.82, pitch=-2.8, melody=0.5, pauses=1.4, tilt=-3.5, breath=0.2, lively=0.6, final=1.3,
                       fall=-1.0), -3.0),
    "tired": Mood(Manner(pace=0.74, pitch=-3.2, melody=0.5, pauses=1.7, tilt=-5.0, breath=0.35, lively=0.5, rough=0.1,
                         final=1.2, energy=-0.3, attack=-0.5), -4.5),
    "dry": Mood(Manner(pace=1.0, pitch=-1.2, melody=0.4, pauses=0.8, tilt=1.0, lively=0.45, final=0.9), -0.5),
    "mocking": Mood(Manner(pace=0.85, pitch=0.6, melody=1.85, tilt=3.0, lively=1.5, final=1.4, fall=1.5), -0.5),
    "secretive": Mood(Manner(pace=0.92, pitch=-0.8, melody=0.7, tilt=-2.0, breath=0.6, energy=-0.4, attack=-0.4,
                             readers=_HUSHED, timbres=(("af_nicole", 0.3),)), -6.0),
    "whispered": Mood(Manner(pace=0.9, melody=0.8, tilt=2.0, breath=0.2, whisper=1.0, readers=(("af_nicole", 0.6),),
                             timbres=(("af_nicole", 0.5),)), -8.0),
    "shouted": Mood(Manner(pace=0.93, pitch=6.0, melody=0.7, tilt=8.0, rough=0.2, energy=0.8, attack=1.2, final=1.2),
                    8.0),
    "gentle": Mood(Manner(pace=0.88, pitch=0.6, melody=0.85, pauses=1.2, tilt=-4.0, breath=0.3, energy=-0.2,
                          attack=-0.6, final=1.1), -3.5),
    "formal": Mood(Manner(pace=0.94, pitch=-1.0, melody=0.7, pauses=1.3, tilt=1.2, lively=0.8, attack=0.6), 1.5),
    "welcoming": Mood(Manner(pace=0.98, pitch=2.2, melody=1.3, tilt=-0.5, breath=0.12, lively=1.15, final=1.25,
                             fall=1.5, readers=(("af_heart", 0.3),)), 1.5),
    "announcing": Mood(Manner(pace=0.86, pitch=0.8, melody=1.2, pauses=1.5, tilt=5.0, energy=0.3, attack=0.8), 3.0),
}


def checked_moods(told: Any) -> Moods:
    """Moods from what somebody sent: a name and a strength each, or by name. A strength of 0 takes a mood away that
    lies beneath. Raises BadInput."""
    rows = told.items() if isinstance(told, dict) else [
        (one.get("mood"), one.get("strength", 1.0)) if isinstance(one, dict) else tuple(one) for one in told or ()]
    found = {}
    for name, strength in rows:
        if name not in MOODS:
            raise BadInput("There is no mood “{name}”. There are: {all}.", name=str(name)[:30], all=", ".join(MOODS))
        if not isinstance(strength, int | float) or isinstance(strength, bool) or not 0 <= strength <= STRONGEST:
            raise BadInput("“{name}” must lie between {low} and {high}.", name=name, low=0, high=STRONGEST)
        found[str(name)] = round(float(strength), 2)
    if len(found) > MOST_MOODS:
        raise BadInput("At most {most} moods may lie over one another.", most=MOST_MOODS)
    return tuple(sorted(found.items()))


def moods_of(kept: Iterable[Iterable[Any]]) -> Moods:
    """Moods as they are kept, checked when they were set."""
    return tuple((str(name), float(strength)) for name, strength in kept if name in MOODS)


def laid_over(layers: Iterable[Moods]) -> Moods:
    """Layers of moods, the nearest to the line last: of the same mood the nearest holds, and one at 0 is none."""
    found: dict[str, float] = {}
    for layer in layers:
        found.update(layer)
    if not found:
        return ()
    return tuple(sorted((name, strength) for name, strength in found.items() if strength))


def level_of(moods: Moods) -> float:
    """How much louder they are in the mix, in dB."""
    return round(sum(MOODS[name].level_db * strength for name, strength in moods), 2)


def manners_of(moods: Moods) -> list[tuple[Manner, float]]:
    return [(MOODS[name].manner, strength) for name, strength in moods]
