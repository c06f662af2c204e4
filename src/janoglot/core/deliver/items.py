"""What one thing in a package must say of itself: which choices it has, what it needs, what it is made of, how it is
made, and how every file of it is checked before anybody has it."""

from __future__ import annotations

import json
import re
import tempfile
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any, Literal

from janoglot.core.deliver.deliverable import Data, FailedCheck, Material, Need, Report, Stores
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.graph import recipe_hash

Value = str | float | int | bool | None


@dataclass(frozen=True, slots=True)
class Choice:
    """One thing that can be chosen of an item. ``allowed`` lists the values, or ``low`` and ``high`` bound a figure;
    ``none``: None, too, which leaves it as it is. ``only``: another choice, and of which of its values this one is.
    ``written``: the form of a text, and ``like`` what is, to be said where it is otherwise."""

    usual: Value
    allowed: tuple[Value, ...] = ()
    low: float | None = None
    high: float | None = None
    none: bool = False
    only: tuple[str, tuple[Value, ...]] | None = None
    written: str = ""
    like: str = ""

    def checked(self, name: str, value: Any) -> Value:
        """Raises BadInput."""
        if value is None and self.none:
            return None
        if self.allowed:
            if isinstance(value, bool) is not isinstance(self.allowed[-1], bool) or value not in self.allowed:
                raise BadInput("{name} is one of {all}.", name=name, all=", ".join(map(str, self.allowed)))
            return value  # type: ignore[no-any-return]
        if self.low is not None and self.high is not None:
            if isinstance(value, bool) or not isinstance(value, int | float) or not self.low <= value <= self.high:
                raise BadInput("{name} is from {low:g} to {high:g}.", name=name, low=self.low, high=self.high)
            return value
        if not isinstance(value, str) or len(value) > 200:
            raise BadInput("{name} is a short text.", name=name)
        if self.written and not re.fullmatch(self.written, value):
            raise BadInput("{name} is written as {like}.", name=name, like=self.like)
        return value


YES_NO: tuple[Value, ...] = (True, False)


@dataclass(frozen=True, slots=True)
class MadeFile:
    """A file of an item: where it lies in the item's own folder, what the pattern of names takes from it, the end of
    its name, and what was measured and counted of it."""

    path: str
    ending: str
    fields: dict[str, str | int] = field(default_factory=dict)
    report: Report = field(default_factory=dict)


Make = Callable[[Data, Stores, Path], list[MadeFile]]
Check = Callable[[Data, Path, MadeFile], Report]


@dataclass(frozen=True, slots=True)
class ItemKind:
    """A kind of thing that a package can hold.

    ``of``: whether there is one for each edition, one for all languages together, or one for the production.
    ``write_down`` says everything that it is made of, by which it is named and kept. ``make`` writes its files into a
    folder; ``check`` looks at each again. ``together``: its files refer to one another, so that they stay in a folder
    as they are.
    """

    name: str
    of: Literal["edition", "languages", "production"]
    choices: dict[str, Choice]
    pattern: str
    needs: Callable[[Mapping[str, Value]], frozenset[Need]]
    write_down: Callable[[Sequence[Material], Mapping[str, Value]], Data]
    make: Make
    check: Check
    together: bool = False
    version: int = 1
    older: Callable[[Mapping[str, Any]], Mapping[str, Any]] = dict
    """Choices as they were told once, as they are told now."""

    def chosen(self, told: Mapping[str, Any]) -> dict[str, Value]:
        """All of its choices, with what is usual where nothing is told. Raises BadInput."""
        told = self.older(told)
        unknown = [name for name in told if name not in self.choices]
        if unknown:
            raise BadInput("There is nothing to choose called “{name}” of “{kind}”: {all}.", name=str(unknown[0])[:40],
                           kind=self.name, all=", ".join(self.choices))
        return {name: choice.checked(name, told[name]) if name in told else choice.usual
                for name, choice in self.choices.items()}

    def key(self, order: Data) -> str:
        """The store's name of the files that are made by ``order``."""
        return f"{recipe_hash('item', kind=self.name, version=self.version, order=order)}.item"


def need(*needs: Need) -> Callable[[Mapping[str, Value]], frozenset[Need]]:
    found = frozenset(needs)
    return lambda choices: found


def make_item(kind: ItemKind, order: Data, stores: Stores, place: Path) -> list[MadeFile]:
    """Make an item's files, look at each of them, and keep all as one archive at ``place``. Raises FailedCheck, and
    whatever making may raise."""
    with tempfile.TemporaryDirectory(dir=place.parent) as folder:
        root = Path(folder)
        made = []
        for file in kind.make(order, stores, root):
            try:
                found = kind.check(order, root / file.path, file)
            except JanoglotError:
                raise
            except Exception as error:
                # Whatever a reader stumbles over: a file that cannot be read again is not handed over.
                raise FailedCheck("{name} cannot be read again: {reason}", name=PurePosixPath(file.path).name,
                                  reason=str(error)[:160]) from error
            made.append(MadeFile(file.path, file.ending, file.fields, {**file.report, **found}))
        if not made:
            raise FailedCheck("Nothing was made of “{kind}”.", kind=kind.name)
        with zipfile.ZipFile(place, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
            archive.writestr("made.json", json.dumps([
                {"path": one.path, "ending": one.ending, "fields": one.fields, "report": one.report} for one in made]))
            for one in made:
                archive.write(root / one.path, f"files/{one.path}")
        return made


def files_of(archive: zipfile.ZipFile) -> list[MadeFile]:
    """What an item's archive holds."""
    return [MadeFile(**one) for one in json.loads(archive.read("made.json"))]
