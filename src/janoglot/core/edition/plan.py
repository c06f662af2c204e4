"""What a mix is of, written down when it is asked for: the edition may move on while it is made and taken away.

Sounds are named by what they were made from and never change, so a plan can be carried out at any time.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from janoglot.core.edition.standing import EditionStanding, LineStanding
from janoglot.core.mix.programme import Clip
from janoglot.core.speech.recipe_json import recipe_as_json, recipe_from_json
from janoglot.core.speech.takes import (
    Quality,
    Take,
    TakeRecipe,
    make_rendition_of_kept,
    make_sound,
    read_sound,
)
from janoglot.core.store import Store


@dataclass(frozen=True, slots=True)
class PlannedLine:
    """One line that is heard. ``recipe`` is what its take is made from; None where that has moved on, and what was
    ``kept`` of it is played."""

    line: int
    number: int
    speaker: str
    words: str
    start: float
    seconds: float
    level_db: float
    quality: Quality
    take: Take
    recipe: TakeRecipe | None = None
    kept: str = ""

    @property
    def end(self) -> float:
        return self.start + self.seconds

    def make(self, store: Store) -> str:
        """The store's key of its sound, made where it is missing. Raises EngineError, FileNotFoundError."""
        if self.recipe:
            return make_sound(self.recipe, self.seconds, self.take.seconds, self.quality, store)
        return make_rendition_of_kept(self.take, self.kept, self.seconds, store)

    def clip(self, store: Store) -> Clip:
        """What the mix takes, its sound made where it is missing. Raises EngineError, FileNotFoundError."""
        key = self.make(store)
        return Clip(self.start, self.seconds, self.take.lufs, lambda: read_sound(store, key), self.level_db)


@dataclass(slots=True)
class MixPlan:
    recipe: str
    language: str
    target: float
    seconds: float
    lines: list[PlannedLine] = field(default_factory=list)

    @property
    def sketches(self) -> int:
        """How many of its lines are heard as sketches."""
        return sum(line.quality == "sketch" for line in self.lines)

    def as_json(self) -> dict[str, Any]:
        rows = []
        for line in self.lines:
            row = {name: getattr(line, name) for name in (
                "line", "number", "speaker", "words", "start", "seconds", "level_db", "quality", "kept")}
            recipe = line.recipe and recipe_as_json(line.recipe)
            rows.append(row | {"take": line.take.as_json(), "recipe": recipe})
        return {"recipe": self.recipe, "language": self.language, "target": self.target, "seconds": self.seconds,
                "lines": rows}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> MixPlan:
        """Raises KeyError and the like for a plan of another version."""
        return cls(**{**data, "lines": [_planned(dict(row)) for row in data["lines"]]})

    def write(self, place: Path) -> None:
        place.write_text(json.dumps(self.as_json()))

    @classmethod
    def read(cls, place: Path) -> MixPlan:
        """Raises FileNotFoundError; KeyError and the like for a plan of another version."""
        return cls.from_json(json.loads(place.read_text()))


def plan_of(standing: EditionStanding, kept: Callable[[LineStanding], str | None] = lambda line: None) -> MixPlan:
    """What the mix of an edition would be made from as it stands. ``kept`` gives the store's key of whatever sound is
    left of a take that has moved on."""
    plan = MixPlan(standing.mix_recipe, standing.edition.language, standing.edition.target, standing.seconds)
    for one, placement in zip(standing.lines, standing.placements, strict=True):
        if not one.take:
            continue
        current = one.state == "current" and one.recipe is not None
        sound = None if current else kept(one)
        if current or sound:
            plan.lines.append(PlannedLine(
                one.id, one.line.number, one.line.speaker_name, one.words, placement.start, placement.seconds,
                one.level_db, (standing.quality(one) or "finish") if current else "finish", one.take,
                one.recipe if current else None, sound or ""))
    return plan


def _planned(row: dict[str, Any]) -> PlannedLine:
    told = row.pop("recipe")
    take = Take.from_json(row.pop("take"))
    if told is None:
        return PlannedLine(**row, take=take)
    return PlannedLine(**row, take=take, recipe=recipe_from_json(told))
