"""Whether what is directed of words is heard: pauses, pace, lifts and stresses, measured on finished sound."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import parselmouth

from janoglot.core.speech.directing import directed, marks_of, words_of
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery, Mark, Spoken
from janoglot.core.speech.mood_measures import SENTENCES
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.voices import Voice

PAUSES = (0.2, 0.4, 0.8)
PACES = (0.8, 1.25)
LIFTS = (3.0, -3.0)
_LEAST_LETTERS = 4
_SILENT_DB = -36.0
_HEARD = (0.5, 0.5, 0.03)
"""A stress is heard where a word is higher by so many semitones, louder by so many dB, or longer by such a share."""


@dataclass(frozen=True, slots=True)
class Measured:
    """One kind of mark: how many were measured, the share within the bound, and the median and the worst of how far
    off they were."""

    what: str
    bound: str
    count: int
    within: float
    median: float
    worst: float
    unit: str


def measured(voice: Voice) -> Iterator[Measured]:
    """Every kind of mark, on every longer word of the sentences."""
    plain = {words: _said(voice, words, ()) for words in SENTENCES}
    # Little words that are said as one with the next have no place of their own.
    places = [(words, number) for words in SENTENCES for number, word in enumerate(words_of(words))
              if len(word.strip(".,")) >= _LEAST_LETTERS and 0 < number < len(words_of(words)) - 1
              and all(_alone(plain[words], words, near) for near in (number - 1, number, number + 1))]
    gaps = [_silence(_said(voice, words, [("gap", number, seconds)]), words, number) - seconds
            for words, number in places[::2] for seconds in PAUSES]
    yield _told("pause", "± 15 ms", [1000 * one for one in gaps], 15.0, "ms")
    paces = [100 * (_length(_said(voice, words, [("pace", number, pace)]), words, number) * pace
                    / _length(plain[words], words, number) - 1) for words, number in places for pace in PACES]
    yield _told("pace", "± 5 %", paces, 5.0, "%")
    lifts, beside = [], []
    for words, number in places:
        for lift in LIFTS:
            other = _said(voice, words, [("lift", number, lift)])
            moved = {near: _height(other, words, near) - _height(plain[words], words, near)
                     for near in (number - 1, number, number + 1)}
            if np.isfinite(moved[number]):
                lifts.append(moved[number] - lift)
            beside += [one for near, one in moved.items() if near != number and np.isfinite(one)]
    yield _told("lift", "± 0.7 st", lifts, 0.7, "st")
    yield _told("lift, neighbours", "< 1 st", beside, 1.0, "st")
    heard = []
    for words, number in places:
        stressed = _said(voice, words, [("stress", number, 1.0)])
        higher = _height(stressed, words, number) - _height(plain[words], words, number)
        louder = _level(stressed, words, number) - _level(plain[words], words, number)
        longer = _length(stressed, words, number) / _length(plain[words], words, number) - 1
        heard.append(any(value >= least for value, least in zip((higher, louder, longer), _HEARD, strict=True)))
    yield Measured("stress is heard", "95 %", len(heard), float(np.mean(heard)), 0.0, 0.0, "")


def _told(what: str, bound: str, off: Sequence[float], most: float, unit: str) -> Measured:
    away = np.abs(np.array(off))
    return Measured(what, bound, len(away), float((away <= most).mean()), float(np.median(away)), float(away.max()),
                    unit)


def _said(voice: Voice, words: str, marks: Sequence[tuple[str, int, float]]) -> Spoken:
    told = marks_of([{"kind": kind, "word": word, "amount": amount} for kind, word, amount in marks], words)
    recipe = TakeRecipe(words, voice, directed(Delivery(), told, words), voice.locale)
    return engine_named(voice.engine).speak(recipe.utterance)


def _at(words: str, word: int) -> int:
    return sum(len(one) + 1 for one in words_of(words)[:word])


def _mark(spoken: Spoken, words: str, word: int) -> Mark:
    at = _at(words, word)
    return next(mark for mark in spoken.words if mark.at <= at < mark.at + mark.length)


def _alone(spoken: Spoken, words: str, word: int) -> bool:
    return any(mark.at == _at(words, word) and mark.length <= len(words_of(words)[word]) for mark in spoken.words)


def _length(spoken: Spoken, words: str, word: int) -> float:
    mark = _mark(spoken, words, word)
    return mark.end - mark.start


def _height(spoken: Spoken, words: str, word: int) -> float:
    """Median pitch, semitones; NaN where nothing of it is voiced."""
    mark = _mark(spoken, words, word)
    pitch = parselmouth.Sound(spoken.samples.astype(np.float64), spoken.rate).to_pitch_ac(
        time_step=0.005, pitch_floor=60, pitch_ceiling=700)
    found = np.array([pitch.get_value_at_time(at) for at in np.arange(mark.start, mark.end, 0.005)])
    found = found[~np.isnan(found)]
    return float(12 * np.log2(np.median(found) / 100)) if len(found) >= 5 else float("nan")


def _level(spoken: Spoken, words: str, word: int) -> float:
    """dB against the whole line."""
    mark = _mark(spoken, words, word)
    inside = spoken.samples[round(mark.start * spoken.rate): round(mark.end * spoken.rate)].astype(np.float64)
    return float(10 * np.log10((inside**2).mean() / (spoken.samples.astype(np.float64)**2).mean() + 1e-12))


def _silence(spoken: Spoken, words: str, word: int) -> float:
    """The longest silence about where a word begins, seconds."""
    before, here = _mark(spoken, words, word - 1), _mark(spoken, words, word)
    size = spoken.rate // 400
    count = len(spoken.samples) // size
    loud = np.sqrt((spoken.samples[: count * size].astype(np.float64).reshape(count, size) ** 2).mean(1))
    quiet = loud < loud.max() * 10 ** (_SILENT_DB / 20)
    runs, length = [0], 0
    for place in range(max(0, round(before.end * 400) - 40), min(count, round(here.start * 400) + 24)):
        length = length + 1 if quiet[place] else 0
        runs.append(length)
    return max(runs) / 400


def directing_table(rows: Iterator[Measured]) -> Iterator[str]:
    """As Markdown, row by row as they are measured."""
    yield "| mark | bound | measured | within | median off | worst |"
    yield "|---|---|---|---|---|---|"
    for row in rows:
        off = f"{row.median:.1f} {row.unit} | {row.worst:.1f} {row.unit}" if row.unit else "– | –"
        yield f"| {row.what} | {row.bound} | {row.count} | {100 * row.within:.0f} % | {off} |"
