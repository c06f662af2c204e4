"""A script as it was understood from a file, before anything is made of it."""

from __future__ import annotations

from dataclasses import dataclass, field

from janoglot.core.errors import Problem


@dataclass(slots=True)
class ScriptLine:
    """One speaker's words at one place.

    ``start`` and ``end`` are the slot in seconds, both or neither. ``row`` is where the line stood in
    its file (from 1). ``wordings`` holds translations by BCP 47 tag.
    """

    speaker: str
    words: str
    start: float | None = None
    end: float | None = None
    notes: str = ""
    part: str = ""
    row: int | None = None
    wordings: dict[str, str] = field(default_factory=dict)
    on_screen: bool = False
    """Read there, translated, and never voiced."""

    @property
    def slot(self) -> tuple[float, float] | None:
        return None if self.start is None or self.end is None else (self.start, self.end)


@dataclass(slots=True)
class Script:
    """What a file was understood to hold, with everything that was odd about it."""

    lines: list[ScriptLine] = field(default_factory=list)
    languages: list[str] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    format: str = ""
    encoding: str = ""
    columns: list[tuple[str, str]] = field(default_factory=list)
    """For tables: each header as it stands in the file, with what it was taken for ("" = passed over)."""
    source_language: str | None = None
    frames: bool = False
    """Whether times in it count frames, so that the picture's rate matters."""
    fps: float | None = None
    """Frames a second that they were read at."""
    prose: bool = False
    """Read as a book's text, by one voice."""

    @property
    def speakers(self) -> list[str]:
        """Names in the order in which they first speak."""
        return list(dict.fromkeys(line.speaker for line in self.lines))

    @property
    def timed(self) -> bool:
        return any(line.slot for line in self.lines)

    def wording(self, line: ScriptLine, language: str, source_language: str) -> str:
        return line.words if language == source_language else line.wordings.get(language, "")
