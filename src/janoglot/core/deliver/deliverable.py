"""What one thing that is handed over must say of itself: what it needs, what it is made of, how it is made, and how it
is checked before anybody has it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any, Literal, Protocol

from janoglot.core.deliver.contents import PartSpan, Right, ToldLine
from janoglot.core.edition.plan import MixPlan
from janoglot.core.edition.sound_world import Sounds
from janoglot.core.errors import JanoglotError, Template
from janoglot.core.graph import recipe_hash
from janoglot.core.script.model import Script
from janoglot.core.store import Store
from janoglot.core.timing.holds import Hold

Data = dict[str, Any]
Report = dict[str, float]
"""What was measured or counted of the finished file."""


class Need(StrEnum):
    """What must be so before a thing can be handed over."""

    VOICED = "voiced"
    """Every line with words has a take of them as they are now."""
    FINISHED = "finished"
    """Nothing is heard as a sketch, or sketches are asked for."""
    READ = "read"
    """Somebody has read every draft, or drafts are asked for unread."""
    MIXED = "mixed"
    HELD = "held"
    """The picture is held somewhere."""
    PICTURE = "picture"
    """The source has a picture."""


class FailedCheck(JanoglotError):
    """A file was made and is not what it should be: nobody gets it."""

    code = "failed_check"


@dataclass(frozen=True, slots=True)
class LineToSay:
    """One line of a recording sheet. ``start`` and ``end`` in seconds, where it has a slot; ``delivery`` how it should
    sound, in plain words; ``names`` how words of it are said; ``recorded``: it has a recording of the words as they
    are."""

    number: int
    speaker: str
    words: str
    part: str = ""
    source: str = ""
    start: float | None = None
    end: float | None = None
    notes: str = ""
    delivery: str = ""
    names: tuple[str, ...] = ()
    recorded: bool = False


class Material(Protocol):
    """Where a deliverable takes what it is made of: an edition as it stands, or as just one mix of it has it. Each is
    worked out when it is asked for."""

    @property
    def production(self) -> str: ...

    @property
    def language(self) -> str: ...

    @property
    def source_language(self) -> str: ...

    @property
    def fps(self) -> float: ...

    def plan(self) -> MixPlan:
        """Who is heard when, by the names that they have now."""
        ...

    def mix(self) -> tuple[str, float, float]:
        """The finished track's key in the store of mixes, its loudness (LUFS) and its seconds."""
        ...

    def holds(self) -> Sequence[Hold]: ...

    def part_names(self) -> Mapping[str, str]: ...

    def picture_seconds(self) -> float:
        """How long the source's picture lasts."""
        ...

    def on_screen(self) -> Script:
        """What is read on the screen, in the edition's language beside the source."""
        ...

    def to_record(self) -> Sequence[LineToSay]:
        """What a person is to say: the lines of those that a person is cast for; of all, where that is nobody."""
        ...

    def template_clips(self) -> Data:
        """The clips of all templates, each with the name of its file and all that it is made from, and the loudness
        (LUFS) that they are to have."""
        ...

    def script(self, whole: bool) -> Script: ...

    def made(self) -> str:
        """When its mix was made: yyyy-mm-ddThh:mm:ss."""
        ...

    def lines(self) -> Sequence[ToldLine]:
        """All of the script's, each with its words and its times."""
        ...

    def parts(self) -> Sequence[PartSpan]: ...

    def names(self) -> Sequence[str]:
        """Of people and things: what is not torn apart."""
        ...

    def picture(self) -> Data | None:
        """The source's recording with a picture: its ``key`` in the store of media, ``name``, ``seconds``, ``fps`` and
        whether it ``has_sound``."""
        ...

    def ssml(self) -> str: ...

    def lexicon(self) -> str:
        """How words are read, as PLS 1.0."""
        ...

    def rights(self) -> Sequence[Right]: ...

    def quality(self) -> Data:
        """What is known of how right it is, line by line: see :mod:`janoglot.core.deliver.quality`."""
        ...


@dataclass(frozen=True, slots=True)
class Stores:
    """``sounds`` gives what finds the sounds under the voices, ``media`` holds recordings, ``handed`` what was made for
    others to be made of; None where there are none."""

    takes: Store
    mixes: Store
    media: Store | None = None
    handed: Store | None = None
    sounds: Callable[[], Sounds] | None = None


@dataclass(frozen=True, slots=True)
class Deliverable:
    """``name`` is also the file's ending, from its first point on: ``mix.flac``.

    ``write_down`` says, as JSON holds it, everything that the file is made of: that it is named by, and whatever
    changes meanwhile, that it is made by. ``make`` writes the file and gives what it measured; ``check`` looks at the
    file again and raises FailedCheck; what it counts is reported too. ``version`` grows when the same order gives
    another file.
    """

    name: str
    kind: str
    write_down: Callable[[Material], Data]
    make: Callable[[Data, Stores, Path], Report]
    check: Callable[[Data, Path, Report], Report]
    needs: frozenset[Need] = frozenset()
    of: Literal["edition", "production"] = "edition"
    tail: str = ""
    """What its file name says beside the production and the language: ``_holds``."""
    version: int = 1

    @property
    def ending(self) -> str:
        return self.name.partition(".")[2]

    def key(self, order: Data) -> str:
        """The store's name of the file that is made by ``order``."""
        return f"{recipe_hash('deliverable', name=self.name, version=self.version, order=order)}.{self.ending}"


def require(holds: bool, template: Template, **fields: Any) -> None:
    """Raises FailedCheck."""
    if not holds:
        raise FailedCheck(template, **fields)
