"""WebVTT (W3C). Notes, styles and regions are passed over; voice tags name the speakers."""

from __future__ import annotations

import re
from collections.abc import Iterable

from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.cues import Cue, lines_of_cues, read_cues
from janoglot.core.script.formats.srt import script_cues
from janoglot.core.script.model import Script
from janoglot.core.script.times import write_time

_BLOCK = re.compile(r"(?:^|\n\n)(?:NOTE|STYLE|REGION)\b(?:(?!\n\n).)*", re.DOTALL)


def write_webvtt(cues: Iterable[Cue]) -> str:
    """WebVTT text, with a voice tag where the cue has a speaker."""
    blocks = ["WEBVTT\n"]
    for cue in cues:
        text = re.sub(r"\n\s*\n+", "\n", _escape(cue.text.strip()))
        voice = f"<v {_escape(cue.speaker).replace(chr(10), ' ')}>" if cue.speaker else ""
        blocks.append(f"{write_time(cue.start)} --> {write_time(cue.end)}\n{voice}{text}\n")
    return "\n".join(blocks)


def _escape(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


class WebVtt:
    id = "webvtt"
    name = "WebVTT"
    suffixes: tuple[str, ...] = (".vtt", ".webvtt")
    expects = "Each cue needs a row of times such as 00:01.000 --> 00:02.500."

    def certain(self, text: str) -> bool:
        return text.lstrip("\ufeff").startswith("WEBVTT")

    def read(self, text: str, hints: Hints) -> Script:
        script = Script(fps=hints.fps)
        # Blanked out rather than removed, so that rows keep their numbers.
        kept = _BLOCK.sub(lambda match: "\n" * match[0].count("\n"), text)
        script.lines = lines_of_cues(read_cues(kept, script), script, hints)
        return script

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        return write_webvtt(script_cues(script, source_language, language, named=False))


FORMAT = WebVtt()
