"""What caption formats share: cues with times, read tolerantly with what was wrong, by row.

The usual readers either stop at the first bad cue or drop it in silence; a producer must see which one
it was, so the blocks are taken apart here, and the usual readers check in the tests what is written.
"""

from __future__ import annotations

import html
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import reduce

from janoglot.core.errors import Problem
from janoglot.core.script.cutting import joined
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.formats.frames import timed
from janoglot.core.script.limits import LONGEST_WORDING, check_rows, check_wording
from janoglot.core.script.markup import take_directions, whole_directions, without_tags
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.naming import Names, label_of

_TIMING = re.compile(r"^\s*(?P<start>[\d:;.,]+)\s*-{1,2}>\s*(?P<end>[\d:;.,]+)(?:\s.*)?$")
_VOICE = re.compile(r"<v(?:\.[^\s<>]*)?[ \t]([^<>]+)>")
_TURN = re.compile(r"^(?:[-–—]|>>)\s*(?=\S)")
_MARKUP = 10
"""How many times as long as its words a cue may be with all its marks: more is refused before it is looked at."""
_MOST_NUMBERED = 0.5
"""Of the times, that a number stands before: from here on a file numbers its cues."""


@dataclass(frozen=True, slots=True)
class Cue:
    """Words on the screen from ``start`` to ``end`` (seconds). ``text`` may hold line breaks."""

    start: float
    end: float
    text: str
    row: int | None = None
    speaker: str = ""
    timed: bool = True
    """False where the file gives no times that run forward: ``start`` and ``end`` mean nothing then."""


def read_cues(text: str, script: Script) -> list[Cue]:
    """Every cue that has times, in the file's order; what is wrong goes to ``script.problems``."""
    rows = text.split("\n")
    starts = [n for n, row in enumerate(rows) if "->" in row and _TIMING.match(row)]
    for n, row in enumerate(rows):
        if "-->" in row and not _TIMING.match(row):
            script.problems.append(Problem("bad_cue_time", "“{text}” is not a pair of times: the cue was left out. "
                                           "Write 00:00:01,000 --> 00:00:02,500.", {"text": row.strip()[:60]}, n + 1))
    numbered = sum(at > 0 and rows[at - 1].strip().isdigit() for at in starts) >= _MOST_NUMBERED * len(starts)
    cues = []
    for index, at in enumerate(starts):
        match = _TIMING.match(rows[at])
        assert match is not None
        start, end = timed(match["start"], script), timed(match["end"], script)
        if start is None or end is None or end <= start:
            script.problems.append(Problem(
                "bad_cue_time", "“{text}” does not run forward in time: the cue was left out.",
                {"text": rows[at].strip()[:60]}, at + 1))
            continue
        following = starts[index + 1] if index + 1 < len(starts) else None
        cues.append(Cue(start, end, "\n".join(_body(rows, at, following, numbered)), at + 1))
    return cues


def _body(rows: list[str], at: int, following: int | None, numbered: bool) -> list[str]:
    """What stands under the times in row ``at``: all of it up to the next times, but for what names those."""
    stop = len(rows) if following is None else following
    if following is not None and stop - 1 > at:
        before = rows[stop - 1].strip()
        # The next cue's number, with a blank row before it or without; or a name of its own, behind a blank row.
        named = before and not numbered and stop - 2 > at and not rows[stop - 2].strip()
        if (numbered and before.isdigit()) or named:
            stop -= 1
    return [row for n in range(at + 1, stop) if (row := rows[n].strip()) and "-->" not in row]


def lines_of_cues(cues: list[Cue], script: Script, hints: Hints, known: Iterable[str] = ()) -> list[ScriptLine]:
    """Lines from cues: voice tags or ``Name:`` give the speaker, two speakers in a cue give two lines.

    ``known``: names that are speakers anyway, beside those of ``hints``. A direction that stands alone is a note of
    the line that follows it.
    """
    for cue in cues:
        if len(cue.text) > _MARKUP * LONGEST_WORDING:
            check_wording(len(cue.text), cue.row)
    check_rows(len(cues))
    lines: list[ScriptLine] = []
    named = False
    tagged = {html.unescape(name).strip() for cue in cues for name in _VOICE.findall(cue.text)}
    tagged |= {cue.speaker for cue in cues if cue.speaker}
    names = Names(_first_rows_and_labels(cues), {*known, *hints.known, *tagged}, True, hints.labels)
    carried = ""
    waiting: list[str] = []
    # Where two speak in one cue a dash begins the words of each; then it does so where one speaks alone.
    dashes = any(_turns(_plain(cue.text).split("\n")) > 1 for cue in cues)
    for cue in _unrolled(cues, script):
        check_rows(len(lines))
        spans, carried = _spans(cue, names, carried, dashes)
        spoken = [span for span in spans if span.words]
        alone = [note for span in spans if not span.words for note in span.notes]
        if not spoken and alone:
            script.problems.append(Problem(
                "direction_kept", "“{text}” is no speech: kept as a note of the next line.",
                {"text": "; ".join(alone)[:60]}, cue.row, "note"))
            waiting += alone
            continue
        if not spoken:
            if not carried:
                script.problems.append(Problem("no_words", "A cue without words: left out.", {}, cue.row))
            continue
        named = named or any(span.speaker for span in spoken)
        letters = sum(len(span.words) for span in spoken)
        start = cue.start
        for number, span in enumerate(spoken):
            end = start + (cue.end - cue.start) * len(span.words) / letters
            notes = [*waiting, *(alone if number == 0 else []), *span.notes]
            first, last = (round(start, 3), round(end, 3)) if cue.timed else (None, None)
            line = ScriptLine(span.speaker or UNNAMED, "", first, last, row=cue.row)
            line.say(span.words, notes, span.pauses)
            lines.append(line)
            start, waiting = end, []
    if waiting and lines:
        lines[-1].say("", waiting)
    script.problems += names.problems
    script.labels = names.decided
    if lines and not named:
        script.problems.append(Problem("no_speakers", "No cue names its speaker: all lines were given to "
                                       "“{unnamed}”.", {"unnamed": UNNAMED}, severity="note"))
    return lines


_ROLLED = 0.5
"""Of the cues, that begin with the row that the one before ended with: from here on a file's captions roll."""


def _unrolled(cues: list[Cue], script: Script) -> list[Cue]:
    """Captions that roll up repeat the row before: said once, where it came first."""
    rows = [[row for row in _plain(cue.text).split("\n") if row.strip()] for cue in cues]
    repeats = [at > 0 and len(rows[at]) > 1 and bool(rows[at - 1]) and rows[at][0] == rows[at - 1][-1]
               for at in range(len(cues))]
    if len(cues) < 4 or sum(repeats) < _ROLLED * sum(len(one) > 1 for one in rows) or not any(repeats):
        return cues
    script.problems.append(Problem(
        "rolled", "{count} captions repeat the row before: it is said once.", {"count": sum(repeats)}, None, "note"))
    return [replace(cue, text="\n".join(cue.text.split("\n")[1:])) if repeat else cue
            for cue, repeat in zip(cues, repeats, strict=True)]


def _first_rows_and_labels(cues: Iterable[Cue]) -> Iterator[str]:
    """The rows of cues in which a name may stand: the first, and what looks like one in those after it."""
    for cue in cues:
        if cue.speaker:
            continue
        for number, row in enumerate(_plain(cue.text).split("\n")):
            if row.strip() and (number == 0 or label_of(row.strip())):
                yield row.strip()


def _plain(text: str) -> str:
    return html.unescape(without_tags(text)).strip()


@dataclass(slots=True)
class _Span:
    """A run of one speaker's words in a cue's text."""

    speaker: str
    said: list[str]
    notes: list[str]
    pauses: list[int]

    @property
    def words(self) -> str:
        # Rows of writing without spaces are joined without one.
        return reduce(joined, filter(None, self.said), "")


def _turns(rows: Iterable[str]) -> int:
    return sum(bool(_TURN.match(row.strip())) for row in rows)


def _spans(cue: Cue, names: Names, carried: str, dashes: bool) -> tuple[list[_Span], str]:
    """The runs of a cue, and whose words the next cue's are, where this one only names them. ``carried``: whose words
    these are, where the cue before said so. ``dashes``: whether a dash says that somebody else begins."""
    spans: list[_Span] = []
    pieces = _VOICE.split(cue.text)
    # split() gives: text before the first tag, then name and text by turns.
    tagged = [(html.escape(cue.speaker), pieces[0]), *zip(pieces[1::2], pieces[2::2], strict=True)]
    for tag, raw in tagged:
        rows = whole_directions([row.strip() for row in _plain(raw).split("\n")])
        for row in rows:
            label = None if tag or not row else names.split(row, cue.row)
            rest = label.words if label else _TURN.sub("", row) if dashes else row
            words, notes, pauses = take_directions(rest)
            if label and label.aside:
                notes.insert(0, label.aside)
            speaker = html.unescape(tag).strip() or (label.name if label else "")
            if label and not words and not notes:
                # A name on a row of its own: what comes next is theirs.
                carried = label.name
                continue
            if not words and not notes:
                continue
            begins = bool(speaker or carried) or (dashes and bool(_TURN.match(row)))
            speaker, carried = speaker or carried, ""
            if spans and (not begins or spans[-1].speaker == speaker != ""):
                before = len(spans[-1].words.split())
                spans[-1].said.append(words)
                spans[-1].notes += notes
                spans[-1].pauses += [before + word for word in pauses]
            else:
                spans.append(_Span(speaker, [words], notes, pauses))
    return spans, carried
