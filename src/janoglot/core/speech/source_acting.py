"""How lines are acted in the source recording, against the same speaker's other lines, and the moods that come nearest.

Each line is put beside the middle (median) of its speaker's lines by height, range, level, pace and how much of it is
voiced. Every mood's recipe says the same things of itself, so that a mood is proposed by the direction in which a line
lies: the recipe whose direction explains most of it, as strong as the line goes that way.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import astuple, dataclass, fields

import numpy as np
import numpy.typing as npt
import parselmouth
from scipy.signal import find_peaks

from janoglot.core.speech.engines.base import Samples
from janoglot.core.speech.moods import MOODS, STRONGEST, Moods

Floats = npt.NDArray[np.float64]
SHORTEST = 0.5
"""Seconds. Of less nothing is learnt."""
LEAST_LINES = 4
"""Of a speaker: of fewer there is no usual."""
_NOTED = 1.4
"""How far a line lies from its speaker's usual, in the scales below, before anything is proposed of it."""
_EXPLAINED = 0.45
"""The share of that which a mood must explain (the square of the cosine)."""
_WEAKEST = 0.3
_WHISPERED = 0.35
"""Of what is loud so little is voiced in a whisper, whose melody is then not measured."""


@dataclass(frozen=True, slots=True)
class LineSound:
    """``pitch``: median, semitones from 100 Hz; ``range``: 10 to 90 % of it, semitones (both NaN in a whisper);
    ``level``: dB; ``pace``: syllables a second, by the peaks of its loudness (de Jong and Wempe 2009); ``voiced``:
    share of what is loud."""

    pitch: float
    range: float
    level: float
    pace: float
    voiced: float


_SCALE = LineSound(1.5, 2.0, 2.5, 0.12, 0.12)
"""What is one step of each: about what a speaker's plain lines differ by. Pace by its logarithm."""
_FIELDS = tuple(one.name for one in fields(LineSound))


@dataclass(frozen=True, slots=True)
class Proposal:
    """``away``: how far the line is from its speaker's usual, in the units of :class:`LineSound` (pace as a factor)."""

    moods: Moods
    away: Mapping[str, float]


def line_sound(samples: Samples, rate: int) -> LineSound | None:
    """One line of the recording, mono; None where it is too short, or nobody speaks in it."""
    if len(samples) < SHORTEST * rate:
        return None
    sound = parselmouth.Sound(samples.astype(np.float64), rate)
    step = 0.01
    hz = sound.to_pitch_ac(time_step=step, pitch_floor=60, pitch_ceiling=600).selected_array["frequency"]
    level = sound.to_intensity(minimum_pitch=60, time_step=step).values[0]
    count = min(len(hz), len(level))
    hz, level = hz[:count], level[:count]
    if not count or not np.isfinite(level).all():
        return None
    loud = level > np.percentile(level, 95) - 25
    sung = hz[loud & (hz > 0)]
    if loud.sum() * step < SHORTEST * 0.6 or not len(sung):
        return None
    semitones = 12 * np.log2(sung / 100)
    voiced = float((hz[loud] > 0).mean())
    if voiced < _WHISPERED:
        # What a tracker finds in a whisper is nobody's melody.
        semitones = np.array([np.nan])
    peaks, _ = find_peaks(level, prominence=2.0, height=float(np.percentile(level, 95) - 25), distance=6)
    pace = max(1, len(peaks)) / (loud.sum() * step)
    return LineSound(float(np.median(semitones)), float(np.percentile(semitones, 90) - np.percentile(semitones, 10)),
                     float(10 * np.log10((10 ** (level[loud] / 10)).mean())), float(pace),
                     voiced)


def proposals(lines: Mapping[int, LineSound]) -> dict[int, Proposal]:
    """By line, what is proposed of one speaker's ``lines``; of those that are as usual nothing is."""
    if len(lines) < LEAST_LINES:
        return {}
    rows = np.array([astuple(one) for one in lines.values()])
    rows[:, _FIELDS.index("pace")] = np.log(rows[:, _FIELDS.index("pace")])
    usual = np.nanmedian(rows, axis=0)
    found = {}
    for line, row in zip(lines, rows, strict=True):
        away = np.nan_to_num(row - usual)
        moods = _nearest(away / np.array(astuple(_SCALE)))
        if moods:
            told = dict(zip(_FIELDS, (round(float(value), 2) for value in away), strict=True))
            found[line] = Proposal(moods, {**told, "pace": round(float(np.exp(away[_FIELDS.index("pace")])), 2)})
    return found


def _nearest(away: Floats) -> Moods:
    far = float(np.linalg.norm(away))
    if far < _NOTED:
        return ()
    best: tuple[float, str, float] = (0.0, "", 0.0)
    for name, direction in _DIRECTIONS.items():
        along = float(away @ direction) / float(direction @ direction)
        explained = (float(away @ direction) / (far * float(np.linalg.norm(direction)))) ** 2
        if along > 0 and explained > best[0]:
            best = (explained, name, along)
    explained, name, along = best
    strength = round(min(STRONGEST, along), 1)
    return ((name, strength),) if explained >= _EXPLAINED and strength >= _WEAKEST else ()


def _direction(name: str) -> Floats:
    """Where a mood lies from the plain reading, in the scales of a line."""
    mood = MOODS[name]
    manner = mood.manner
    usual_range = 6.0
    told = (manner.pitch, usual_range * (manner.melody - 1.0), mood.level_db, float(np.log(manner.pace)),
            -0.5 * manner.whisper - 0.25 * manner.breath)
    direction: Floats = np.array(told) / np.array(astuple(_SCALE))
    return direction


_DIRECTIONS: Mapping[str, Floats] = {name: _direction(name) for name in MOODS}


def spans_of(samples_rate: int, slot: tuple[float, float]) -> tuple[int, int]:
    """The samples of a slot: first, and how many."""
    return round(slot[0] * samples_rate), round((slot[1] - slot[0]) * samples_rate)


def by_speaker(speakers: Mapping[int, int], sounds: Mapping[int, LineSound]) -> dict[int, Proposal]:
    """:func:`proposals` of every speaker's lines; ``speakers`` by line."""
    of: dict[int, dict[int, LineSound]] = {}
    for line, sound in sounds.items():
        of.setdefault(speakers[line], {})[line] = sound
    found: dict[int, Proposal] = {}
    for lines in of.values():
        found |= proposals(lines)
    return found
