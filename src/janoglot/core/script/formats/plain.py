"""Plain text as people type it: ``Name: words``, with stage directions in brackets."""

from __future__ import annotations

import re
from collections.abc import Iterator

from janoglot.core.errors import Problem
from janoglot.core.script.directions import is_pause
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.limits import check_rows
from janoglot.core.script.markup import take_directions, whole_directions
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.naming import Names, label_of
from janoglot.core.script.prose import read_prose

_HEADING = re.compile(r"^#{1,6}\s+(?P<name>\S.*)$")
_SECTION = re.compile(
    r"^(?P<name>(?:chapter|part|act|scene|section|kapitel|teil|akt|szene|chapitre|partie|acte|scène|capítulo|parte|acto|"
    r"escena|capitolo|atto|scena|cena|hoofdstuk|deel|bedrijf|akt|scena)\s+(?:\d{1,3}|[IVXLC]{1,7}|one|two|three|four|five|six|"
    r"seven|eight|nine|ten|eleven|twelve|first|last|eins|zwei|drei|vier|fünf|sechs|sieben|acht|neun|zehn|un|une|deux|trois|"
    r"quatre|cinq|uno|una|dos|tres|cuatro|cinco|due|tre|quattro|cinque|um|uma|dois|três|quatro|een|twee|drie)"
    r"(?:\s*[:：.–—-]+\s*\S.{0,70})?)\s*$", re.IGNORECASE)
"""What begins a part though nothing marks it as a heading: "Act One: The counter". A name and what is said have no
number between them."""
_SECTIONS_BEGIN = frozenset("cpasktehdb")
"""What those begin with: most rows are not looked at any further."""
_WRAPPED = 45
"""Characters. A shorter row that ends a sentence was not broken for want of room: that the next goes on is said."""
_ENDS = re.compile(r"[.!?…。！？।؟][\"'”’»)\]]*$")
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
        above, apart = "", False
        for row, raw in enumerate(whole_directions(text.split("\n")), 1):
            stripped = _stripped(raw)
            if not stripped:
                apart = True
                continue
            heading = _heading(stripped, hints)
            if heading:
                part, current = heading, None
                continue
            begins, before = apart, above
            above, apart = stripped, False
            speech = names.split(stripped, row)
            words, notes, pauses = take_directions(speech.words if speech else stripped)
            if speech:
                notes = [*pending, *([speech.aside] if speech.aside else []), *notes]
                current = ScriptLine(speech.name, "", part=part, row=row)
                current.say(words, notes, pauses)
                script.lines.append(current)
                pending = []
            elif not words:
                # A direction on a row of its own is about what comes next.
                pending += notes
            elif current is not None and begins:
                current = ScriptLine(current.speaker, "", part=part, row=row)
                current.say(words, [*pending, *notes], pauses)
                script.lines.append(current)
                script.problems.append(Problem(
                    "no_name_here", "No name before “{words}”: a line of its own by {speaker}.",
                    {"words": words[:40], "speaker": current.speaker}, row, "note"))
                pending = []
            elif current is not None:
                if len(before) < _WRAPPED and _ENDS.search(before) and label_of(stripped) is None:
                    script.problems.append(Problem(
                        "joined_above", "No name before “{words}”: joined to what {speaker} says above it.",
                        {"words": words[:40], "speaker": current.speaker}, row, "note"))
                waited = [0] if any(map(is_pause, pending)) else []
                current.say(words, [*pending, *notes], [*waited, *pauses])
                pending = []
            else:
                current = ScriptLine(UNNAMED, "", part=part, row=row)
                current.say(words, [*pending, *notes], pauses)
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
                out.append(f"{line.label}: {note}{words}\n")
        return "\n".join(out)


def looks_like_prose(text: str) -> bool:
    """Whether a long text names hardly anybody: a book, not a script."""
    rows = [row for raw in text.split("\n") if (row := _stripped(raw))]
    named = sum(label_of(row) is not None for row in rows)
    return len(text) > _LONG and named * 12 < len(rows)


def _heading(row: str, hints: Hints) -> str:
    """The part that a row begins; "" where it begins none."""
    found = _HEADING.match(row)
    if found:
        return found["name"].rstrip("# \t")
    section = _SECTION.match(row) if row[0].casefold() in _SECTIONS_BEGIN else None
    label = label_of(row) if section else None
    # A person may have said that it is somebody's name.
    return section["name"] if section and not (label and (hints.labels or {}).get(label.name)) else ""


def _stripped(raw: str) -> str:
    return raw.strip().lstrip("\ufeff")


def _rows(text: str) -> Iterator[str]:
    """Rows that may begin with a name: neither empty nor a heading."""
    return (row for raw in text.split("\n") if (row := _stripped(raw))
            and not _HEADING.match(row) and not _SECTION.match(row))


FORMAT = PlainText()
