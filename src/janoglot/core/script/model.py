"""A script as it was understood from a file, before anything is made of it."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from janoglot.core.errors import Problem

ON_SCREEN = "On screen"
"""What stands where others have a speaker's name, of what is read on the screen."""


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
    in_sight: bool | None = None
    """Whether the camera sees the mouth; None where nobody has said."""
    own: dict[str, dict[str, Any]] = field(default_factory=dict)
    """By language (BCP 47): what was decided of this line there beside its words, as our own format has it."""
    delivery: str = ""
    """How it should sound, in plain words."""
    clips: dict[str, Any] | None = None
    """The table of a template, as our own format has it; checked where it is used."""
    pauses: dict[str, tuple[str, list[int]]] = field(default_factory=dict)
    """By language ("" for the source's): the words that pauses stood among, and before which of them (from 0)."""
    directions: list[str] = field(default_factory=list)
    """What stood in brackets with its words, or alone before them."""
    room: str = ""
    """Where it is heard from: :data:`janoglot.core.mix.rooms.ROOM_NAMES`; "" for nowhere in particular."""

    def say(self, words: str, directions: Sequence[str] = (), pauses: Sequence[int] = ()) -> None:
        """Go on with ``words`` of the source; ``directions`` stood among them, ``pauses`` before these of them."""
        before = len(self.words.split())
        at = [*self.pauses.get("", ("", []))[1], *(before + word for word in pauses)]
        self.words = f"{self.words} {words}".strip()
        self.directions += directions
        self.notes = "; ".join(filter(None, [self.notes, *directions]))
        if at:
            self.pauses[""] = self.words, at

    @property
    def slot(self) -> tuple[float, float] | None:
        return None if self.start is None or self.end is None else (self.start, self.end)

    @property
    def label(self) -> str:
        """What stands before its words where a format has one word for whose they are."""
        return ON_SCREEN if self.on_screen else self.speaker


@dataclass(slots=True)
class ScriptPart:
    """A run of lines. ``start`` and ``end``: seconds, where it is fixed in the picture; see
    :class:`janoglot.core.edition.model.EditionPart`."""

    name: str
    start: float | None = None
    end: float | None = None
    may_grow: bool = False


@dataclass(slots=True)
class ScriptEdition:
    """What was decided of one language beside the words: by speaker's name ``cast`` and ``rates``, ``timing``, the
    ``lexicon``, and ``directions`` of speakers in parts. As our own format has it; checked where it is used."""

    cast: dict[str, dict[str, Any]] = field(default_factory=dict)
    timing: dict[str, Any] = field(default_factory=dict)
    rates: dict[str, dict[str, Any]] = field(default_factory=dict)
    lexicon: list[dict[str, Any]] = field(default_factory=list)
    directions: list[dict[str, Any]] = field(default_factory=list)
    """``part`` (its number among those with names, from 1), ``speaker``, ``settings``, ``moods``."""


@dataclass(frozen=True, slots=True)
class DirectedSo:
    """``what`` is the name of a mood, of a mark with an amount or of a room, or "pause"; so many ``lines`` have it."""

    kind: Literal["mood", "dial", "room", "pause"]
    what: str
    lines: int


@dataclass(slots=True)
class Script:
    """What a file was understood to hold, with everything that was odd about it."""

    lines: list[ScriptLine] = field(default_factory=list)
    languages: list[str] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    format: str = ""
    encoding: str = ""
    encodings: list[str] = field(default_factory=list)
    """Where the encoding is a guess: what else may be chosen."""
    columns: list[tuple[str, str]] = field(default_factory=list)
    """For tables: each header as it stands in the file, with what it was taken for ("" = passed over)."""
    source_language: str | None = None
    frames: bool = False
    """Whether times in it count frames, so that the picture's rate matters."""
    fps: float | None = None
    """Frames a second that they were read at."""
    labels: dict[str, tuple[bool, int]] = field(default_factory=dict)
    """By what stands before a colon: whether it was taken for a speaker's name, and how often it stands there."""
    from_start: bool | None = None
    """Whether times inside others were counted from the document's beginning, where that makes a difference."""
    found_directions: list[tuple[int, str]] = field(default_factory=list)
    """In brackets among words: the row of each, and what it says."""
    directed: list[DirectedSo] = field(default_factory=list)
    """What was made of directions, what was made most often first."""
    directing: bool | None = None
    """Whether lines are directed by their directions; None where nothing was understood of any."""
    brackets: bool | None = None
    """Whether directions in brackets were taken out of the words; None where there are none."""
    prose: bool = False
    """Read as a book's text, by one voice."""
    parts: list[ScriptPart] = field(default_factory=list)
    """In order, where more is known of them than their names."""
    editions: dict[str, ScriptEdition] = field(default_factory=dict)
    """By language, where the file is a whole production."""
    target: float | None = None
    """LUFS, of the programme, where the file says so."""
    voices: dict[str, dict[str, Any]] = field(default_factory=dict)
    """By id, the voices that people keep and that are cast in it, as
    :meth:`janoglot.core.speech.voices.Voice.as_json` has them; checked where they are used."""
    sounds: dict[str, Any] = field(default_factory=dict)
    """What lies under the voices, as :func:`janoglot.core.mix.cues.sound_plan_of` takes it; checked where it is
    used."""

    @property
    def speakers(self) -> list[str]:
        """Names in the order in which they first speak."""
        return list(dict.fromkeys(line.speaker for line in self.lines))

    @property
    def timed(self) -> bool:
        return any(line.slot for line in self.lines)

    def wording(self, line: ScriptLine, language: str, source_language: str) -> str:
        return line.words if language == source_language else line.wordings.get(language, "")

    def runs(self) -> list[tuple[ScriptPart, list[ScriptLine]]]:
        """The lines by parts: runs of lines of one name, with what else is known of each part."""
        known = list(self.parts)
        found = []
        for name, lines in itertools.groupby(self.lines, key=lambda line: line.part):
            part = ScriptPart(name)
            for at, one in enumerate(known):
                if one.name == name:
                    part, known = one, known[at + 1:]
                    break
            found.append((part, list(lines)))
        return found
