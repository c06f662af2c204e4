"""SubRip (SRT)."""

from __future__ import annotations

import re
from collections.abc import Iterable

from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.cues import Cue, lines_of_cues, read_cues
from janoglot.core.script.model import Script
from janoglot.core.script.times import write_time

_START = re.compile(r"^[ \t]{0,20}\d{1,9}[ \t]{0,20}\n\s{0,20}\d{1,3}:\d{2}:\d{2}[,.]\d{1,3}\s{0,20}-->", re.MULTILINE)
_NO_DIRECTION = re.compile(r"[()\[\]{}（）♪♫#<>&\n]")


def write_srt(cues: Iterable[Cue]) -> str:
    """SubRip text: numbered from 1, hours always, a comma before the milliseconds."""
    blocks = []
    for number, cue in enumerate(cues, 1):
        # A blank row would end the cue early.
        text = re.sub(r"\n\s*\n+", "\n", cue.text.strip())
        times = f"{write_time(cue.start, ',')} --> {write_time(cue.end, ',')}"
        blocks.append(f"{number}\n{times}\n{text}\n")
    return "\n".join(blocks)


class SubRip:
    id = "srt"
    name = "SRT"
    suffixes: tuple[str, ...] = (".srt",)
    expects = "Each cue needs a row of times such as 00:00:01,000 --> 00:00:02,500."

    def certain(self, text: str) -> bool:
        return not text.lstrip("\ufeff").startswith("WEBVTT") and bool(_START.search(text[:4000]))

    def read(self, text: str, hints: Hints) -> Script:
        script = Script(fps=hints.fps)
        script.lines = lines_of_cues(read_cues(text, script), script, hints)
        return script

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        return write_srt(script_cues(script, source_language, language, named=True))


def script_cues(script: Script, source_language: str, language: str | None, named: bool) -> list[Cue]:
    """The script's timed lines as cues in one language, with ``Name:`` before the words where ``named``.

    Notes are directions in brackets before the words, as captions have them and as they are read again; those with
    brackets or rows of their own would be read otherwise, and stay at home.
    """
    cues = []
    for line in script.lines:
        words = script.wording(line, language or source_language, source_language)
        if line.slot and words:
            if line.notes and not _NO_DIRECTION.search(line.notes):
                words = f"({line.notes}) {words}"
            cues.append(Cue(*line.slot, f"{line.label}: {words}" if named else words, line.row, line.label))
    return cues


FORMAT = SubRip()
