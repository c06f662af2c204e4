"""Lines that are pasted into a script: as text or as rows of a table, with or without names."""

from __future__ import annotations

from collections.abc import Collection

from janoglot.core.errors import BadInput
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.markup import take_directions
from janoglot.core.script.model import ScriptLine
from janoglot.core.script.naming import Names


def pasted_lines(text: str, source_language: str, known: Collection[str] = ()) -> list[ScriptLine]:
    """The lines in ``text``. Rows of a table are read by their headings; in plain text each row is a line, and
    one without a name goes to whoever speaks before it (speaker ""). ``known``: names of speakers that the script has.

    Raises BadInput where nothing is in it.
    """
    if "\t" in text or text.lstrip().startswith(("WEBVTT", "1\n")):
        try:
            script = read_script(text, "", Hints(source_language=source_language, known=tuple(known)))
        except BadInput:
            script = None
        # Read as a table only where its headings were understood.
        if script and script.format != "text":
            return script.lines
    found: list[ScriptLine] = []
    rows = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    names = Names((row.strip() for row in rows if row.strip() and "\t" not in row), known)
    for raw in rows:
        # A row that was copied out of a table without its headings: the name, then the words.
        cells = [cell.strip() for cell in raw.split("\t")]
        if len(cells) > 1:
            speaker, words = cells[0], " ".join(filter(None, cells[1:]))
            notes: list[str] = []
            pauses: list[int] = []
        else:
            speech = names.split(raw.strip())
            speaker = speech.name if speech else ""
            words, notes, pauses = take_directions(speech.words if speech else raw.strip())
            notes = ([speech.aside] if speech and speech.aside else []) + notes
        if words:
            line = ScriptLine(speaker, "")
            line.say(words, notes, pauses)
            found.append(line)
    if not found:
        raise BadInput("No words were found in what was pasted.")
    return found
