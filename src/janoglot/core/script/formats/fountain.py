"""Fountain, the open plain-text markup for screenplays (fountain.io, syntax 1.1)."""

from __future__ import annotations

import re

from janoglot.core.errors import Problem
from janoglot.core.script.directions import apart, is_pause
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.labels import name_and_aside
from janoglot.core.script.markup import one_row, without_emphasis, without_spans
from janoglot.core.script.model import ON_SCREEN, Script, ScriptLine

_SCENE = re.compile(r"^(?:INT|EXT|EST|INT\./EXT|INT/EXT|I/E)[. ]", re.IGNORECASE)
_TRANSITION = re.compile(r"^[^a-z]*TO:$")
_ON_SCREEN = re.compile(rf"^!?{ON_SCREEN}(?: \((?P<notes>.*?)\))?: *(?P<words>\S.*)$", re.IGNORECASE)
_TITLE_PAGE = re.compile(r"^(?:title|credit|authors?|source|draft date|contact|copyright|notes|revision)\s*:",
                         re.IGNORECASE)


class Fountain:
    id = "fountain"
    name = "Fountain"
    suffixes: tuple[str, ...] = (".fountain", ".spmd")
    expects = "A speech is a name in capitals on a row of its own, and the words on the rows under it."

    def certain(self, text: str) -> bool:
        blocks = re.split(r"\n\s*\n", without_spans(text, "/*", "*/"))
        cues = sum(_is_cue(block.split("\n")[0].strip(), has_words="\n" in block.strip()) for block in blocks)
        scenes = sum(bool(_SCENE.match(block.strip())) or block.strip().startswith("@") for block in blocks)
        return scenes > 0 and cues > 0

    def read(self, text: str, hints: Hints) -> Script:
        script = Script()
        # What is taken out leaves its row ends, so that rows are counted as a person sees them.
        text = without_spans(without_spans(text, "/*", "*/"), "[[", "]]")
        rows = text.split("\n")
        at = _after_title_page(rows)
        part, section = "", ""
        while at < len(rows):
            row = rows[at].strip()
            blank_before = at == 0 or not rows[at - 1].strip()
            words_follow = at + 1 < len(rows) and bool(rows[at + 1].strip())
            if row.startswith("#"):
                section = _plain(row.lstrip("#").strip())
                part = section
            elif _SCENE.match(row) or (row.startswith(".") and not row.startswith("..")):
                scene = _plain(_without_number(row.lstrip(".").strip()))
                part = f"{section}: {scene}" if section else scene
            elif blank_before and (seen := _ON_SCREEN.match(row)):
                notes = _plain(seen["notes"] or "")
                script.lines.append(ScriptLine(UNNAMED, _plain(seen["words"]), notes=notes, part=part, row=at + 1,
                                               on_screen=True))
            elif blank_before and words_follow and _is_cue(row, True):
                at = self._speech(script, rows, at, part)
                continue
            at += 1
        return script

    @staticmethod
    def _speech(script: Script, rows: list[str], at: int, part: str) -> int:
        """Read the speech whose name stands in row ``at``; gives the row after it."""
        name, aside = name_and_aside(rows[at].strip().removeprefix("@").rstrip("^").strip())
        line = ScriptLine(name, "", part=part, row=at + 1)
        line.say("", [aside] if aside else [])
        at += 1
        while at < len(rows) and (rows[at].strip() or rows[at] == "  "):
            row = rows[at].strip()
            if row.startswith("(") and row.endswith(")"):
                note = _plain(row[1:-1].strip())
                line.say("", [note] if note else [], [0] if is_pause(note) and line.words else [])
            elif row:
                said, among = apart(_plain(row.removeprefix("~").strip()))
                line.say(said, [one.text for one in among], [one.word for one in among if is_pause(one.text)])
            at += 1
        if line.words:
            script.lines.append(line)
        else:
            script.problems.append(Problem("no_words", "{name} says nothing here: left out.", {"name": name}, line.row))
        return at

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        out, part = [], ""
        for line in script.lines:
            words = script.wording(line, language or source_language, source_language)
            if not words:
                continue
            if line.part != part:
                part = line.part
                out.append(f"# {_escaped(part)}\n" if part else "#\n")
            if line.on_screen:
                # No speech: what is seen is action there, which any reader shows as it is.
                notes = f" ({_escaped(line.notes)})" if line.notes else ""
                out.append(f"!{ON_SCREEN}{notes}: {_escaped(words)}\n")
                continue
            out.append("\n".join([f"@{line.speaker}", *([f"({_escaped(line.notes)})"] if line.notes else []),
                                  _guarded(_escaped(words))]) + "\n")
        return "\n".join(out)


def _without_number(heading: str) -> str:
    """A scene's heading without its number, ``#12A#``."""
    begin = heading.rfind("#", 0, -1) if heading.endswith("#") else -1
    return heading[:begin].rstrip() if begin >= 0 else heading


def _is_cue(row: str, has_words: bool) -> bool:
    if row.startswith("@"):
        return len(row) > 1
    if not has_words or row.startswith(("!", ">", "~", "=", "[[", ".", "#")):
        return False
    if _SCENE.match(row) or _TRANSITION.match(row):
        return False
    name = re.sub(r"\([^()]*\)", "", row).rstrip("^").strip()
    return any(ch.isalpha() for ch in name) and name == name.upper() and name != name.lower() and len(name) <= 60


def _after_title_page(rows: list[str]) -> int:
    if not rows or not _TITLE_PAGE.match(rows[0].strip()):
        return 0
    return next((at for at, row in enumerate(rows) if not row.strip()), len(rows))


def _plain(text: str) -> str:
    """Without the marks of emphasis."""
    for _ in range(3):
        text = without_emphasis(text)
    return re.sub(r"\\([*_\\])", r"\1", text)


def _escaped(text: str) -> str:
    return re.sub(r"([*_\\])", r"\\\1", one_row(text).strip())


def _guarded(words: str) -> str:
    """Words that would be read as a direction or as lyrics, made plain by a mark of emphasis around them."""
    if (words.startswith("(") and words.endswith(")")) or words.startswith("~"):
        return f"_{words}_"
    return words


FORMAT = Fountain()
