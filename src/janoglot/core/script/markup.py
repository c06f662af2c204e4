"""Marks in text that are not words: directions in brackets, music, tags, emphasis. All of it in one look at the text,
however it was made: a pattern that begins anew at each of ten thousand brackets looks at the rest ten thousand times.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from janoglot.core.script.directions import is_known, is_pause

_OPEN = {"(": ")", "[": "]", "（": "）", "［": "］", "【": "】"}
_DIRECTION = re.compile(
    r" ?(?:\(([^()]*)\)|\[([^\[\]]*)\]|（([^（）]*)）|［([^［］]*)］|【([^【】]*)】|([♪♫♬][^♪♫♬]*(?:[♪♫♬]+|$))) ?")
_BRACKET = re.compile(r"[()\[\]（）［］【】♪♫♬]")
_BREAKS = re.compile(r"[\t\n\r\v\f\x1c-\x1e\x85\u2028\u2029]+")
_TAG = re.compile(r"</?[A-Za-z][^<>]*>|<\d[\d:.]*>|\{\\[^{}]*\}|\{[A-Za-z]:[^{}]*\}")
_BREAK = re.compile(r"<\s?[Bb][Rr]\s?/?>|\\[Nn](?=\S|$)")
_MARK = re.compile(r"\*{1,3}|_")
_CLOSERS = tuple(",.;:!?…")


def one_row(text: str) -> str:
    """``text`` on one row. No-break spaces and double spaces are the writer's own, and stay."""
    if not _BREAKS.search(text):
        return text.strip(" ")
    return " ".join(piece for piece in (part.strip(" ") for part in _BREAKS.split(text)) if piece)


def without_tags(text: str) -> str:
    """Without tags and codes; where one says that a row ends, it does."""
    return _TAG.sub("", _BREAK.sub("\n", text))


class Taken(NamedTuple):
    """``pauses``: before which of the words (from 0) one was asked for."""

    words: str
    notes: list[str]
    pauses: list[int]


def take_directions(text: str) -> Taken:
    """The words to be spoken, and what stood among them in brackets or between notes of music.

    >>> take_directions("(softly) Mind the step [a pause] there.")
    Taken(words='Mind the step there.', notes=['softly', 'a pause'], pauses=[3])
    >>> take_directions("The clock (1912) still runs.").words
    'The clock (1912) still runs.'
    >>> take_directions("♪ Row, row the boat ♪").notes
    ['♪ Row, row the boat ♪']
    """
    row = one_row(text)
    if not _BRACKET.search(row):
        return Taken(row, [], [])
    notes: list[str] = []
    pauses: list[int] = []
    pieces: list[str] = []
    at = words = 0
    for found in _DIRECTION.finditer(row):
        note = next((group for group in found.groups() if group), "").strip()
        if _is_said(found, note, row):
            continue
        before = row[at:found.start()]
        words += len(before.split())
        if note and note.strip("♪♫♬ "):
            notes.append(note)
            pauses += [words] if is_pause(note) else []
        pieces.append(before)
        # Where a direction stood before a mark, the mark moves up; spaces that the writer set before marks stay.
        moves_up = row[found.end():found.end() + 1] in _CLOSERS and found.end() < len(row)
        if not moves_up and any(pieces) and found.end() < len(row) and not pieces[-1].endswith(" "):
            pieces.append(" ")
        at = found.end()
    pieces.append(row[at:])
    return Taken("".join(pieces).strip(), notes, pauses)


def _is_said(found: re.Match[str], note: str, row: str) -> bool:
    """Whether what stands in round brackets within a sentence is said: a year or another figure, or a name."""
    if not found[0].strip().startswith(("(", "（")) or not note or is_known(note):
        return False
    before, after = row[:found.start()].rstrip(), row[found.end():]
    within = bool(before) and before[-1] not in ".!?…。！？»”\"'’:" and bool(after.strip(" .,;!?…"))
    return within and (any(sign.isdigit() for sign in note) or (note[0].isupper() and not note.isupper()))


def whole_directions(rows: Sequence[str], most: int = 4) -> list[str]:
    """The rows, those that a direction runs over made one: an opening bracket whose closing one stands at most so many
    rows further on, with no empty row between."""
    found: list[str] = []
    at = 0
    while at < len(rows):
        row, ahead = rows[at], 1
        closing = _left_open(row)
        while closing and ahead <= most and at + ahead < len(rows) and rows[at + ahead].strip():
            if closing in rows[at + ahead]:
                row = " ".join([*(one.strip() for one in rows[at:at + ahead + 1])])
                # Rows keep their numbers.
                found += [row, *[""] * ahead]
                at += ahead + 1
                break
            ahead += 1
        else:
            found.append(row)
            at += 1
    return found


def _left_open(row: str) -> str:
    """The closing bracket that ``row`` wants for its last opening one; "" where none is open."""
    brackets = _BRACKET.findall(row)
    return _OPEN.get(brackets[-1], "") if brackets else ""


def without_spans(text: str, opening: str, closing: str) -> str:
    """Without what stands between ``opening`` and ``closing``, which may run over rows; these keep their numbers."""
    pieces: list[str] = []
    at = 0
    while True:
        begin = text.find(opening, at)
        end = text.find(closing, begin + len(opening)) if begin >= 0 else -1
        if end < 0:
            pieces.append(text[at:])
            return "".join(pieces)
        pieces += [text[at:begin], "\n" * text.count("\n", begin, end)]
        at = end + len(closing)


def without_emphasis(text: str) -> str:
    """Without pairs of ``*``, ``**``, ``***`` and ``_`` that stand around something; a backslash keeps one."""
    opened: dict[str, int] = {}
    taken: list[tuple[int, int]] = []
    for mark in _MARK.finditer(text):
        begin, end = mark.span()
        if begin and text[begin - 1] == "\\":
            continue
        before, after = text[begin - 1:begin], text[end:end + 1]
        sign = mark[0]
        if sign in opened and before.strip() and opened[sign] + len(sign) < begin:
            start = opened.pop(sign)
            taken += [(start, start + len(sign)), (begin, end)]
            # What was opened within it and not closed is a sign of its own.
            opened = {other: place for other, place in opened.items() if place < start}
        elif after.strip() and sign not in opened:
            opened[sign] = begin
    pieces, at = [], 0
    for begin, end in sorted(taken):
        pieces.append(text[at:begin])
        at = end
    return "".join([*pieces, text[at:]])
