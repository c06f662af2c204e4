"""Words of a table or of JSON that are marked up in SSML: the plain words, and what is directed of them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from janoglot.core.errors import Problem
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.speech.directing import DirectionMark
from janoglot.core.speech.ssml import DirectedLine, looks_like_ssml, read_words


def take_markup(script: Script) -> None:
    """Have every marked-up cell's plain words in its place, and its marks with the line. Of what cannot be read the
    text stays as it is, and that is told."""
    for line in script.lines:
        if looks_like_ssml(line.words):
            told = _read(line.words, line, script)
            if told:
                line.words = told.words
                line.own.setdefault(SOURCE, {})["direction"] = _direction(told)
        for tag, text in line.wordings.items():
            if looks_like_ssml(text):
                told = _read(text, line, script)
                if told:
                    line.wordings[tag] = told.words
                    line.own.setdefault(tag, {})["direction"] = _direction(told)


SOURCE = ""
"""Stands for the source's language in a line's own decisions until that is known."""


def _read(text: str, line: ScriptLine, script: Script) -> DirectedLine | None:
    read = read_words(text)
    for problem in read.problems:
        script.problems.append(Problem("markup", "In the markup of “{words}”: {what}",
                                       {"words": text[:40], "what": problem.message}, line.row,
                                       "warning" if problem.severity == "error" else "note"))
    if read.errors or not read.lines:
        return None
    first = read.lines[0]
    # Several sentences of one cell are one line.
    for more in read.lines[1:]:
        moved = len(first.words.split())
        first = DirectedLine(f"{first.words} {more.words}",
                             (*first.marks, *(_moved(mark, moved) for mark in more.marks)), first.moods or more.moods)
    return first


def _moved(mark: DirectionMark, by: int) -> DirectionMark:
    return replace(mark, word=mark.word + by)


def _direction(told: DirectedLine) -> dict[str, Any]:
    found: dict[str, Any] = {"marks": [mark.as_json() for mark in told.marks], "said": told.words,
                             "moods": dict(told.moods), "variant": told.variant}
    return {name: value for name, value in found.items() if value}
