"""What a reading sounds like in six numbers, and whether moods are told apart by them: measured on finished sound."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import astuple, dataclass, fields, replace
from itertools import combinations
from typing import Any

import numpy as np
import numpy.typing as npt
import parselmouth
import regex
from rapidfuzz.distance import Levenshtein
from scipy.signal import welch

from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery, Samples
from janoglot.core.speech.manner import together
from janoglot.core.speech.moods import MOODS, level_of, manners_of
from janoglot.core.speech.recogniser import recognise
from janoglot.core.speech.speaker_encoder import speaker_vector
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.voices import Voice

SENTENCES = ("The keeper has gone up to see to the bell, and he will not be long.",
             "Nobody told me that the boat would leave before the tide.",
             "You can hear the water under the floor when it is quiet.")
ENOUGH = 3
"""Moods differ where so many features do."""
PLAIN_READINGS = 8
_SPLIT_HZ = 2000.0


@dataclass(frozen=True, slots=True)
class Features:
    """``pitch``: median, in semitones from 100 Hz; ``range``: 5 to 95 % of it, semitones; ``pace``: per cent of the
    plain reading's; ``level``: dB in the mix; ``tilt``: energy over 2 kHz against below, dB; ``voicing``: mean
    harmonicity of what is heard, dB (Boersma 1993), what is unvoiced counting as none."""

    pitch: float
    range: float
    pace: float
    level: float
    tilt: float
    voicing: float


FEATURES = tuple(one.name for one in fields(Features))


def features_of(samples: Samples, rate: int, plain_seconds: float, level_db: float) -> Features:
    sound = parselmouth.Sound(samples.astype(np.float64), rate)
    # A voice is looked for where its own are: a hushed one's noise has no pitch.
    hz = sound.to_pitch_ac(pitch_floor=60, pitch_ceiling=700, voicing_threshold=0.45).selected_array["frequency"]
    sung = 12 * np.log2(hz[hz > 0] / 100) if (hz > 0).sum() > 5 else np.zeros(1)
    frequencies, power = welch(samples, rate, nperseg=1024)
    low, high = power[frequencies < _SPLIT_HZ].sum(), power[frequencies >= _SPLIT_HZ].sum()
    harmonicity = sound.to_harmonicity_cc(minimum_pitch=60).values[0]
    return Features(float(np.median(sung)), float(np.percentile(sung, 95) - np.percentile(sung, 5)),
                    100 * plain_seconds * rate / len(samples), level_db, float(10 * np.log10(high / low)),
                    float(np.where(harmonicity > -50, np.maximum(harmonicity, 0), 0).mean()))


def readings(voice: Voice, language: str = "en") -> Iterator[tuple[str, int, TakeRecipe]]:
    """What is read for the measure: a mood's name ("" for a plain reading), which sentence, its recipe."""
    for number, words in enumerate(SENTENCES):
        for variant in range(PLAIN_READINGS + 1):
            yield "", number, TakeRecipe(words, voice, Delivery(), language, variant=variant)
        for name in MOODS:
            delivery = Delivery(manner=together(manners_of(((name, 1.0),))))
            yield name, number, TakeRecipe(words, voice, delivery, language)


@dataclass(frozen=True, slots=True)
class MoodMeasures:
    """By mood ("" is the plain reading): its features over all sentences, the share of words that a recogniser heard
    otherwise, and how like the plain voice it is to the speaker encoder (cosine). ``spread``: how far plain readings
    spread, the standard deviation of their variants."""

    features: dict[str, Features]
    otherwise: dict[str, float]
    alike: dict[str, float]
    spread: Features


def measured(voice: Voice, language: str = "en") -> MoodMeasures:
    """Measure every mood on the sound. Raises RecogniserMissing and the encoder's own."""
    heard: dict[str, list[float]] = {}
    who: dict[tuple[str, int], npt.NDArray[np.floating[Any]]] = {}
    rows: dict[tuple[str, int], list[Features]] = {}
    plain: dict[int, float] = {}
    for name, number, recipe in readings(voice):
        spoken = engine_named(voice.engine).speak(recipe.utterance)
        plain.setdefault(number, spoken.seconds)
        level = level_of(((name, 1.0),)) if name else 0.0
        if not recipe.variant:
            text = recognise(spoken.samples, spoken.rate, language)
            heard.setdefault(name, []).append(_words_otherwise(recipe.words, text))
            who[name, number] = speaker_vector(spoken.samples, spoken.rate)
        rows.setdefault((name, number), []).append(features_of(spoken.samples, spoken.rate, plain[number], level))
    numbers = range(len(SENTENCES))
    means = {name: _mean([rows[name, number][0] for number in numbers]) for name in ["", *MOODS]}
    spread = np.mean([np.std([astuple(one) for one in rows["", number]], axis=0) for number in numbers], axis=0)
    # The mix's level is set, not read: it has no spread of its own, and a decibel is the least that is heard.
    alike = {name: float(np.mean([_cosine(who[name, number], who["", number]) for number in numbers]))
             for name in MOODS}
    return MoodMeasures(means, {name: float(np.mean(errors)) for name, errors in heard.items()}, alike,
                        replace(Features(*map(float, spread)), level=1.0))


def mood_table(found: MoodMeasures) -> Iterator[str]:
    """As Markdown, and what is not told apart."""
    yield f"| | {' | '.join(FEATURES)} | words otherwise | alike |"
    yield "|---" * (len(FEATURES) + 3) + "|"
    for name, one in found.features.items():
        cells = " | ".join(f"{value:.1f}" for value in astuple(one))
        alike = f"{found.alike[name]:.2f}" if name else ""
        yield f"| {name or 'plain'} | {cells} | {found.otherwise[name]:.2f} | {alike} |"
    yield f"| spread | {' | '.join(f'{value:.1f}' for value in astuple(found.spread))} | | |"
    apart = told_apart(found.features, found.spread)
    yield ""
    yield f"{len(apart)} of {len(found.features) * (len(found.features) - 1) // 2} pairs differ in fewer than " \
          f"{ENOUGH} features" + "".join(f"; {one or 'plain'} and {other}" for one, other, _ in apart)


def _words_otherwise(words: str, heard: str) -> float:
    """Word error: the least that is to be changed, put in or left out, by word."""
    one, other = ([regex.sub(r"[^\p{L}\p{N}]", "", word).casefold() for word in text.split()]
                  for text in (words, heard))
    return Levenshtein.distance(one, other) / max(1, len(one))


def _cosine(one: npt.NDArray[np.floating[Any]], other: npt.NDArray[np.floating[Any]]) -> float:
    return float(one @ other / (np.linalg.norm(one) * np.linalg.norm(other)))


def differing(one: Features, other: Features, spread: Features) -> list[str]:
    """The features by which two readings are further apart than plain ones spread."""
    return [name for name in FEATURES if abs(getattr(one, name) - getattr(other, name)) > getattr(spread, name)]


def told_apart(means: Mapping[str, Features], spread: Features) -> Sequence[tuple[str, str, list[str]]]:
    """Pairs of moods, and of moods and the plain reading, that differ in too few features."""
    return [(one, other, apart) for one, other in combinations(means, 2)
            if len(apart := differing(means[one], means[other], spread)) < ENOUGH]


def _mean(rows: Sequence[Features]) -> Features:
    return Features(*(float(value) for value in np.mean([astuple(one) for one in rows], axis=0)))
