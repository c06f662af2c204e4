"""Plain text as people type it: ``Name: words``, with stage directions in brackets."""

from __future__ import annotations

import re
from collections.abc import Iterator

from janoglot.core.errors import Problem
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.limits import check_rows
from janoglot.core.script.markup import take_directions, whole_directions
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.naming import Names, label_of
from janoglot.core.script.prose import read_prose

_HEADING = re.compile(r"^#{1,6}\s+(?P<name>\S.*)$")
_ROWS_A_LINE = 4
"""Of a script with as many lines as it may have, on average at most."""
_LONG = 3_000
"""Characters. A shorter text without names is more likely lines whose speakers are still to be given."""


class PlainText:
    id = "text"
    name = "text"
    suffixes: tuple[str, ...] = (".txt", ".text", ".md")
    expects = "Each line should start with a name and a colon, such as “Keeper: Mind the third step.”"

    def certain(self, text: str) -> bool:
        return False

    def read(self, text: str, hints: Hints) -> Script:
        """As dialogue, or as prose where that is said or plain to see."""
        if hints.prose or (hints.prose is None and looks_like_prose(text)):
            return read_prose(text, hints)
        script = Script()
        check_rows(text.count("\n") // _ROWS_A_LINE)
        names = Names(_rows(text), told=hints.labels)
        part = ""
        pending: list[str] = []
        current: ScriptLine | None = None
        for row, raw in enumerate(whole_directions(text.split("\n")), 1):
            stripped = _stripped(raw)
            if not stripped:
                continue
            heading = _HEADING.match(stripped)
            if heading:
                part, current = heading["name"].rstrip("# \t"), None
                continue
            speech = names.split(stripped, row)
            words, notes = take_directions(speech.words if speech else stripped)
            if speech:
                notes = [*pending, *([speech.aside] if speech.aside else []), *notes]
                current = ScriptLine(speech.name, words, notes="; ".join(notes), part=part, row=row)
                script.lines.append(current)
                pending = []
            elif not words:
                # A direction on a row of its own is about what comes next.
                pending += notes
            elif current is not None:
                current.words = f"{current.words} {words}".strip()
                current.notes = "; ".join(filter(None, [current.notes, *pending, *notes]))
                pending = []
            else:
                current = ScriptLine(UNNAMED, words, notes="; ".join([*pending, *notes]), part=part, row=row)
                script.lines.append(current)
                script.problems.append(Problem(
                    "no_speaker", "No name before “{words}”: given to “{unnamed}”.",
                    {"words": words[:40], "unnamed": UNNAMED}, row))
                pending = []
        script.problems += names.problems
        script.labels = names.decided
        for line in [line for line in script.lines if not line.words]:
            script.lines.remove(line)
            script.problems.append(Problem("no_words", "{name} says nothing here: left out.",
                                           {"name": line.speaker}, line.row))
        if pending and script.lines:
            script.lines[-1].notes = "; ".join(filter(None, [script.lines[-1].notes, *pending]))
        return script

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        out, part = [], ""
        for line in script.lines:
            if line.part != part:
                part = line.part
                out.append(f"# {part}\n")
            words = script.wording(line, language or source_language, source_language)
            note = f"({line.notes}) " if line.notes else ""
            if words:
                out.append(f"{line.speaker}: {note}{words}\n")
        return "\n".join(out)


def looks_like_prose(text: str) -> bool:
    """Whether a long text names hardly anybody: a book, not a script."""
    rows = [row for raw in text.split("\n") if (row := _stripped(raw))]
    named = sum(label_of(row) is not None for row in rows)
    return len(text) > _LONG and named * 12 < len(rows)


def _stripped(raw: str) -> str:
    return raw.strip().lstrip("\ufeff")


def _rows(text: str) -> Iterator[str]:
    """Rows that may begin with a name: neither empty nor a heading."""
    return (row for raw in text.split("\n") if (row := _stripped(raw)) and not _HEADING.match(row))


FORMAT = PlainText()
