"""What caption formats share: cues with times, read tolerantly with what was wrong, by row.

The usual readers either stop at the first bad cue or drop it in silence; a producer must see which one
it was, so the blocks are taken apart here, and the usual readers check in the tests what is written.
"""

from __future__ import annotations

import html
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from janoglot.core.errors import Problem
from janoglot.core.script.formats.base import UNNAMED
from janoglot.core.script.formats.frames import timed
from janoglot.core.script.formats.plain import take_directions
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.naming import Names, label_of

_TIMING = re.compile(r"^\s*(?P<start>[\d:;.,]+)\s*-{1,2}>\s*(?P<end>[\d:;.,]+)(?:\s+.*)?$")
_VOICE = re.compile(r"<v(?:\.[^\s>]*)?[ \t]+([^>]+)>")
_MARKUP = re.compile(r"</?[A-Za-z][^>]*>|<\d[\d:.]*>|\{\\[^}]*\}")


@dataclass(frozen=True, slots=True)
class Cue:
    """Words on the screen from ``start`` to ``end`` (seconds). ``text`` may hold line breaks."""

    start: float
    end: float
    text: str
    row: int | None = None
    speaker: str = ""


def read_cues(text: str, script: Script) -> list[Cue]:
    """Every cue that has times, in the file's order; what is wrong goes to ``script.problems``."""
    rows = text.split("\n")
    starts = [n for n, row in enumerate(rows) if "->" in row and _TIMING.match(row)]
    for n, row in enumerate(rows):
        if "-->" in row and not _TIMING.match(row):
            script.problems.append(Problem("bad_cue_time", "“{text}” is not a pair of times: the cue was left out. "
                                           "Write 00:00:01,000 --> 00:00:02,500.", {"text": row.strip()[:60]}, n + 1))
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
        cues.append(Cue(start, end, "\n".join(_body(rows, at, starts, index)), at + 1))
    return cues


def _body(rows: list[str], at: int, starts: list[int], index: int) -> list[str]:
    stop = starts[index + 1] if index + 1 < len(starts) else len(rows)
    body: list[str] = []
    for n in range(at + 1, stop):
        row = rows[n].strip()
        if not row or "-->" in row:
            # Some programs leave a blank row inside a cue; a number or a block's name starts the next one.
            following = next((r.strip() for r in rows[n + 1:stop] if r.strip()), "")
            if not row and following and "-->" not in following and not following.isdigit() and n + 2 < stop and (
                not re.match(r"^(NOTE|STYLE|REGION)\b", following)
            ) and index + 1 < len(starts) and rows[starts[index + 1] - 1].strip().isdigit():
                continue
            break
        body.append(row)
    return body


def lines_of_cues(cues: list[Cue], script: Script, known: Iterable[str] = ()) -> list[ScriptLine]:
    """Lines from cues: voice tags or ``Name:`` give the speaker, two speakers in a cue give two lines.

    ``known``: names that are speakers anyway.
    """
    lines = []
    named = False
    tagged = {html.unescape(name).strip() for cue in cues for name in _VOICE.findall(cue.text)}
    names = Names(_first_rows_and_labels(cues), {*known, *tagged}, captions=True)
    for cue in cues:
        spans = _spans(cue.text, names, cue.row)
        if not spans:
            script.problems.append(Problem("no_words", "A cue without words: left out.", {}, cue.row))
            continue
        named = named or any(name for name, _, _ in spans)
        letters = sum(len(words) for _, words, _ in spans)
        start = cue.start
        for name, words, notes in spans:
            end = start + (cue.end - cue.start) * len(words) / letters
            lines.append(ScriptLine(name or UNNAMED, words, round(start, 3), round(end, 3), "; ".join(notes), "",
                                    cue.row))
            start = end
    script.problems += names.problems
    if lines and not named:
        script.problems.append(Problem("no_speakers", "No cue names its speaker: all lines were given to "
                                       "“{unnamed}”.", {"unnamed": UNNAMED}, severity="note"))
    return lines


def _first_rows_and_labels(cues: Iterable[Cue]) -> Iterator[str]:
    """The rows of cues in which a name may stand: the first, and what looks like one in those after it."""
    for cue in cues:
        for number, row in enumerate(_plain(cue.text).split("\n")):
            if row.strip() and (number == 0 or label_of(row.strip())):
                yield row.strip()


def _plain(text: str) -> str:
    return html.unescape(_MARKUP.sub("", text)).strip()


def _spans(text: str, names: Names, at_row: int | None) -> list[tuple[str, str, list[str]]]:
    """``(speaker, words, directions)`` for each run of one speaker's words in a cue's text."""
    spans: list[tuple[str, str, list[str]]] = []
    pieces = _VOICE.split(text)
    # split() gives: text before the first tag, then name and text by turns.
    named = [("", pieces[0]), *zip(pieces[1::2], pieces[2::2], strict=True)]
    for name, raw in named:
        for row in html.unescape(_MARKUP.sub("", raw)).split("\n"):
            speech = None if name else names.split(row.strip(), at_row)
            words, notes = take_directions(speech.words if speech else row)
            if speech and speech.aside:
                notes.insert(0, speech.aside)
            speaker = html.unescape(name).strip() or (speech.name if speech else "")
            if not words and not notes:
                continue
            if spans and (spans[-1][0] == speaker or not speaker):
                last, before, earlier = spans[-1]
                spans[-1] = (last, f"{before} {words}".strip(), [*earlier, *notes])
            else:
                spans.append((speaker, words, notes))
    return [span for span in spans if span[1]]
