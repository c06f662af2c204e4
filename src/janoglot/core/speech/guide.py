"""A guide read: a person says a line as it should be said, and the cast voice follows.

Where the words are the line's own, they are found in the guide by holding it against our own reading of them, whose
times are known: mel-frequency cepstra (Davis and Mermelstein 1980), normalised, and dynamic time warping (Sakoe and
Chiba 1978). In other words, or another language, the guide is followed by phrase: its pauses, its length, the slow
part of its melody, and its levels.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt
import parselmouth
import soxr

from janoglot.core.audio.loudness import measure
from janoglot.core.errors import BadInput
from janoglot.core.languages import same_language
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Guide, GuideWord, Lengths, Manner, Mark, Samples, Spoken
from janoglot.core.speech.heard import compare
from janoglot.core.speech.takes import TakeRecipe, written_marks

Floats = npt.NDArray[np.float64]
STEP = 0.01
"""Seconds from one frame of features to the next."""
_WINDOW = 0.025
_COEFFICIENTS = 12
LONGEST = 60.0
SHORTEST = 0.25
_OTHER_WORDS = 0.45
"""A guide in which so much of the line's sounds was heard otherwise says other words."""
_QUIET_LUFS = -50.0
_CLIPPED_SHARE = 0.002
_NOISE_DB = 12.0
"""A recording whose speech stands out from what is between it by less is noisy."""
_SPEECH_DB = 30.0
"""What is quieter by more than the loudest of a recording is silence."""
_PAUSE = 0.18
"""Seconds. A silence that long parts two phrases."""
_POINT = 0.03
"""Seconds from one point of a word's melody to the next."""


@dataclass(frozen=True, slots=True)
class GuideFault:
    """What is wrong with a recording, in a word that the interface has a sentence for; ``said``: what was heard."""

    code: str
    said: str = ""


@dataclass(frozen=True, slots=True)
class Prosody:
    """A guide's melody and level, every STEP seconds: semitones about its median (NaN where nothing is voiced), and
    dB about the median level of what is spoken. ``spoken``: where there is speech."""

    semitones: Floats
    level: Floats
    spoken: npt.NDArray[np.bool_]


def faults_of(samples: Samples, rate: int, longest: float = LONGEST) -> list[GuideFault]:
    """What is plainly wrong with a recording, whatever is said in it; it may last ``longest`` seconds."""
    seconds = len(samples) / rate
    found = []
    if seconds > longest:
        return [GuideFault("too_long")]
    if seconds < SHORTEST or not np.isfinite(samples).all():
        return [GuideFault("too_short")]
    lufs = measure(samples.astype(np.float32), rate, peaks=False).integrated
    if not np.isfinite(lufs) or lufs < _QUIET_LUFS:
        return [GuideFault("too_quiet")]
    peak = float(np.abs(samples).max())
    if peak >= 0.98 and float((np.abs(samples) >= 0.995 * peak).mean()) > _CLIPPED_SHARE:
        found.append(GuideFault("clipped"))
    level = _levels(samples, rate)
    if np.percentile(level, 95) - np.percentile(level, 8) < _NOISE_DB:
        found.append(GuideFault("noise"))
    return found


@dataclass(frozen=True, slots=True)
class GuideFound:
    """What was found in a guide: how each of the line's words is said in it, and what is wrong with it. ``by_word``
    says whether the line's own words were found; else it is followed by phrase."""

    words: tuple[GuideWord, ...]
    by_word: bool
    heard: str
    faults: tuple[GuideFault, ...]


def read_guide(samples: Samples, rate: int, recipe: TakeRecipe, heard: str | None, language: str = "") -> GuideFound:
    """A guide for the line of ``recipe``. ``heard`` is what a recogniser understood of it, None where nothing listened:
    its words are then taken for the line's. ``language`` (BCP 47) is the guide's, "" for the line's own.

    Raises BadInput for a recording that cannot be followed at all, EngineError for words that hold nothing.
    """
    faults = faults_of(samples, rate)
    if any(one.code in ("too_long", "too_short", "too_quiet") for one in faults):
        return GuideFound((), False, heard or "", tuple(faults))
    plain = replace(recipe, delivery=replace(recipe.delivery, guide=Guide(), manner=Manner()), variant=0)
    same = not language or same_language(language, recipe.language)
    if same and heard is not None:
        error = compare(recipe.spoken_words, heard, recipe.language).error
        if error > _OTHER_WORDS:
            faults.append(GuideFault("other_words", heard))
            same = False
    if same:
        own, marks = read_by_another(samples, rate, plain)
        words = guide_by_word(samples, rate, own.samples, own.rate, marks)
    else:
        known = engine_named(plain.voice.engine).lengths(plain.utterance)
        if known is None:
            spoken = engine_named(plain.voice.engine).speak(plain.utterance)
            known = Lengths(spoken.seconds, spoken.words)
        words = guide_by_phrase(samples, rate, written_marks(known.words, plain.respelled), known.seconds)
    return GuideFound(words, same, heard or "", tuple(faults))


def words_found(samples: Samples, rate: int, recipe: TakeRecipe) -> tuple[Mark, ...]:
    """Where in a recording of the words of ``recipe`` each of them is. Raises BadInput for a recording without a voice
    in it, EngineError for words that hold nothing."""
    plain = replace(recipe, delivery=replace(recipe.delivery, guide=Guide(), manner=Manner()), variant=0)
    own, marks = read_by_another(samples, rate, plain)
    sung, laid = prosody_of(samples, rate), laid_over(samples, rate, own.samples, own.rate)
    found: list[Mark] = []
    before = None
    for mark in marks:
        start, before = _heard(sung, laid.start(mark.start), laid.end(mark.end), before)
        found.append(replace(mark, start=start, end=before))
    return tuple(found)


def read_by_another(samples: Samples, rate: int, plain: TakeRecipe) -> tuple[Spoken, list[Mark]]:
    """Our reading of the words of ``plain`` that is held against a recording, and where each is in it."""
    reader = _reader_near(samples, rate, plain)
    own = engine_named(reader.voice.engine).speak(reader.utterance)
    return own, written_marks(own.words, reader.respelled)


def _reader_near(samples: Samples, rate: int, recipe: TakeRecipe) -> TakeRecipe:
    """The same words by whoever reads the language at about the guide's pitch: who sounds alike is laid over best."""
    if not recipe.voice.is_rich:
        return recipe
    hz = parselmouth.Sound(samples.astype(np.float64), rate).to_pitch_ac(pitch_floor=60, pitch_ceiling=600)
    voiced = hz.selected_array["frequency"]
    middle = float(np.median(voiced[voiced > 0])) if (voiced > 0).any() else recipe.voice.shaping.pitch_hz
    readers = [voice for voice in catalogue().values()
               if voice.is_rich and voice.speaks(recipe.language) and voice.shaping.tract == 1.0] or [recipe.voice]
    nearest = min(readers, key=lambda voice: (abs(np.log2(voice.shaping.pitch_hz / middle)), voice.id))
    return replace(recipe, voice=nearest)


def prosody_of(samples: Samples, rate: int, floor: float = 60.0) -> Prosody:
    """The melody and the level of a recording. Raises BadInput for one without a voice in it."""
    sound = parselmouth.Sound(samples.astype(np.float64), rate)
    count = int(len(samples) / rate / STEP)
    times = (np.arange(count) + 0.5) * STEP
    pitch = sound.to_pitch_ac(time_step=STEP, pitch_floor=floor, pitch_ceiling=600, octave_jump_cost=0.6)
    hz = np.array([pitch.get_value_at_time(time) for time in times])
    voiced = hz[~np.isnan(hz)]
    if len(voiced) < 8:
        raise BadInput("There is no voice in this recording.")
    semitones = 12 * np.log2(hz / np.median(voiced))
    # What leaps out of the voice's range by more than an octave is the tracker's mistake.
    semitones[np.abs(semitones) > 13] = np.nan
    level = np.interp(times, (np.arange(len(_levels(samples, rate))) + 0.5) * STEP, _levels(samples, rate))
    loud = level > np.percentile(level, 95) - 28
    return Prosody(semitones, level - float(np.median(level[loud])), loud)


def guide_by_word(guide: Samples, guide_rate: int, own: Samples, own_rate: int, words: Sequence[Mark]) -> tuple[
        GuideWord, ...]:
    """A guide that says the line's own words: each as the guide has it. ``own`` is our reading of them, with its
    ``words``' times. Raises BadInput."""
    sung = prosody_of(guide, guide_rate)
    laid = laid_over(guide, guide_rate, own, own_rate)
    found = []
    before = None
    for mark in words:
        start, end = _heard(sung, laid.start(mark.start), laid.end(mark.end), before)
        gap = -1.0 if before is None else max(0.0, start - before)
        found.append(_word(sung, mark, start, end, gap))
        before = end
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Laid:
    """Where in a guide a time of our reading is: ``ours`` and ``theirs`` are the frames of each that are spoken, and
    ``path`` the place in ``theirs`` of each of ``ours``. Silences are in neither: a pause is no speech to be found."""

    ours: npt.NDArray[np.int64]
    theirs: npt.NDArray[np.int64]
    path: Floats

    def start(self, seconds: float) -> float:
        """The guide's time of what begins here."""
        place = min(len(self.ours) - 1, int(np.searchsorted(self.ours, seconds / STEP - 0.5)))
        return float(self.theirs[min(len(self.theirs) - 1, round(self.path[place]))]) * STEP

    def end(self, seconds: float) -> float:
        """The guide's time of what ends here."""
        place = max(0, int(np.searchsorted(self.ours, seconds / STEP - 0.5, "right")) - 1)
        return float(self.theirs[min(len(self.theirs) - 1, round(self.path[place]))] + 1) * STEP


def laid_over(guide: Samples, guide_rate: int, own: Samples, own_rate: int) -> Laid:
    """The speech of a guide and of our reading of the same words, laid over each other."""
    (theirs, their_rows), (ours, our_rows) = (_speech(samples, rate) for samples, rate in (
        (guide, guide_rate), (own, own_rate)))
    return Laid(ours, theirs, warped(their_rows, our_rows))


def _speech(samples: Samples, rate: int) -> tuple[npt.NDArray[np.int64], Floats]:
    """The frames that are spoken, and their features."""
    rows = features_of(samples, rate)
    level = _levels(samples, rate)
    level = np.interp(np.arange(len(rows)), np.arange(len(level)), level)
    loud = level > np.percentile(level, 95) - _SPEECH_DB
    # The quiet edges of what is spoken belong to it.
    loud = np.convolve(loud, np.ones(5), "same") > 0
    frames = np.flatnonzero(loud)
    return frames, rows[frames]


def _heard(sung: Prosody, start: float, end: float, before: float | None) -> tuple[float, float]:
    """A word's time without the silence that the alignment left at its edges."""
    first, last = int(start / STEP), min(len(sung.spoken) - 1, int(end / STEP))
    loud = np.flatnonzero(sung.spoken[first: last + 1])
    if len(loud):
        # Quiet consonants belong to their word: only what is a silence is cut.
        if loud[0] * STEP > 0.08:
            start = (first + loud[0]) * STEP
        if (last - first - loud[-1]) * STEP > 0.08:
            end = (first + loud[-1] + 1) * STEP
    start = max(start, before or 0.0)
    return start, max(end, start + 2 * STEP)


def guide_by_phrase(guide: Samples, guide_rate: int, words: Sequence[Mark], seconds: float) -> tuple[GuideWord, ...]:
    """A guide in other words, or another language: its phrases laid over the line's. ``words`` are the line's, at their
    own times in a line of so many ``seconds``. Raises BadInput."""
    sung = prosody_of(guide, guide_rate)
    theirs = _phrases(sung)
    ours = _own_phrases(words)
    if len(theirs) != len(ours):
        # Not the same pauses: the whole over the whole, the pauses as they are.
        theirs, ours = [(theirs[0][0], theirs[-1][1])], [(0, len(words))]
    slow = _slow(sung)
    found = []
    for number, ((start, end), (first, last)) in enumerate(zip(theirs, ours, strict=True)):
        begin, close = words[first].start, words[last - 1].end
        factor = min(2.0, max(0.5, (end - start) / max(0.1, close - begin)))
        for place in range(first, last):
            mark = words[place]
            at, upto = (start + (time - begin) / max(0.1, close - begin) * (end - start)
                        for time in (mark.start, mark.end))
            gap = max(0.0, start - theirs[number - 1][1]) if place == first and number else -1.0
            one = _word(slow, mark, at, upto, gap)
            found.append(GuideWord(one.at, one.length, round((mark.end - mark.start) * factor, 4), gap, one.melody,
                                   one.level))
    return tuple(found)


def _word(sung: Prosody, mark: Mark, start: float, end: float, gap: float) -> GuideWord:
    first, last = int(start / STEP), max(int(start / STEP) + 1, round(end / STEP))
    inside = sung.semitones[first: last]
    voiced = np.flatnonzero(~np.isnan(inside))
    points = max(2, round((end - start) / _POINT))
    melody: tuple[float, ...] = ()
    if len(voiced):
        along = np.linspace(0, len(inside) - 1, points)
        melody = tuple(round(float(value), 2) for value in np.interp(along, voiced, inside[voiced]))
    loud = sung.level[first: last][sung.spoken[first: last]]
    level = round(float(np.clip(loud.mean(), -12, 12)), 2) if len(loud) else 0.0
    return GuideWord(mark.at, mark.length, round(end - start, 4), round(gap, 4), melody, level)


def _phrases(sung: Prosody) -> list[tuple[float, float]]:
    """Runs of speech between pauses, in seconds."""
    loud = np.flatnonzero(sung.spoken)
    found = [[int(loud[0]), int(loud[0])]]
    for frame in loud[1:]:
        if (frame - found[-1][1]) * STEP > _PAUSE:
            found.append([int(frame), int(frame)])
        found[-1][1] = int(frame)
    return [(first * STEP, (last + 1) * STEP) for first, last in found]


def _own_phrases(words: Sequence[Mark]) -> list[tuple[int, int]]:
    """Runs of the line's words between its pauses: first, and one past the last."""
    cuts = [number + 1 for number, (one, other) in enumerate(pairwise(words)) if other.start - one.end > _PAUSE]
    return list(pairwise([0, *cuts, len(words)]))


def _slow(sung: Prosody) -> Prosody:
    """The guide's melody without what belongs to its words: over about a third of a second."""
    known = np.flatnonzero(~np.isnan(sung.semitones))
    whole = np.interp(np.arange(len(sung.semitones)), known, sung.semitones[known])
    window = np.hanning(35)
    smooth = np.convolve(np.pad(whole, 17, "edge"), window / window.sum(), "valid")
    return Prosody(smooth, sung.level, sung.spoken)


def features_of(samples: Samples, rate: int) -> Floats:
    """Mel cepstra and how they change, normalised, a row every STEP seconds."""
    mono = soxr.resample(samples.astype(np.float64), rate, 16_000) if rate != 16_000 else samples.astype(np.float64)
    mfcc = parselmouth.Sound(mono, 16_000).to_mfcc(number_of_coefficients=_COEFFICIENTS, window_length=_WINDOW,
                                                   time_step=STEP)
    rows = np.asarray(mfcc.to_array()[1:], np.float64).T
    rows = (rows - rows.mean(0)) / (rows.std(0) + 1e-6)
    change = np.gradient(rows, axis=0)
    level = _levels(mono, 16_000)
    loud = np.interp(np.arange(len(rows)), np.arange(len(level)), level)
    loud = np.clip((loud - np.percentile(loud, 95)) / 15, -3, 0.5)[:, None]
    return np.hstack([rows, 1.5 * change / (change.std(0) + 1e-6) * 0.5, 1.5 * loud])


def warped(one: Floats, other: Floats) -> Floats:
    """The frame of ``one`` at each frame of ``other``, where the two are best laid over each other: dynamic time
    warping from end to end, by the distance of features."""
    distance = np.sqrt(np.maximum(
        (one**2).sum(1)[:, None] + (other**2).sum(1)[None, :] - 2 * one @ other.T, 0.0))
    rows, columns = distance.shape
    cost = np.full((rows + 1, columns + 1), np.inf)
    cost[0, 0] = 0.0
    # A step aside costs a little more, so that neither is held for long where the other goes on.
    for row in range(1, rows + 1):
        above, here = cost[row - 1], cost[row]
        best = np.minimum(above[:-1], above[1:] + 0.4)
        line = distance[row - 1]
        left = np.inf
        for column in range(columns):
            value = best[column]
            if left + 0.4 < value:
                value = left + 0.4
            left = value + line[column]
            here[column + 1] = left
    row, column = rows, columns
    sums, counts = np.zeros(columns), np.zeros(columns)
    while row > 0 and column > 0:
        sums[column - 1] += row - 1
        counts[column - 1] += 1
        moves = (cost[row - 1, column - 1], cost[row - 1, column] + 0.4, cost[row, column - 1] + 0.4)
        step = int(np.argmin(moves))
        row, column = (row - 1, column - 1) if step == 0 else (row - 1, column) if step == 1 else (row, column - 1)
    path = sums / np.maximum(counts, 1)
    return np.asarray(np.maximum.accumulate(path), np.float64)


def _levels(samples: Samples | Floats, rate: int) -> Floats:
    """dB every STEP seconds."""
    size = round(rate * STEP)
    count = max(1, len(samples) // size)
    blocks = samples[: count * size].astype(np.float64).reshape(count, -1) if len(samples) >= size else samples[None, :]
    power = (blocks**2).mean(1)
    smooth = np.convolve(power, np.hanning(5) / np.hanning(5).sum(), "same") if len(power) > 5 else power
    return 10 * np.log10(np.maximum(smooth, 1e-10))
