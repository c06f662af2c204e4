"""Which line each of many recordings is of: by a number in its name, by its name, or by what is heard in it.

What was heard decides where a name and the words do not agree, and says so. Nothing is taken here: it is a report.
"""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePosixPath
from typing import Literal

import regex
from rapidfuzz import fuzz, process
from rapidfuzz.distance import Levenshtein

from janoglot.core.speech.heard import sounds_heard

By = Literal["", "number", "name", "heard"]
Verdict = Literal["matched", "doubtful", "other_words", "left_over"]
Why = Literal["", "another", "said_elsewhere", "unclear", "fault", "has_one"]
BYS: tuple[By, ...] = ("", "number", "name", "heard")
VERDICTS: tuple[Verdict, ...] = ("matched", "doubtful", "other_words", "left_over")
WHYS: tuple[Why, ...] = ("", "another", "said_elsewhere", "unclear", "fault", "has_one")
_RIGHT = 0.3
"""So much of a line's sounds heard otherwise may be the recogniser's own."""
_OTHER_WORDS = 0.5
"""From here on other words were said."""
_CLEARER = 0.12
"""By so much the line that was heard must be nearer than the next."""
_CLEARLY_MORE = 1.4
_CANDIDATES = 3
"""Lines near by their letters, whose sounds are looked at."""
_NAMED = 0.75
"""So much of a name's letters must be a line's first."""
_DIGITS = regex.compile(r"\d+")
_TAG = regex.compile(r"(?<![\p{L}\p{N}])[a-z]{2,3}-(?:\d{3}|[A-Z]{2})(?![\p{L}\p{N}])")


@dataclass(frozen=True, slots=True)
class NamedRecording:
    """A recording that came in: its file's name, what was heard in it (None where nothing listened), and whether
    something is wrong with its sound."""

    id: int
    name: str
    heard: str | None
    faulty: bool = False


@dataclass(frozen=True, slots=True)
class LineToRecord:
    """``has_one``: whether it has a recording already."""

    id: int
    number: int
    speaker: str
    words: str
    has_one: bool = False


@dataclass(frozen=True, slots=True)
class RecordingMatch:
    """``line`` is the one that it is taken for, None where it is left over; ``error`` the share of that line's sounds
    that were heard otherwise, None where nothing listened; ``named`` the line that its name says, where that is
    another."""

    recording: int
    line: int | None = None
    by: By = ""
    verdict: Verdict = "left_over"
    error: float | None = None
    why: Why = ""
    named: int | None = None


def match_recordings(recordings: Sequence[NamedRecording], lines: Sequence[LineToRecord],
                     language: str) -> list[RecordingMatch]:
    """One match for each recording, in their order. ``language`` (BCP 47) is that of the lines."""
    named = _by_name(recordings, lines)
    heard = _Heard(lines, language)
    nothing: tuple[LineToRecord | None, By] = (None, "")
    found = [_one(recording, *named.get(recording.id, nothing), heard) for recording in recordings]
    return _each_once(found, recordings, lines)


def _one(recording: NamedRecording, line: LineToRecord | None, by: By, heard: _Heard) -> RecordingMatch:
    if recording.heard is None:
        return RecordingMatch(recording.id, line.id, by, "matched") if line else RecordingMatch(recording.id)
    own = heard.error(recording.heard, line) if line else 1.0
    if line is not None and own <= _RIGHT:
        return RecordingMatch(recording.id, line.id, by, "matched", own)
    nearest, error, next_error = heard.nearest(recording.heard)
    clear = nearest is not None and error <= _RIGHT and next_error - error >= _CLEARER
    if line is not None:
        if clear and nearest is not None and nearest.id != line.id:
            return RecordingMatch(recording.id, nearest.id, "heard", "doubtful", error, "said_elsewhere", line.id)
        if own < _OTHER_WORDS:
            return RecordingMatch(recording.id, line.id, by, "doubtful", own, "unclear")
        return RecordingMatch(recording.id, line.id, by, "other_words", own)
    if nearest is None or error >= _OTHER_WORDS:
        return RecordingMatch(recording.id)
    return RecordingMatch(recording.id, nearest.id, "heard", "matched" if clear else "doubtful", error,
                          "" if clear else "unclear")


def _each_once(found: Sequence[RecordingMatch], recordings: Sequence[NamedRecording],
               lines: Sequence[LineToRecord]) -> list[RecordingMatch]:
    """No line is taken twice by itself: of several recordings of one the clearest is, and the others are in doubt."""
    best: dict[int, RecordingMatch] = {}
    order = {"matched": 0, "doubtful": 1, "other_words": 2, "left_over": 3}
    for one in found:
        if one.line is not None:
            before = best.get(one.line)
            if before is None or (order[one.verdict], one.error or 0.0) < (order[before.verdict], before.error or 0.0):
                best[one.line] = one
    has_one = {line.id for line in lines if line.has_one}
    told = []
    for one, recording in zip(found, recordings, strict=True):
        if one.verdict == "matched" and one.line is not None:
            if best[one.line] is not one:
                one = replace(one, verdict="doubtful", why="another")
            elif recording.faulty:
                one = replace(one, verdict="doubtful", why="fault")
            elif one.line in has_one:
                one = replace(one, verdict="doubtful", why="has_one")
        told.append(one)
    return told


class _Heard:
    """How far what was heard is from each line."""

    def __init__(self, lines: Sequence[LineToRecord], language: str) -> None:
        self.lines = lines
        self.language = language
        self.plain = {number: _plain(line.words) for number, line in enumerate(lines)}

    def error(self, heard: str, line: LineToRecord) -> float:
        said = sounds_heard(line.words, self.language)
        return Levenshtein.distance(said, sounds_heard(heard, self.language)) / max(1, len(said))

    def nearest(self, heard: str) -> tuple[LineToRecord | None, float, float]:
        """The line that it is nearest to, how far, and how far the next one is that has other words."""
        if not heard.strip():
            return None, 1.0, 1.0
        # By their letters first: finding out how a line sounds takes its time.
        near = process.extract(_plain(heard), self.plain, scorer=fuzz.ratio, processor=None, limit=_CANDIDATES)
        lines = [self.lines[number] for _, _, number in near]
        order = sorted(((self.error(heard, line), line.number, line) for line in lines), key=lambda one: one[:2])
        if not order:
            return None, 1.0, 1.0
        # Of lines that say the same, whichever comes first has not been clearly heard either.
        return order[0][2], order[0][0], order[1][0] if len(order) > 1 else 1.0


def _by_name(recordings: Sequence[NamedRecording],
             lines: Sequence[LineToRecord]) -> dict[int, tuple[LineToRecord | None, By]]:
    stems = {one.id: _stem(one.name) for one in recordings}
    found: dict[int, tuple[LineToRecord | None, By]] = {}
    for pk, line in _by_number(stems, lines).items():
        found[pk] = line, "number"
    for pk, stem in stems.items():
        if pk not in found:
            meant = _by_words(stem, lines)
            if meant:
                found[pk] = meant, "name"
    return found


def _stem(name: str) -> str:
    return unicodedata.normalize("NFC", PurePosixPath(name.replace("\\", "/")).stem)


def _by_number(stems: Mapping[int, str], lines: Sequence[LineToRecord]) -> dict[int, LineToRecord]:
    """By the digits at that place in the names, and that way of counting, by which most files have a line of their
    own: lines are counted through, or each speaker's by themselves."""
    groups = {pk: [int(one) for one in _DIGITS.findall(_TAG.sub(" ", stem))] for pk, stem in stems.items()}
    through = {line.number: line for line in lines}
    of_speaker: dict[tuple[str, int], LineToRecord] = {}
    counts: Counter[str] = Counter()
    for line in lines:
        counts[line.speaker] += 1
        of_speaker[line.speaker, counts[line.speaker]] = line
    speakers = {pk: _speaker_in(stem, counts) for pk, stem in stems.items()}

    def counted_through(pk: int, number: int) -> LineToRecord | None:
        line = through.get(number)
        return line if line and (speakers[pk] is None or line.speaker == speakers[pk]) else None

    def of_their_own(pk: int, number: int) -> LineToRecord | None:
        return of_speaker.get((speakers[pk] or "", number))

    best: dict[int, LineToRecord] = {}
    ways: Iterable[Callable[[int, int], LineToRecord | None]] = (counted_through, of_their_own)
    for way in ways:
        for place in (0, -1, 1):
            found: dict[int, LineToRecord] = {}
            for pk, digits in groups.items():
                if len(digits) > (place if place >= 0 else 0):
                    meant = way(pk, digits[place])
                    if meant:
                        found[pk] = meant
            # Counting through is what sheets ask for: another way must find clearly more.
            more = _CLEARLY_MORE if way is of_their_own else 1.0
            if len({line.id for line in found.values()}) > more * len({line.id for line in best.values()}):
                best = found
    return best


def _speaker_in(stem: str, speakers: Iterable[str]) -> str | None:
    """Whose name stands in a file's; the longest where there are several."""
    plain = f" {_plain(stem)} "
    there = [name for name in speakers if _plain(name) and f" {_plain(name)} " in plain]
    return max(there, key=len, default=None)


def _by_words(stem: str, lines: Sequence[LineToRecord]) -> LineToRecord | None:
    """The line whose first words the name has, where that is one alone."""
    plain = _plain(regex.sub(r"\d+", " ", stem))
    if len(plain) < 6:
        return None
    near = []
    for line in lines:
        words = _plain(line.words)
        likeness = Levenshtein.normalized_similarity(plain, words[: len(plain)]) if words else 0.0
        if likeness >= _NAMED:
            near.append((likeness, line))
    near.sort(key=lambda one: (-one[0], one[1].number))
    if not near or (len(near) > 1 and near[0][0] - near[1][0] < 0.05):
        return None
    return near[0][1]


def _plain(text: str) -> str:
    return " ".join(regex.findall(r"[\p{L}\p{M}\p{N}]+", text.casefold()))
