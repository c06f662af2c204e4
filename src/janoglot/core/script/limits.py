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


def check_rows(count: int) -> None:
    """Raises BadInput for more rows of lines than a script can have, before all of them are read."""
    if count > MOST_LINES:
        raise BadInput("The script has over {most} lines. Split it into several.", most=MOST_LINES)


def check_wording(length: int, row: int | None) -> None:
    """Raises BadInput for more characters than one line may have."""
    if length > LONGEST_WORDING:
        raise BadInput("Row {row}: {count} characters in one line; {most} at most. Split the line.",
                       row=row or "?", count=length, most=LONGEST_WORDING)


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
            check_wording(len(text), line.row)
        for name in ("speaker", "part"):
            text = getattr(line, name)
            if len(text) > LONGEST_NAME:
                setattr(line, name, text[:LONGEST_NAME])
                script.problems.append(Problem("name_shortened", "“{name}…” is over {most} characters: shortened.",
                                               {"name": text[:24], "most": LONGEST_NAME}, line.row))
