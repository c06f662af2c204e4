"""Captions timed to the dub: from placed lines and their word marks to readable cues."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import Path

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Need, Report, Stores, require
from janoglot.core.edition.plan import MixPlan
from janoglot.core.script.formats.cues import Cue, read_cues
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.script.formats.webvtt import write_webvtt
from janoglot.core.script.model import Script
from janoglot.core.speech.takes import WordMark, scaled_words

LINE_WIDTH = 42
"""Columns in a row of a caption; wide characters take two (common practice for Latin text)."""
ROWS = 2
SHORTEST = 0.7
"""Seconds. A cue is not cut shorter than this."""


@dataclass(frozen=True, slots=True)
class CaptionLine:
    """A placed line: words from ``start`` to ``end``, ``marks`` relative to ``start`` (as played)."""

    speaker: str
    words: str
    start: float
    end: float
    marks: Sequence[WordMark] = ()


def caption_lines(plan: MixPlan) -> list[CaptionLine]:
    """What is read while the mix is heard."""
    return [CaptionLine(line.speaker, " ".join(line.words.split()), line.start, line.end,
                        scaled_words(line.take.words, line.take.seconds, line.seconds)) for line in plan.lines]


def captions(lines: Sequence[CaptionLine]) -> list[Cue]:
    """Cues in order of time: long lines cut at sentences, clauses, then words, each piece at its own time."""
    cues: list[Cue] = []
    for line in sorted(lines, key=lambda line: line.start):
        pieces = _pieces(line.words)
        times = [line.start + _time_of(line, at) for at, _ in pieces]
        times[0] = line.start
        for number, (_, text) in enumerate(pieces):
            end = times[number + 1] if number + 1 < len(pieces) else line.end
            cues.append(Cue(round(times[number], 3), round(max(end, times[number] + 0.001), 3), wrap(text),
                            speaker=line.speaker))
    return cues


def _time_of(line: CaptionLine, at: int) -> float:
    """Seconds into the line at which the character ``at`` is spoken."""
    for mark in line.marks:
        if mark.at + mark.length > at:
            return mark.start
    return (line.end - line.start) * at / max(1, len(line.words))


def width(text: str) -> int:
    return sum(2 if unicodedata.east_asian_width(ch) in "WF" else 1 for ch in text
               if not unicodedata.combining(ch))


def _pieces(words: str) -> list[tuple[int, str]]:
    """``(offset, text)`` of pieces that each fit one cue."""
    if width(words) <= LINE_WIDTH * ROWS:
        return [(0, words)]
    for pattern in (r"(?<=[.!?…।؟。！？])[\"”’»)]*\s*", r"(?<=[,;:—–،，、；])\s*", r"\s+", r""):
        cut = _cut_near_middle(words, pattern)
        if cut is not None:
            left, right = words[:cut], words[cut:]
            offset = cut + len(right) - len(right.lstrip())
            return _pieces(left.rstrip()) + [(offset + at, text) for at, text in _pieces(right.strip())]
    return [(0, words)]


def _cut_near_middle(words: str, pattern: str) -> int | None:
    """The cut nearest to the middle that leaves both sides a fifth of the words."""
    cuts = [match.end() for match in re.finditer(pattern, words)]
    cuts = [cut for cut in cuts if 0.2 * len(words) < cut < 0.8 * len(words)]
    return min(cuts, key=lambda cut: abs(cut - len(words) / 2)) if cuts else None


def wrap(text: str) -> str:
    """``text`` in at most two rows of nearly the same width."""
    if width(text) <= LINE_WIDTH:
        return text
    spaces = [match.start() for match in re.finditer(r" ", text)]
    if not spaces:
        return text
    fitting = [at for at in spaces if width(text[:at]) <= LINE_WIDTH and width(text[at + 1:]) <= LINE_WIDTH]
    at = min(fitting or spaces, key=lambda at: abs(at - len(text) / 2))
    return f"{text[:at]}\n{text[at + 1:]}"


_WRITERS = {"srt": write_srt, "vtt": write_webvtt}
_ROUNDED = 0.0015
"""Seconds: files hold whole milliseconds."""


def _write_down(material: Material) -> Data:
    plan = material.plan()
    return {"lines": [asdict(line) for line in caption_lines(plan)], "seconds": plan.seconds}


def _cues(order: Data) -> list[Cue]:
    return captions([CaptionLine(**{**line, "marks": [WordMark(**mark) for mark in line["marks"]]})
                     for line in order["lines"]])


def _make(ending: str, order: Data, stores: Stores, place: Path) -> Report:
    cues = _cues(order)
    place.write_text(_WRITERS[ending](cues), encoding="utf-8", newline="\n")
    return {"cues": float(len(cues))}


def _check(order: Data, place: Path, report: Report) -> Report:
    wanted, found = _cues(order), read_cues(place.read_text(encoding="utf-8"), Script())
    require(len(found) == len(wanted), "Read again it holds {found} captions, not {wanted}.", found=len(found),
            wanted=len(wanted))
    for one, meant in zip(found, wanted, strict=True):
        kept = abs(one.start - meant.start) <= _ROUNDED and abs(one.end - meant.end) <= _ROUNDED
        require(kept and one.text.strip() != "", "The caption at {at:.3f} s is not what it should be.", at=meant.start)
        require(one.end <= order["seconds"] + _ROUNDED, "The caption at {at:.3f} s outlasts the track.", at=one.start)
    return {}


DELIVERABLES = tuple(
    Deliverable(f"captions.{ending}", kind, _write_down, partial(_make, ending), _check,
                frozenset({Need.VOICED, Need.READ}))
    for ending, kind in (("srt", "application/x-subrip; charset=utf-8"), ("vtt", "text/vtt; charset=utf-8")))
