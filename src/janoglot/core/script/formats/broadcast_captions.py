"""Captions as broadcasters exchange them: EBU STL (EBU Tech 3264) and SCC (CEA-608 bytes by SMPTE time codes).

Source of the readers: ttconv, which knows the codes and character sets; here its documents become cues.
"""

from __future__ import annotations

import html
import logging
import re
from fractions import Fraction

import ttconv.model
import ttconv.scc.reader
from ttconv.stl.datafile import DataFile

from janoglot.core.errors import BadInput, Problem
from janoglot.core.languages import find_tag
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.cues import Cue, lines_of_cues
from janoglot.core.script.limits import check_rows
from janoglot.core.script.model import Script

_STL = re.compile(rb".{3}STL\d\d\.01", re.DOTALL)
_BLOCK, _HEADER = 128, 1024
_MOST_BLOCKS = 240
"""Of one caption, by the standard."""
_LARGEST_SCC = 400_000
_LONGEST_ROW = 20_000
"""Characters of a row of SCC: a caption has two bytes a frame."""
# What it says of single bytes is of no use to a person; what is lost is told by our problems.
logging.getLogger("ttconv").setLevel(logging.CRITICAL)


def is_stl(data: bytes) -> bool:
    return _STL.match(data) is not None


def read_stl(data: bytes, hints: Hints) -> Script:
    """Raises BadInput where its blocks cannot be read."""
    check_rows((len(data) - _HEADER) // _BLOCK // 4)
    script = Script(format="stl")
    try:
        file = DataFile(data[:_HEADER])
        for block in _blocks(data, script):
            # Else one that begins before the last has ended is moved, or left out.
            file.last_end_time = None
            file.process_tti_block(block)
    except Exception as error:  # it raises what it stumbles over
        raise BadInput("These captions look like EBU STL, but cannot be read: {why}.",
                       why=str(error)[:120] or type(error).__name__) from error
    cues = _cues(file.get_document(), script)
    begins = _programme(file)
    if begins and cues and all(cue.start >= begins for cue in cues):
        script.problems.append(Problem(
            "programme_start", "The programme begins at {time} by the file: times are counted from there.",
            {"time": file.gsi.TCP.decode("ascii", "replace")}, None, "note"))
        cues = [Cue(round(cue.start - begins, 3), round(cue.end - begins, 3), cue.text, cue.row) for cue in cues]
    script.source_language = hints.source_language or find_tag(file.get_language()) or None
    script.lines = lines_of_cues(cues, script, hints)
    return script


def _blocks(data: bytes, script: Script) -> list[bytes]:
    """The blocks of text that are captions, without those that no time can be told of; what is left out is told.
    Raises BadInput for more blocks of one caption than there may be."""
    kept: list[bytes] = []
    one: list[bytes] = []
    for at in range(_HEADER, len(data) - _BLOCK + 1, _BLOCK):
        block = data[at: at + _BLOCK]
        if 0xEF < block[3] < 0xFF:
            continue  # a user's own data
        one.append(block)
        if len(one) > _MOST_BLOCKS:
            raise BadInput("These captions look like EBU STL, but one has over {most} blocks.", most=_MOST_BLOCKS)
        if block[3] != 0xFF:
            continue
        number = int.from_bytes(block[1:3], "little")
        if block[15] == 1:
            script.problems.append(Problem("comment", "A comment, which is not shown: left out.", {}, number, "note"))
        elif tuple(block[9:13]) <= tuple(block[5:9]) or any(map(_no_time, (block[5:9], block[9:13]))):
            script.problems.append(Problem("bad_cue_time", "“{text}” does not run forward in time: the cue was left "
                                           "out.", {"text": _letters(block[16:])}, number))
        else:
            kept += one
        one = []
    if one or (len(data) > _HEADER and (len(data) - _HEADER) % _BLOCK):
        script.problems.append(Problem("cut_short", "The file ends within a caption: that one was left out."))
    return kept


def _no_time(told: bytes) -> bool:
    return told[0] > 23 or told[1] > 59 or told[2] > 59


def _letters(text: bytes) -> str:
    return " ".join("".join(chr(one) if 32 <= one < 127 else " " for one in text).split())[:60]


def read_scc(text: str, script: Script) -> list[Cue]:
    """Raises BadInput where its codes cannot be read."""
    if len(text) > _LARGEST_SCC:
        raise BadInput("Captions as SCC may have {most} KB at most, which is some three hours. Split the file.",
                       most=_LARGEST_SCC // 1000)
    rows = text.split("\n")
    if max(map(len, rows)) > _LONGEST_ROW:
        raise BadInput("A row of these captions has over {most} characters, which no caption does.", most=_LONGEST_ROW)
    try:
        document = ttconv.scc.reader.to_model(text)
    except Exception as error:  # it raises what it stumbles over
        raise BadInput("These captions look like SCC, but cannot be read: {why}.",
                       why=str(error)[:120] or type(error).__name__) from error
    return _cues(document, script)


def _cues(document: ttconv.model.ContentDocument, script: Script) -> list[Cue]:
    found: list[Cue] = []
    body = document.get_body()
    for paragraph in (one for division in body or () for one in division):
        if not isinstance(paragraph, ttconv.model.P):
            continue
        text = re.sub(r"[ \t]*\n[ \t]*", "\n", _text(paragraph)).strip()
        start, end = paragraph.get_begin(), paragraph.get_end()
        number = len(found) + 1
        if not text:
            continue
        if start is None or end is None or end <= start:
            script.problems.append(Problem("bad_cue_time", "“{text}” does not run forward in time: the cue was left "
                                           "out.", {"text": text[:60]}, number))
            continue
        found.append(Cue(_seconds(start), _seconds(end), html.escape(text, quote=False), number))
        check_rows(len(found))
    return sorted(found, key=lambda cue: cue.start)


def _text(element: ttconv.model.ContentElement) -> str:
    if isinstance(element, ttconv.model.Text):
        return str(element.get_text())
    if isinstance(element, ttconv.model.Br):
        return "\n"
    return "".join(_text(child) for child in element)


def _seconds(at: Fraction) -> float:
    return round(float(at), 3)


def _programme(header: DataFile) -> float:
    """When the programme begins by the header, in seconds; 0 where it does not say so."""
    told = header.gsi.TCP
    if not re.fullmatch(rb"\d{8}", told):
        return 0.0
    hours, minutes, seconds, frames = (int(told[at: at + 2]) for at in range(0, 8, 2))
    return round(hours * 3600 + minutes * 60 + seconds + frames / float(header.get_fps()), 3)
