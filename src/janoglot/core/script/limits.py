"""How much one script may hold. Stated in every message that refuses more."""

from __future__ import annotations

from janoglot.core.errors import BadInput, Problem
from janoglot.core.script.model import Script

MOST_LINES = 20_000
MOST_SPEAKERS = 300
MOST_LANGUAGES = 40
LONGEST_WORDING = 4_000
"""Characters in one line: about five minutes of speech."""
LONGEST_NAME = 120


def check_limits(script: Script) -> None:
    """Raises BadInput where the script is beyond the limits; shortens over-long names with a problem."""
    for count, most, what in (
        (len(script.lines), MOST_LINES, "lines"),
        (len(script.speakers), MOST_SPEAKERS, "speakers"),
        (len(script.languages), MOST_LANGUAGES, "languages"),
    ):
        if count > most:
            raise BadInput("The script has {count} {what}; {most} at most. Split it into several.",
                           count=count, what=what, most=most)
    for line in script.lines:
        for text in (line.words, *line.wordings.values()):
            if len(text) > LONGEST_WORDING:
                raise BadInput(
                    "Row {row}: {count} characters in one line; {most} at most. Split the line.",
                    row=line.row or "?", count=len(text), most=LONGEST_WORDING,
                )
        for name in ("speaker", "part"):
            text = getattr(line, name)
            if len(text) > LONGEST_NAME:
                setattr(line, name, text[:LONGEST_NAME])
                script.problems.append(Problem("name_shortened", "“{name}…” is over {most} characters: shortened.",
                                               {"name": text[:24], "most": LONGEST_NAME}, line.row))
