"""Long text that one voice reads: cut into parts and into lines that can be said in one breath of work."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from janoglot.core.errors import BadInput
from janoglot.core.script.cutting import sentences
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.limits import LONGEST_NAME, check_rows
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.replacing import Search, pattern

LONGEST_LINE = 320
"""Characters: about 20 seconds. What is wrong in a line is made again with all of it."""
_MARKED = re.compile(r"^#{1,6}\s+(?P<title>\S.*)$")
_NUMBERED = re.compile(
    r"^(?:chapter|part|book|act|scene|section|prologue|epilogue|kapitel|teil|akt|szene|chapitre|partie|acte|scène|"
    r"capítulo|parte|acto|escena|capitolo|atto|cena|hoofdstuk|deel)\b[\s.:—–-]*[\w\s.:’'—–-]{0,80}$", re.IGNORECASE)
_SPACES = re.compile(r"[ \t\f\v]+")
_ROMAN = re.compile(r"^(?=[IVXLC])[IVXLC]{1,8}\.?$")
WAYS = ("", "heading", "paragraph", "characters", "pattern")


def read_prose(text: str, hints: Hints) -> Script:
    """A script of lines by ``hints.narrator``. Raises BadInput for a way that is none, or a broken pattern."""
    way = "heading" if hints.parts_by is None else hints.parts_by
    if way not in WAYS:
        raise BadInput("Parts are made by {ways}, not by “{way}”.", ways=", ".join(WAYS[1:]), way=way)
    hints = replace(hints, parts_by=way)
    search = Search(pattern(hints.pattern, regular=True)) if way == "pattern" else None
    script = Script(prose=True)
    part, filled, count = "", 0, 0
    for row, paragraph in _paragraphs(text, hints, search):
        title = _title(paragraph, hints, search)
        if title is not None:
            part = title[:LONGEST_NAME]
            continue
        if hints.parts_by == "paragraph" or (hints.parts_by == "characters" and (
                not count or filled + len(paragraph) > max(200, hints.most_characters))):
            count, filled = count + 1, 0
            part = str(count) if hints.parts_by == "characters" else _opening(paragraph)
        filled += len(paragraph)
        check_rows(len(script.lines))
        for words in spoken_lines(paragraph):
            script.lines.append(ScriptLine(hints.narrator or "Narrator", words, part=part, row=row))
    return script


def spoken_lines(paragraph: str) -> Iterator[str]:
    """A paragraph in lines of whole sentences, none longer than :data:`LONGEST_LINE` where sentences allow it."""
    line = ""
    for sentence in sentences(paragraph):
        if line and len(line) + len(sentence) + 1 > LONGEST_LINE:
            yield line
            line = ""
        line = f"{line} {sentence}".strip()
        while len(line) > 4 * LONGEST_LINE:
            # A sentence of pages: cut where a clause ends, or at a space.
            at = max(line.rfind(mark, LONGEST_LINE, 3 * LONGEST_LINE) for mark in (";", ",", ":", " ")) + 1
            at = at if at > 1 else 3 * LONGEST_LINE
            yield line[:at].strip()
            line = line[at:].strip()
    if line:
        yield line


def _paragraphs(text: str, hints: Hints, search: Search | None) -> Iterator[tuple[int, str]]:
    """Paragraphs with the row that each begins in. Where no row is empty, each row is a paragraph."""
    rows = text.split("\n")
    filled = [row for row in rows if row.strip()]
    each_row = sum(1 for row in rows if not row.strip()) < len(filled) / 20
    held: list[str] = []
    first = 1
    for number, row in enumerate([*rows, ""], 1):
        stripped = row.strip()
        alone = stripped and (each_row or _title(stripped, hints, search) is not None)
        if (not stripped or alone) and held:
            yield first, " ".join(held)
            held = []
        if alone:
            yield number, _SPACES.sub(" ", stripped)
        elif stripped:
            if not held:
                first = number
            # A word that was cut at the end of its row is one again.
            if held and held[-1].endswith("-") and stripped[:1].islower():
                held[-1] = held[-1][:-1] + stripped.split(" ")[0]
                stripped = " ".join(stripped.split(" ")[1:])
            if stripped:
                held.append(_SPACES.sub(" ", stripped))


def _title(row: str, hints: Hints, search: Search | None) -> str | None:
    """The title that a row is, by the way that was chosen; None where it is words."""
    marked = _MARKED.match(row)
    if search:
        return row if search.holds(row) else None
    if marked:
        return marked["title"].rstrip("# \t")
    if hints.parts_by != "heading" or len(row) > 90:
        return None
    shouted = row.isupper() and len(row) > 3 and row[-1:] not in ".,;:!?…"
    return row if _NUMBERED.match(row) or _ROMAN.match(row) or shouted else None


def _opening(paragraph: str) -> str:
    words = " ".join(paragraph.split()[:6])
    return words if len(words) == len(paragraph) else f"{words} …"
