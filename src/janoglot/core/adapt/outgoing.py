"""Wordings on their way out to people and back: what goes with each line, and what came of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

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
    """How a line stands here now. ``sent`` is what its wording was when the file went out, where that is known."""

    source: str
    text: str
    state: State


def compare(coming: Outgoing, here: Mapping[str, Here], sent: Mapping[str, str] | None = None) -> Report:
    """What the file would change, line by line, in the file's order."""
    found: list[Returned] = []
    seen = set()
    for line in coming.lines:
        seen.add(line.id)
        now = here.get(line.id)
        found.append(Returned(line.id, _what(line, now, (sent or {}).get(line.id)), line.text, line.state, line.source,
                              now.text if now else ""))
    return Report(found, [one for one in here if one not in seen])


def _what(line: OutgoingLine, now: Here | None, sent: str | None) -> What:
    if now is None:
        return "unknown"
    if _same(line.text, now.text):
        return "same"
    if not line.text.strip():
        return "emptied" if now.text.strip() else "same"
    if not _same(line.source, now.source):
        return "source_changed"
    if now.state == "approved":
        return "approved_here"
    if sent is not None and not _same(sent, now.text):
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
