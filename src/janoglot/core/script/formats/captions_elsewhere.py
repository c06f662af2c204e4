"""Captions in formats that are read and not written: SubStation Alpha, SAMI, MicroDVD, SBV, SCC. And what is no script
at all by its first words: refused by name, never read as words.

Source of the readers: pysubs2, but for MicroDVD, whose frames are read at the picture's rate, and SBV.
"""

from __future__ import annotations

import html
import re
from collections.abc import Callable

import pysubs2

from janoglot.core.errors import BadInput, Problem
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.broadcast_captions import read_scc
from janoglot.core.script.formats.cues import Cue, lines_of_cues
from janoglot.core.script.model import Script
from janoglot.core.script.times import USUAL_FPS, read_time

_BEGINNING = 4_000
_SBV = re.compile(r"^(\d{1,2}:\d{2}:\d{2}\.\d{1,3}),(\d{1,2}:\d{2}:\d{2}\.\d{1,3})[ \t]*$")
_MICRODVD = re.compile(r"^\{(\d{1,9})\}\{(\d{1,9})\}(.*)$")
_REFUSED: tuple[tuple[str, re.Pattern[str]], ...] = (
    ("a Rich Text document: save it as DOCX", re.compile(r"^\s*\{\\rtf")),
    ("a PDF: save its text as DOCX or as plain text", re.compile(r"^\s*%PDF-")),
    ("a web page: save its text", re.compile(r"^\s*(?:<!doctype html|<html[\s>])", re.IGNORECASE)),
    ("a translation in XLIFF, which comes in under Adapt", re.compile(r"<xliff[\s>]")),
    ("a translation memory, which comes in under Adapt", re.compile(r"<tmx[\s>]")),
)
_XML = re.compile(r"^\s*(?:<\?xml[^>]{0,200}\?>|<!--.{0,2000}?-->|\s)*<([A-Za-z][\w:.-]{0,60})[\s/>]", re.DOTALL)


def read_captions(text: str, hints: Hints) -> Script | None:
    """A script from captions in one of these formats; None where ``text`` is in none of them."""
    beginning = text[:_BEGINNING]
    for name, begins, read in _FORMATS:
        if begins(beginning):
            script = Script(fps=hints.fps)
            script.lines = lines_of_cues(read(text, script), script, hints)
            script.format = name
            return script
    return None


def refuse(text: str) -> None:
    """Raises BadInput, by its name, for what is no script."""
    beginning = text[:_BEGINNING]
    for what, looks in _REFUSED:
        if looks.search(beginning):
            raise BadInput("This looks like {what}.", what=what)
    element = _XML.match(beginning)
    if element and re.search(rf"</{re.escape(element[1])}\s*>\s*$", text[-300:]):
        raise BadInput("This is XML whose outermost element is “{name}”, which is no script that is known. TTML is "
                       "read; so are text, tables, documents and captions.", name=element[1])


def _by_library(kind: str) -> Callable[[str, Script], list[Cue]]:
    def read(text: str, script: Script) -> list[Cue]:
        try:
            found = pysubs2.SSAFile.from_string(text, format_=kind)
        except (pysubs2.exceptions.Pysubs2Error, ValueError, KeyError, IndexError) as error:
            raise BadInput("These captions cannot be read: {why}.", why=str(error)[:120]) from error
        cues = []
        for number, event in enumerate(found, 1):
            if event.is_comment or event.is_drawing:
                continue
            if event.end <= event.start:
                script.problems.append(Problem("bad_cue_time", "“{text}” does not run forward in time: the cue was "
                                               "left out.", {"text": event.plaintext[:60]}, number))
                continue
            cues.append(Cue(event.start / 1000, event.end / 1000, html.escape(event.plaintext, quote=False), number,
                            event.name.strip()))
        return sorted(cues, key=lambda cue: cue.start)

    return read


def _sbv(text: str, script: Script) -> list[Cue]:
    cues: list[Cue] = []
    for block in re.split(r"\n[ \t]*\n", text):
        rows = block.strip().split("\n")
        times = _SBV.match(rows[0].strip())
        start, end = (read_time(times[1]), read_time(times[2])) if times else (None, None)
        if start is not None and end is not None and end > start:
            cues.append(Cue(start, end, "\n".join(rows[1:]), len(cues) + 1))
        elif block.strip() and cues:
            # A blank row inside a cue.
            last = cues[-1]
            cues[-1] = Cue(last.start, last.end, f"{last.text}\n{block.strip()}", last.row)
    return cues


def _microdvd(text: str, script: Script) -> list[Cue]:
    script.frames = True
    rate = script.fps
    cues = []
    for number, row in enumerate(text.split("\n"), 1):
        found = _MICRODVD.match(row.strip())
        if not found:
            continue
        first, last, said = int(found[1]), int(found[2]), found[3]
        told = re.fullmatch(r"\d{1,3}(?:\.\d{1,3})?", said.strip())
        if first == last and first <= 1 and told:
            # The first row may tell the rate.
            rate = rate or float(said)
            continue
        if rate is None:
            rate = USUAL_FPS
            script.problems.append(Problem(
                "frames", "Times here count frames, such as “{text}”: read at {fps:g} frames a second. Choose the rate "
                "of the picture.", {"text": "{" + str(first) + "}", "fps": rate}))
        if last > first and rate:
            cues.append(Cue(round(first / rate, 3), round(last / rate, 3), said.replace("|", "\n"), number))
    script.fps = rate
    return cues


_FORMATS: tuple[tuple[str, Callable[[str], bool], Callable[[str, Script], list[Cue]]], ...] = (
    ("ass", lambda text: text.lstrip().lower().startswith("[script info]"), _by_library("ass")),
    ("sami", lambda text: bool(re.match(r"\s*<sami[\s>]", text, re.IGNORECASE)), _by_library("sami")),
    ("scc", lambda text: bool(re.match(r"\s*Scenarist_SCC", text, re.IGNORECASE)), read_scc),
    ("sbv", lambda text: bool(_SBV.match(text.lstrip().split("\n", 1)[0])), _sbv),
    ("microdvd", lambda text: bool(_MICRODVD.match(text.lstrip().split("\n", 1)[0])), _microdvd),
)
