"""Wordings on their way out to people and back: what goes with each line, and what came of it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

State = Literal["empty", "draft", "edited", "approved"]
STATES: tuple[State, ...] = ("empty", "draft", "edited", "approved")


@dataclass(slots=True)
class OutgoingLine:
    """One line as it is handed to a translator. ``id`` is the line's own and stays, wherever the line moves."""

    id: str
    source: str
    text: str = ""
    state: State = "empty"
    number: int = 0
    speaker: str = ""
    part: str = ""
    slot: tuple[float, float] | None = None
    longest: int | None = None
    """Characters; None where there is no slot to say it in."""
    on_screen: bool = False
    notes: str = ""
    locked: bool = False
    """Approved, and to be left as it is."""
    sent: str = ""
    """Of what came back: the mark of the wording as it went out (:func:`mark_of`); "" where that is not known."""

    @property
    def tag(self) -> str:
        """The id as it goes out: with the mark of the wording as it is now, so that what comes back can be told from
        what was changed here meanwhile. Ids are what every translator's program gives back untouched."""
        return f"{self.id}.{self.sent or mark_of(self.text)}"

    @classmethod
    def of_tag(cls, tag: str, source: str, text: str, state: State, **more: Any) -> OutgoingLine:
        """What came back under ``tag``."""
        line, _, sent = tag.partition(".")
        return cls(line, source, text, state, sent=sent, **more)


def mark_of(text: str) -> str:
    """A short mark of some words, the same whatever their spaces."""
    return hashlib.sha256(" ".join(text.split()).encode()).hexdigest()[:8]


@dataclass(slots=True)
class Outgoing:
    """An edition on its way out or back. ``address`` is formal, informal or "". ``brief`` is for whoever adapts."""

    name: str
    source_language: str
    language: str
    lines: list[OutgoingLine] = field(default_factory=list)
    address: str = ""
    brief: str = ""


What = Literal["new", "changed", "same", "emptied", "source_changed", "changed_here", "approved_here", "unknown"]


@dataclass(frozen=True, slots=True)
class Returned:
    """What came back for one line. ``needs_asking``: writing it would
    overwrite what somebody did meanwhile, or answers a source that no longer stands so."""

    id: str
    what: What
    text: str
    state: State
    source: str
    """As the translator saw it."""
    now: str = ""
    """What the wording is now."""

    @property
    def needs_asking(self) -> bool:
        return self.what in ("source_changed", "changed_here", "approved_here", "emptied")


@dataclass(frozen=True, slots=True)
class Report:
    """``missing`` are ids of lines that the file says nothing about."""

    returned: list[Returned]
    missing: list[str]


@dataclass(frozen=True, slots=True)
class Here:
    """How a line stands here now."""

    source: str
    text: str
    state: State


def compare(coming: Outgoing, here: Mapping[str, Here]) -> Report:
    """What the file would change, line by line, in the file's order: of three, what went out, what came back, and what
    stands here now.

    What was changed on both sides is a conflict; so is a change of words here of which nobody knows how they went out.
    """
    found: list[Returned] = []
    seen = set()
    for line in coming.lines:
        seen.add(line.id)
        now = here.get(line.id)
        found.append(Returned(line.id, _what(line, now), line.text, line.state, line.source,
                              now.text if now else ""))
    return Report(found, [one for one in here if one not in seen])


def _what(line: OutgoingLine, now: Here | None) -> What:
    if now is None:
        return "unknown"
    if _same(line.text, now.text) or (line.sent and mark_of(line.text) == line.sent):
        # As it is, or as it went out: whatever was done here since stays.
        return "same"
    if not line.text.strip():
        return "emptied" if now.text.strip() else "same"
    if not _same(line.source, now.source):
        return "source_changed"
    if now.state == "approved":
        return "approved_here"
    if now.text.strip() and line.sent != mark_of(now.text):
        return "changed_here"
    return "changed" if now.text.strip() else "new"


def _same(one: str, other: str) -> bool:
    return one.split() == other.split()


def notes_of(line: OutgoingLine, outgoing: Outgoing) -> Sequence[tuple[str, str]]:
    """What goes with a line in words, by category, the same in every format."""
    notes = [("speaker", line.speaker), ("part", line.part)]
    if line.slot:
        notes.append(("slot", f"{line.slot[0]:.3f}-{line.slot[1]:.3f} s ({line.slot[1] - line.slot[0]:.2f} s)"))
    if line.longest is not None:
        notes.append(("max-characters", str(line.longest)))
    notes.append(("kind", "on screen" if line.on_screen else ""))
    notes.append(("address", outgoing.address))
    notes.append(("note", line.notes))
    return [(category, text) for category, text in notes if text]
