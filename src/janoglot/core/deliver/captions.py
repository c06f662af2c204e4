"""Captions timed to the dub: from placed lines and their word marks to readable cues."""

from __future__ import annotations

import math
import re
import unicodedata
from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass, replace
from functools import partial
from pathlib import Path

from janoglot.core.deliver.caption_rules import CaptionStyle, break_cost, width
from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Need, Report, Stores, require
from janoglot.core.edition.plan import MixPlan
from janoglot.core.script.formats.cues import Cue, read_cues
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.script.formats.webvtt import write_webvtt
from janoglot.core.script.model import Script
from janoglot.core.speech.takes import WordMark, scaled_words

USUAL = CaptionStyle()


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


def captions(lines: Sequence[CaptionLine], style: CaptionStyle = USUAL, language: str = "",
             names: Collection[str] = ()) -> list[Cue]:
    """Cues in order of time: long lines cut at sentences, clauses, then words, each piece at its own time; rows broken
    where nothing that belongs together is torn apart (``names``: pairs of words that do). What is read too fast or
    shown too shortly stays on the screen while nobody else speaks."""
    cues: list[Cue] = []
    for line in sorted(lines, key=lambda line: line.start):
        pieces = _pieces(line.words, style, language, names)
        times = [line.start + _time_of(line, at) for at, _ in pieces]
        times[0] = line.start
        for number, (_, text) in enumerate(pieces):
            end = times[number + 1] if number + 1 < len(pieces) else line.end
            said = f"{line.speaker}: {text}" if style.names and line.speaker and number == 0 else text
            cues.append(Cue(round(times[number], 3), round(max(end, times[number] + 0.001), 3),
                            wrap(said, style, language, names), speaker=line.speaker))
    return cues


def readable(cues: Sequence[Cue], style: CaptionStyle, seconds: float) -> list[Cue]:
    """The same captions, shown for longer where that is needed and nobody else's begins before; none past ``seconds``,
    the end of the programme."""
    made = []
    for number, cue in enumerate(cues):
        needed = max(style.shortest, len(cue.text.replace("\n", " ")) / style.fastest)
        until = cues[number + 1].start - style.gap if number + 1 < len(cues) else seconds
        end = max(cue.end, min(cue.start + min(needed, style.longest), until, seconds))
        made.append(replace(cue, end=round(end, 3)))
    return made


def _time_of(line: CaptionLine, at: int) -> float:
    """Seconds into the line at which the character ``at`` is spoken."""
    for mark in line.marks:
        if mark.at + mark.length > at:
            return mark.start
    return (line.end - line.start) * at / max(1, len(line.words))


def _pieces(words: str, style: CaptionStyle, language: str, names: Collection[str]) -> list[tuple[int, str]]:
    """``(offset, text)`` of pieces that each fit one cue."""
    if width(words) <= style.columns * style.rows and _fits(wrap(words, style, language, names), style):
        return [(0, words)]
    for pattern in (r"(?<=[.!?…।؟。！？])[\"”’»)]*\s*", r"(?<=[,;:—–،，、；])\s*", r"\s+", r""):
        cut = _cut_near_middle(words, pattern, language, names)
        if cut is not None:
            left, right = words[:cut], words[cut:]
            offset = cut + len(right) - len(right.lstrip())
            return _pieces(left.rstrip(), style, language, names) + [
                (offset + at, text) for at, text in _pieces(right.strip(), style, language, names)]
    return [(0, words)]


def _fits(text: str, style: CaptionStyle) -> bool:
    rows = text.split("\n")
    if len(rows) <= style.rows and max(map(width, rows)) <= style.columns:
        return True
    # A word that is longer than a row is left to whoever shows it.
    return " " not in text.strip() and not _breaks(text)


def _cut_near_middle(words: str, pattern: str, language: str, names: Collection[str]) -> int | None:
    """The cut nearest to the middle that leaves both sides a fifth of the words; between words, where that can be,
    only where none belong together."""
    cuts = [match.end() for match in re.finditer(pattern, words)]
    cuts = [cut for cut in cuts if 0.2 * len(words) < cut < 0.8 * len(words)]
    if pattern == r"\s+":
        cuts = [cut for cut in cuts if break_cost(words, cut, language, names) < 6] or cuts
    return min(cuts, key=lambda cut: abs(cut - len(words) / 2)) if cuts else None


_NOT_FIRST = frozenset("、。，．,.・：；:;？！?!」』）】〉》〕)]’”ーぁぃぅぇぉっゃゅょゎァィゥェォッャュョヮヵヶ々…％°")
_NOT_LAST = frozenset("「『（【〈《〔([‘“")
"""What begins no row, and what ends none, where writing has no spaces (after JIS X 4051)."""
_AFTER_A_MARK = frozenset("、。，．：；？！」』…")


def _breaks(text: str) -> list[int]:
    """Where a row may end in writing without spaces: beside a wide letter."""
    return [at for at in range(1, len(text)) if (width(text[at - 1]) > 1 or width(text[at]) > 1)
            and text[at] not in _NOT_FIRST and text[at - 1] not in _NOT_LAST and not unicodedata.combining(text[at])]


def _wrapped_anywhere(text: str, style: CaptionStyle) -> str:
    """Writing without spaces in as few rows as hold it, of nearly the same width, broken after a mark where one is
    near; as it is where no rows hold it."""
    count = math.ceil(width(text) / style.columns)
    places = _breaks(text)
    if count > style.rows or not places:
        return text
    rows, rest = [], text
    while count > 1:
        wanted = width(rest) / count
        fitting = [at for at in _breaks(rest) if width(rest[:at]) <= style.columns
                   and width(rest[at:]) <= style.columns * (count - 1)]
        if not fitting:
            return text
        at = min(fitting, key=lambda one: abs(width(rest[:one]) - wanted) - 6.0 * (rest[one - 1] in _AFTER_A_MARK))
        rows.append(rest[:at])
        rest, count = rest[at:], count - 1
    return "\n".join([*rows, rest])


def wrap(text: str, style: CaptionStyle = USUAL, language: str = "", names: Collection[str] = ()) -> str:
    """``text`` in as few rows as hold it, of nearly the same width, broken where it costs least."""
    total = width(text)
    if total <= style.columns:
        return text
    spaces = [match.start() for match in re.finditer(r" ", text)]
    if style.rows < 2:
        return text
    if not spaces:
        return _wrapped_anywhere(text, style)
    if style.rows > 2 and total > 2 * style.columns:
        # The first row ends where it costs least, where the rest still fits the rows that are left.
        rest_style = replace(style, rows=style.rows - 1)
        best: tuple[float, str] | None = None
        for at in [at for at in spaces if width(text[:at]) <= style.columns]:
            rest = wrap(text[at + 1:], rest_style, language, names)
            cost = break_cost(text, at, language, names) + _row_costs(rest, language, names)
            cost += 0.0 if _fits(rest, rest_style) else 50.0
            if best is None or cost <= best[0]:
                best = cost, f"{text[:at]}\n{rest}"
        return best[1] if best else text
    fitting = [at for at in spaces if width(text[:at]) <= style.columns and width(text[at + 1:]) <= style.columns]
    middle = len(text) / 2
    at = min(fitting or spaces, key=lambda at: break_cost(text, at, language, names) + 8 * abs(at - middle) / middle)
    return f"{text[:at]}\n{text[at + 1:]}"


def _row_costs(text: str, language: str, names: Collection[str]) -> float:
    flat = text.replace("\n", " ")
    return sum(break_cost(flat, at, language, names) for at, ch in enumerate(text) if ch == "\n")


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
