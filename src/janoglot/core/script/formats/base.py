"""What every script format offers."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol

from janoglot.core.script.model import Script

UNNAMED = "Unnamed"
"""The speaker of lines that name none; a person renames or merges it."""


@dataclass(frozen=True, slots=True)
class Hints:
    """What a person said about the file, overruling what would be guessed.

    ``columns`` gives the meaning of a table's columns by their place (from 0): ``speaker``, ``words``,
    ``start``, ``end``, ``duration``, ``notes``, ``part``, ``kind``, a BCP 47 tag, or ``""`` to pass over.
    """

    format: str = ""
    source_language: str = ""
    columns: dict[int, str] = field(default_factory=dict)
    prose: bool | None = None
    """Whether the text is a book's: paragraphs that one voice reads, not lines with names. None: as it looks."""
    parts_by: str | None = None
    """Of prose: ``heading``, ``paragraph``, ``characters``, ``pattern``; "" leaves it whole, None is by heading."""
    most_characters: int = 5_000
    pattern: str = ""
    """A regular expression: a row that it is found in begins a part and is its title."""
    narrator: str = "Narrator"
    fps: float | None = None
    """Frames a second of the picture, for times that count frames."""
    known: tuple[str, ...] = ()
    """Names that are speakers anyway."""
    labels: dict[str, bool] = field(default_factory=dict)
    """By what stands before a colon: whether it is a speaker's name, where a person has turned what was decided."""
    from_start: bool | None = None
    """Of times inside others (TTML): whether all are counted from the document's beginning. None: as they fit."""
    directions: bool = True
    """Whether what stands in brackets as directions do is none of the words. False: all of it is said."""
    directing: bool = True
    """Whether lines are directed by what was understood of their directions."""
    encoding: str = ""
    """Of :data:`janoglot.core.script.decoding.ENCODINGS`, where a person has chosen."""


class ScriptFormat(Protocol):
    id: str
    name: str
    suffixes: tuple[str, ...]
    expects: str
    """One sentence for a person whose file held nothing readable."""

    def certain(self, text: str) -> bool:
        """Whether ``text`` can be nothing else."""
        ...

    def read(self, text: str, hints: Hints) -> Script: ...

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        """The script as text; ``language`` picks the wording where a format holds only one."""
        ...


class BinaryFormat(Protocol):
    """A format whose files are no text."""

    id: str
    name: str
    suffixes: tuple[str, ...]
    expects: str

    def certain(self, data: bytes) -> bool:
        """Whether ``data`` can be nothing else."""
        ...

    def read(self, data: bytes, hints: Hints) -> Script: ...

    def write(self, script: Script, source_language: str, language: str | None = None) -> bytes: ...
