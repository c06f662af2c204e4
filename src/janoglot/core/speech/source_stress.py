"""Words that are stressed in a recording of a line: said longer, higher or louder than a plain reading of it has them.

The line is laid over our own plain reading of the same words by another voice, and each word is put beside it: how much
longer, higher and louder it is than the line as a whole is (Terken 1991 and Kochanski et al. 2005 on what is heard as
prominence).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from janoglot.core.speech.engines.base import Delivery, Mark, Samples
from janoglot.core.speech.guide import STEP, Prosody, laid_over, prosody_of, read_by_another
from janoglot.core.speech.takes import TakeRecipe

VERSION = 1
"""Of the way that stresses are found: part of the names that they are kept under."""
_LONGER, _HIGHER, _LOUDER = 0.2, 1.5, 5.0
"""One step of each: the logarithm of the length, semitones, dB."""
_STRESSED = 2.0
"""Steps in all, from which on a word is stressed."""
_MOST_WORDS = 2
_MOST = 2.0
_FEW_WORDS = 3


@dataclass(frozen=True, slots=True)
class StressedWord:
    """Word ``word`` of a line (counted from 0 by what stands between spaces), and by how many steps it stands out."""

    word: int
    steps: float

    @property
    def amount(self) -> float:
        """As a stress is directed: 1 is plainly."""
        return float(np.clip(round(self.steps / _STRESSED / 2 + 0.5, 1), 0.75, _MOST))


def stressed_words(samples: Samples, rate: int, recipe: TakeRecipe) -> tuple[StressedWord, ...]:
    """The words of ``recipe`` that stand out in a recording of them, the first first; at most two. Raises BadInput
    where there is no voice in it, EngineError for words that hold nothing."""
    if len(recipe.spoken_words.split()) < _FEW_WORDS:
        return ()
    own, marks = read_by_another(samples, rate, replace(
        recipe, delivery=Delivery(readings=recipe.delivery.readings), variant=0, like=None, like_spans=()))
    if len(marks) < _FEW_WORDS:
        return ()
    sung, ours = prosody_of(samples, rate), prosody_of(own.samples, own.rate)
    laid = laid_over(samples, rate, own.samples, own.rate)
    rows = np.array([_row(sung, ours, mark, laid.start(mark.start), laid.end(mark.end)) for mark in marks])
    # Beside the line as a whole, without its fall towards the end.
    along = np.arange(len(marks)) / max(1, len(marks) - 1)
    for column in (1, 2):
        known = ~np.isnan(rows[:, column])
        if known.sum() > 3:
            slope, level = np.polyfit(along[known], rows[known, column], 1)
            rows[:, column] -= slope * along + level
    rows -= np.nanmedian(rows, axis=0)
    steps = np.nansum(np.clip(rows / np.array([_LONGER, _HIGHER, _LOUDER]), -1.5, 3.0), axis=1)
    found = []
    for number in np.argsort(-steps)[:_MOST_WORDS]:
        word = len(recipe.spoken_words[: marks[number].at].split())
        if steps[number] >= _STRESSED and marks[number].length > 2:
            found.append(StressedWord(word, round(float(steps[number]), 2)))
    return tuple(sorted(found, key=lambda one: one.word))


def _row(sung: Prosody, ours: Prosody, mark: Mark, start: float, end: float) -> Sequence[float]:
    """How much longer, higher and louder a word is than in our own reading: logarithm, semitones, dB."""
    theirs, own = _frames(sung, start, end), _frames(ours, mark.start, mark.end)
    higher = [_top(prosody.semitones[frames]) for prosody, frames in ((sung, theirs), (ours, own))]
    louder = [float(np.percentile(prosody.level[frames], 80)) if len(frames) else np.nan
              for prosody, frames in ((sung, theirs), (ours, own))]
    return (float(np.log(max(0.03, end - start) / max(0.03, mark.end - mark.start))), higher[0] - higher[1],
            louder[0] - louder[1])


def _frames(prosody: Prosody, start: float, end: float) -> npt.NDArray[np.int64]:
    first, last = int(start / STEP), min(len(prosody.level), max(int(start / STEP) + 1, round(end / STEP)))
    return np.arange(first, last, dtype=np.int64)


def _top(semitones: npt.NDArray[np.float64]) -> float:
    voiced = semitones[~np.isnan(semitones)]
    return float(np.percentile(voiced, 85)) if len(voiced) >= 3 else float("nan")
