"""Modest music to lay under speech, composed by rules: a progression of chords by mood, a tune of four-bar phrases that
come again, a bass, a figure, and a cadence at its end.

The harmony is the textbooks' (functions and cadences of major and minor, and of the Dorian mode); a tune takes notes of
the chord on strong beats and steps between them on weak ones, in an arch (Huron, *The melodic arch*, 1996). The same
number makes the same piece anywhere; it is always said to be made by the program, and free to use.
"""

from __future__ import annotations

import re
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args

import numpy as np
from scipy import signal

from janoglot.core.errors import BadInput
from janoglot.core.graph import recipe_hash
from janoglot.core.mix.rooms import response_of
from janoglot.core.mix.synthesis.base import RATE, Floats, Stereo, levelled, put, ring, without_lows
from janoglot.core.mix.synthesis.instruments import INSTRUMENTS

VERSION = 1
MusicMood = Literal["calm", "hopeful", "sad", "tense", "mysterious", "playful", "solemn", "lively"]
MUSIC_MOODS: tuple[MusicMood, ...] = get_args(MusicMood)
SHORTEST, LONGEST = 12.0, 600.0
_SCALES = {"major": (0, 2, 4, 5, 7, 9, 11), "minor": (0, 2, 3, 5, 7, 8, 10), "dorian": (0, 2, 3, 5, 7, 9, 10)}
_NOTES = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
_TAIL = 3.0
"""Seconds that the last chord rings."""
_BEATS = 4


@dataclass(frozen=True, slots=True)
class _Manner:
    """What a mood is in music: a scale, a tempo, progressions of four bars by degrees (0 is the tonic), who plays, and
    how often a tune moves."""

    scale: str
    tempo: float
    phrases: tuple[tuple[int, int, int, int], ...]
    instruments: tuple[str, ...]
    busy: float
    hard: float


_MANNERS: Mapping[MusicMood, _Manner] = {
    "calm": _Manner("major", 66, ((0, 3, 0, 4), (5, 3, 1, 4)), ("pad", "piano", "bass"), 0.4, 0.35),
    "hopeful": _Manner("major", 84, ((0, 4, 5, 3), (3, 0, 1, 4)), ("piano", "strings", "plucked", "bass"), 0.65, 0.5),
    "sad": _Manner("minor", 60, ((0, 5, 3, 4), (3, 0, 5, 4)), ("strings", "piano", "bass"), 0.4, 0.35),
    "tense": _Manner("minor", 96, ((0, 0, 5, 4), (0, 3, 5, 4)), ("strings", "bass", "brush"), 0.25, 0.7),
    "mysterious": _Manner("dorian", 72, ((0, 3, 0, 6), (5, 3, 0, 4)), ("bells", "pad", "bass"), 0.45, 0.4),
    "playful": _Manner("major", 112, ((0, 3, 4, 0), (5, 1, 4, 4)), ("plucked", "flute", "bass", "brush"), 0.85, 0.55),
    "solemn": _Manner("minor", 54, ((0, 3, 4, 0), (5, 2, 3, 4)), ("strings", "bells", "bass"), 0.3, 0.5),
    "lively": _Manner("major", 126, ((0, 4, 5, 3), (0, 3, 1, 4)), ("plucked", "piano", "bass", "brush"), 0.9, 0.65),
}


@dataclass(frozen=True, slots=True)
class Composition:
    """A piece to be made. ``tempo``: beats a minute. ``tonic``: 0 is C. Empty ``instruments`` are the mood's."""

    mood: MusicMood = "calm"
    tempo: float = 0.0
    tonic: int = 2
    scale: str = ""
    instruments: tuple[str, ...] = ()
    seconds: float = 60.0

    @property
    def manner(self) -> _Manner:
        return _MANNERS[self.mood]


def composition_of(told: Any) -> Composition:
    """Of JSON: ``{"mood", "tempo", "key", "instruments", "seconds"}``. Raises BadInput."""
    row = told if isinstance(told, dict) else {}
    mood = row.get("mood", "calm")
    if mood not in MUSIC_MOODS:
        raise BadInput("Music here is one of: {moods}. “{mood}” is none of them.", moods=", ".join(MUSIC_MOODS),
                       mood=str(mood)[:30])
    told_names = row.get("instruments")
    names = tuple(str(one) for one in (told_names if isinstance(told_names, list | tuple) else ()))
    for name in names:
        if name not in INSTRUMENTS:
            raise BadInput("There is no “{name}” here. There are: {all}.", name=name[:30], all=", ".join(INSTRUMENTS))
    tempo, seconds = row.get("tempo") or 0.0, row.get("seconds") or 60.0
    if not isinstance(tempo, int | float) or (tempo and not 40 <= tempo <= 180):
        raise BadInput("A tempo lies between 40 and 180 beats a minute.")
    if not isinstance(seconds, int | float) or not SHORTEST <= seconds <= LONGEST:
        raise BadInput("Music lasts from {low:g} to {high:g} seconds.", low=SHORTEST, high=LONGEST)
    tonic, scale = _key(str(row.get("key") or ""))
    return Composition(mood, float(tempo), tonic, scale, names, float(seconds))


def _key(told: str) -> tuple[int, str]:
    if not told:
        return 2, ""
    found = re.fullmatch(r"\s*([A-Ga-g])\s*(♯|#|sharp|♭|b|flat)?\s*(major|minor|dorian)?\s*", told)
    if not found:
        raise BadInput("“{key}” is no key: “D minor”, for one.", key=told[:30])
    shift = {"♯": 1, "#": 1, "sharp": 1, "♭": -1, "b": -1, "flat": -1}.get(found[2] or "", 0)
    return (_NOTES[found[1].lower()] + shift) % 12, found[3] or ""


def composition_key(piece: Composition, number: int) -> str:
    """Names the piece: the same one with the same number is the same sound anywhere."""
    return recipe_hash("composed", piece=[piece.mood, piece.tempo, piece.tonic, piece.scale, piece.instruments,
                                          piece.seconds], number=number, version=VERSION)


@dataclass(frozen=True, slots=True)
class Note:
    """``at`` and ``beats`` in beats; ``pitch`` as MIDI counts; ``hard`` 0 … 1."""

    instrument: str
    at: float
    beats: float
    pitch: int
    hard: float


@dataclass(frozen=True, slots=True)
class Score:
    tempo: float
    bars: int
    notes: tuple[Note, ...]

    @property
    def beat(self) -> float:
        """Seconds."""
        return 60.0 / self.tempo


def score_of(piece: Composition, number: int = 0) -> Score:
    """The notes of a piece: as many bars as its length holds, the tempo moved a little so that they fill it."""
    manner = piece.manner
    chance = np.random.default_rng([number, zlib.crc32(f"{piece.mood}/{piece.scale}/{piece.tonic}".encode())])
    wanted = piece.tempo or manner.tempo
    bars = max(5, 4 * round((piece.seconds - _TAIL) * wanted / 60 / _BEATS / 4) + 1)
    tempo = (bars - 1) * _BEATS * 60 / (piece.seconds - _TAIL)
    scale = _SCALES[piece.scale or manner.scale]
    players = piece.instruments or manner.instruments
    lead = next((name for name in ("flute", "piano", "bells", "plucked", "strings") if name in players), players[0])
    # Phrases that come again are what makes a tune: A A B A.
    forms = [manner.phrases[0], manner.phrases[0], manner.phrases[1], manner.phrases[0]]
    tunes = [_tune(phrase, scale, manner.busy, chance) for phrase in manner.phrases]
    notes: list[Note] = []
    for bar in range(bars - 1):
        form = bar // 4 % 4
        phrase = forms[form]
        degree = phrase[bar % 4] if bar != bars - 2 else 4
        chord = _chord(degree, scale)
        loud = manner.hard * (0.85 + 0.15 * min(1.0, bar / 8))
        notes += _accompanied(bar, chord, piece.tonic, players, lead, loud, manner, chance)
        if bar >= 2:
            tune = tunes[1 if form == 2 else 0][bar % 4]
            notes += [Note(lead, bar * _BEATS + at, beats, _in_reach(piece.tonic + 60 + pitch, lead), loud)
                      for at, beats, pitch in tune]
    end = (bars - 1) * _BEATS
    for name in players:
        if name != "brush":
            for pitch in (_chord(0, scale) if name != "bass" else (0,)):
                notes.append(Note(name, end, _BEATS * 0.8, _in_reach(piece.tonic + 48 + pitch, name), manner.hard))
    return Score(tempo, bars, tuple(notes))


def _chord(degree: int, scale: Sequence[int]) -> tuple[int, int, int]:
    """Semitones over the tonic; the fifth degree of minor has a leading note."""
    pitches = [scale[(degree + step) % 7] + 12 * ((degree + step) // 7) for step in (0, 2, 4)]
    if degree == 4 and scale[2] == 3 and scale[5] == 8:
        pitches[1] += 1
    return pitches[0], pitches[1], pitches[2]


def _tune(phrase: Sequence[int], scale: Sequence[int], busy: float,
          chance: np.random.Generator) -> list[list[tuple[float, float, int]]]:
    """Four bars of (beat, beats, semitones over the tonic): notes of the chord on strong beats, steps between, in an
    arch."""
    arch = (0, 3, 5, 1)
    place, bars = 0, []
    for bar, degree in enumerate(phrase):
        target = arch[bar] + int(chance.integers(-1, 2))
        at, notes = 0.0, []
        while at < _BEATS:
            long_ = 1.0 if chance.random() < busy else 2.0
            beats = min(_BEATS - at, long_ if at == int(at) else 0.5)
            if beats == 1.0 and chance.random() < busy * 0.4:
                beats = 0.5
            strong = at in (0.0, 2.0)
            if strong:
                tones = [degree % 7 + step + 7 * octave for step in (0, 2, 4) for octave in (-1, 0, 1)]
                place = min(tones, key=lambda one: abs(one - target) + 0.6 * abs(one - place))
            else:
                place += int(chance.choice((-1, 1))) if abs(place - target) < 2 else int(np.sign(target - place))
            if not (bar == 3 and at >= 2.0):
                pitch = scale[place % 7] + 12 * (place // 7)
                notes.append((at, beats * 0.95, pitch))
            at += beats
        bars.append(notes)
    return bars


def _accompanied(bar: int, chord: tuple[int, int, int], tonic: int, players: Sequence[str], lead: str, hard: float,
                 manner: _Manner, chance: np.random.Generator) -> list[Note]:
    start, notes = bar * _BEATS, []
    for name in players:
        if name == "bass":
            for at, beats in ((0, 2.0), (2, 2.0)) if manner.busy > 0.5 else ((0, 4.0),):
                notes.append(
                    Note(name, start + at, beats * 0.9, _in_reach(tonic + 36 + chord[0 if at == 0 else 2], name), hard)
                )
        elif name == "brush":
            notes += [Note(name, start + at, 0.3, 40 if at % 2 == 0 else 100, hard * (0.6 if at % 1 else 0.9))
                      for at in (0, 1, 1.5, 2, 3, 3.5)]
        elif name in ("pad", "strings") and name != lead:
            notes += [
                Note(name, start, _BEATS * 1.02, _in_reach(tonic + 48 + pitch, name), hard * 0.7) for pitch in chord
            ]
        elif name != lead or bar < 2:
            # A figure: the chord's notes, one after another.
            order = (0, 1, 2, 1) if manner.busy < 0.6 else (0, 2, 1, 2, 0, 2, 1, 2)
            step = _BEATS / len(order)
            notes += [Note(name, start + number * step, step * 0.9, _in_reach(tonic + 60 + chord[one], name),
                           hard * float(chance.uniform(0.55, 0.75))) for number, one in enumerate(order)]
        elif name == lead and "pad" not in players and "strings" not in players:
            notes += [Note(name, start, 2.0, _in_reach(tonic + 48 + pitch, name), hard * 0.5) for pitch in chord]
    return notes


def _in_reach(pitch: int, name: str) -> int:
    instrument = INSTRUMENTS[name]
    while pitch < instrument.low:
        pitch += 12
    while pitch > instrument.high:
        pitch -= 12
    return pitch


def compose(piece: Composition, number: int = 0) -> Stereo:
    """The piece, shape (n, 2) at 48 kHz, exactly as long as it is told, with an ending of its own."""
    score = score_of(piece, number)
    chance = np.random.default_rng([number, 7])
    total = ring(round(piece.seconds * RATE))
    played: dict[tuple[str, int, float, int], Floats] = {}
    for note in score.notes:
        instrument = INSTRUMENTS[note.instrument]
        # The same note twice is played twice as alike as a player does: of a few, by turns.
        key = (note.instrument, note.pitch, round(note.beats, 2), int(chance.integers(2)))
        if key not in played:
            hz = 440.0 * 2 ** ((note.pitch - 69) / 12)
            sound = instrument.play(hz, note.beats * score.beat, note.hard, chance)
            played[key] = sound / max(1e-9, float(np.abs(sound).max()))
        at = note.at * score.beat + (float(chance.normal(0, 0.006)) if note.at else 0.0)
        sound = played[key][: max(0, len(total) - round(max(0.0, at) * RATE))]
        put(total, sound, max(0.0, at), instrument.pan, instrument.level * (0.35 + 0.65 * note.hard) * 0.2)
    room = response_of("hall")
    assert room is not None
    wet = np.stack([signal.oaconvolve(total[:, side], room[1:, side])[:len(total)] for side in range(2)], 1)
    total = total + 0.16 * wet
    fall = min(len(total), round(1.2 * RATE))
    total[-fall:] *= np.cos(np.linspace(0, np.pi / 2, fall))[:, None]
    return levelled(without_lows(total))
