"""What of a script its file in some format cannot hold: told before it goes out, found by reading it again."""

from __future__ import annotations

import bisect
from collections.abc import Callable

from janoglot.core.errors import BadInput, Problem
from janoglot.core.script.formats import read_script, written
from janoglot.core.script.formats.base import BinaryFormat, Hints, ScriptFormat
from janoglot.core.script.model import Script, ScriptLine

_AWAY = 0.0015
"""Seconds: files hold whole milliseconds."""
Pair = tuple[ScriptLine, ScriptLine]


def unheld(fmt: ScriptFormat | BinaryFormat, script: Script, source_language: str) -> list[Problem]:
    """One problem for each kind of thing that is lost, with how often; none where all of it comes back."""
    try:
        again = read_script(written(fmt, script, source_language), f"a{fmt.suffixes[0]}",
                            Hints(format=fmt.id, source_language=source_language, prose=False))
    except BadInput:
        return [Problem("unheld_all", "No line of this script can be told in {format}.", {"format": fmt.name})]
    pairs = _pairs(script.lines, again.lines)
    gone = sum(bool(line.words or line.wordings) for line in script.lines) - len(pairs)
    found = [Problem("unheld_lines", "{count} lines without a slot, or otherwise than {format} has them.",
                     {"count": gone, "format": fmt.name})] if gone else []
    for code, template, lost in _KINDS:
        count = sum(lost(one, other) for one, other in pairs)
        if count:
            found.append(Problem(code, template, {"count": count}))
    languages = [tag for tag in script.languages if any(
        line.wordings.get(tag, "").strip() and not back.wordings.get(tag) for line, back in pairs)]
    if languages:
        found.append(Problem("unheld_wordings", "The wordings in {languages}.", {"languages": ", ".join(languages)}))
    if script.editions and not again.editions:
        found.append(Problem("unheld_decisions",
                             "Castings, timing and all else that was decided: that is in JSON alone."))
    return found


_KINDS: tuple[tuple[str, str, Callable[[ScriptLine, ScriptLine], bool]], ...] = (
    ("unheld_speakers", "Who speaks, of {count} lines.", lambda one, other: one.speaker != other.speaker),
    ("unheld_words", "Spaces and signs as they are in {count} lines.", lambda one, other: one.words != other.words),
    ("unheld_slots", "The slots of {count} lines.", lambda one, other: _away(one, other)),
    ("unheld_notes", "The notes of {count} lines, or a part of them.",
     lambda one, other: bool(one.notes) and one.notes != other.notes),
    ("unheld_parts", "The parts of {count} lines.", lambda one, other: bool(one.part) and one.part != other.part),
    ("unheld_delivery", "How {count} lines should sound.",
     lambda one, other: bool(one.delivery) and not other.own and one.delivery != other.delivery),
    ("unheld_on_screen", "That {count} lines are read on the screen.",
     lambda one, other: one.on_screen and not other.on_screen),
)


def _away(one: ScriptLine, other: ScriptLine) -> bool:
    if one.slot is None or other.slot is None:
        return one.slot is not None
    return any(abs(was - is_now) > _AWAY for was, is_now in zip(one.slot, other.slot, strict=True))


def _pairs(lines: list[ScriptLine], again: list[ScriptLine]) -> list[Pair]:
    """Each line with what came back of it, in order; lines of which nothing did are passed over."""
    places: dict[str, list[int]] = {}
    for place, line in enumerate(lines):
        places.setdefault(_bare(line.words), []).append(place)
    found = []
    at = 0
    for other in again:
        said = places.get(_bare(other.words), [])
        nearest = bisect.bisect_left(said, at)
        if nearest < len(said):
            found.append((lines[said[nearest]], other))
            at = said[nearest] + 1
    return found


def _bare(words: str) -> str:
    return "".join(ch for ch in words if ch.isalnum())
