"""What a mix is of, written down when it is asked for: the edition may move on while it is made and taken away.

Sounds are named by what they were made from and never change, so a plan can be carried out at any time.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from janoglot.core.edition.standing import EditionStanding, LineStanding
from janoglot.core.mix.bed import SOURCE_LAYER, PlannedBed
from janoglot.core.mix.cues import Layer, PlacedCue, cue_as_json, cue_from_json, layer_from_json, of_line
from janoglot.core.mix.programme import Clip
from janoglot.core.mix.rooms import RoomName
from janoglot.core.mix.sides import CEILING, Strip
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

_PLAIN = ("line", "number", "speaker", "words", "start", "seconds", "level_db", "quality", "kept", "room", "amount",
          "fade_out", "deeper")


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
    room: RoomName | None = None
    amount: float = 1.0
    fade_out: float = 0.0
    deeper: float = 0.0
    """dB that all else gives way while it is said, beside what it does anyway."""

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
        return Clip(self.start, self.seconds, self.take.lufs, lambda: read_sound(store, key), self.level_db,
                    bus=self.speaker, room=self.room, amount=self.amount, fade_out=self.fade_out, key=key)


@dataclass(slots=True)
class MixPlan:
    recipe: str
    language: str
    target: float
    seconds: float
    lines: list[PlannedLine] = field(default_factory=list)
    under: list[PlacedCue] = field(default_factory=list)
    strips: dict[str, Strip] = field(default_factory=dict)
    """Of speakers, by name."""
    mono: bool = False
    dialogue: bool = False
    ceiling_db: float = CEILING
    clear_lu: float = 10.0
    bed: PlannedBed | None = None
    bed_layer: Layer | None = None

    @property
    def sketches(self) -> int:
        """How many of its lines are heard as sketches."""
        return sum(line.quality == "sketch" for line in self.lines)

    def as_json(self) -> dict[str, Any]:
        rows = []
        for line in self.lines:
            row = {name: getattr(line, name) for name in _PLAIN}
            recipe = line.recipe and recipe_as_json(line.recipe)
            rows.append(row | {"take": line.take.as_json(), "recipe": recipe})
        return {"recipe": self.recipe, "language": self.language, "target": self.target, "seconds": self.seconds,
                "lines": rows, "strips": {name: asdict(strip) for name, strip in self.strips.items()},
                "mono": self.mono, "dialogue": self.dialogue, "ceiling_db": self.ceiling_db,
                "clear_lu": self.clear_lu,
                **({"under": [cue_as_json(one) for one in self.under]} if self.under else {}),
                **({"bed": self.bed.as_json()} if self.bed else {}),
                **({"bed_layer": asdict(self.bed_layer)} if self.bed_layer else {})}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> MixPlan:
        """Raises KeyError and the like for a plan of another version."""
        return cls(**{**data, "lines": [_planned(dict(row)) for row in data["lines"]],
                      "under": [cue_from_json(row) for row in data.get("under", ())],
                      "strips": {name: Strip(**strip) for name, strip in data["strips"].items()},
                      "bed": PlannedBed.from_json(data["bed"]) if data.get("bed") else None,
                      "bed_layer": layer_from_json(data["bed_layer"]) if data.get("bed_layer") else None})

    def write(self, place: Path) -> None:
        place.write_text(json.dumps(self.as_json()))

    @classmethod
    def read(cls, place: Path) -> MixPlan:
        """Raises FileNotFoundError; KeyError and the like for a plan of another version."""
        return cls.from_json(json.loads(place.read_text()))


def plan_of(standing: EditionStanding, kept: Callable[[LineStanding], str | None] = lambda line: None) -> MixPlan:
    """What the mix of an edition would be made from as it stands. ``kept`` gives the store's key of whatever sound is
    left of a take that has moved on."""
    world = standing.world
    speakers = {one.line.speaker_name: one.line.speaker_names for one in standing.lines if one.take}
    plan = MixPlan(standing.mix_recipe, standing.edition.language, standing.edition.target, standing.mix_seconds,
                   under=standing.placed_cues[0], strips={name: strip for name, names in sorted(speakers.items())
                                                          if (strip := world.strip_of(names)) != Strip()},
                   mono=world.mono, dialogue=world.dialogue, ceiling_db=world.ceiling_db, clear_lu=world.clear_lu,
                   bed=standing.bed, bed_layer=next((one for one in world.layers if one.name == SOURCE_LAYER), None))
    for one, placement in zip(standing.lines, standing.placements, strict=True):
        if not one.take:
            continue
        current = one.state == "current" and one.recipe is not None
        sound = None if current else f"{one.take.hash}.wav" if one.by_person else kept(one)
        if current or sound:
            place = standing.heard_from(one)
            plan.lines.append(PlannedLine(
                one.id, one.line.number, one.line.speaker_name, one.words, placement.start, placement.seconds,
                one.level_db, (standing.quality(one) or "finish") if current else "finish", one.take,
                one.recipe if current else None, sound or "", place.room if place else None,
                place.amount if place else 1.0, of_line(world.fades, one.line.names),
                of_line(world.deeper, one.line.names)))
    return plan


def _planned(row: dict[str, Any]) -> PlannedLine:
    told = row.pop("recipe")
    take = Take.from_json(row.pop("take"))
    if told is None:
        return PlannedLine(**row, take=take)
    return PlannedLine(**row, take=take, recipe=recipe_from_json(told))
