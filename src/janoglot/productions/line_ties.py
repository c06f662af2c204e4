"""What sounds are tied to when a line is cut in two or joined to the one before: everything stays where it is heard."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from janoglot.productions.models import Line, SoundWorld
from janoglot.productions.recorder import Recorder

Told = dict[str, Any]
_OF_THE_WHOLE = ("deeper", "places")
"""Rows about a line that are about both halves."""


def follow_split(record: Recorder, line: Line, new: Line) -> None:
    """What is tied to the end of ``line`` is tied to the end of ``new``, which is where that is now; what fades out at
    the end does so there; rooms, and room that is made, hold for both."""
    one, other = f"#{line.pk}", f"#{new.pk}"

    def rows(name: str, found: list[Any]) -> list[Any]:
        if name == "fades":
            return [{**row, "line": other} if _line_of(row) == one else row for row in found]
        if name in _OF_THE_WHOLE:
            return [*found, *({**row, "line": other} for row in found if _line_of(row) == one)]
        return found

    _rewrite(record, line, lambda place: {**place, "line": other} if place.get("edge") == "end" else place, rows)


def follow_all(record: Recorder, line: Line, new: Line) -> None:
    """All of ``line``'s words are ``new``'s: so is everything that is tied to them."""
    one, other = f"#{line.pk}", f"#{new.pk}"
    _rewrite(record, line, lambda place: {**place, "line": other}, lambda _, found: [
        {**row, "line": other} if _line_of(row) == one else row for row in found])


def follow_join(record: Recorder, before: Line, line: Line) -> None:
    """What was tied to the end of ``line`` is tied to the end of the line that it becomes a part of, and so is what
    fades out there. What was tied to its beginning has lost that."""
    one, other = f"#{line.pk}", f"#{before.pk}"

    def rows(name: str, found: list[Any]) -> list[Any]:
        if name != "fades":
            return [row for row in found if name not in _OF_THE_WHOLE or _line_of(row) != one]
        kept = [row for row in found if _line_of(row) != other] if any(_line_of(row) == one for row in found) else found
        return [{**row, "line": other} if _line_of(row) == one else row for row in kept]

    _rewrite(record, line, lambda place: {**place, "line": other} if place.get("edge") == "end" else place, rows)


def _line_of(row: Any) -> str:
    return str(row.get("line") or "") if isinstance(row, dict) else ""


def _rewrite(record: Recorder, line: Line, place: Callable[[Told], Told],
             rows: Callable[[str, list[Any]], list[Any]]) -> None:
    world = SoundWorld.objects.select_for_update().filter(production=line.production_id).first()
    name = f"#{line.pk}"
    if world is None or f'"{name}"' not in json.dumps(world.plan):
        return

    def cue(told: Any) -> Any:
        if not isinstance(told, dict):
            return told
        return {key: place(value) if key in ("at", "until") and _line_of(value) == name else value
                for key, value in told.items()}

    def whole(told: Mapping[str, Any]) -> Told:
        made: Told = {}
        for key, value in told.items():
            if key == "cues":
                made[key] = {at: cue(each) for at, each in value.items()} if isinstance(value, dict) else [
                    cue(each) for each in value]
            elif key == "editions" and isinstance(value, dict):
                made[key] = {tag: whole(each) if isinstance(each, dict) else each for tag, each in value.items()}
            else:
                made[key] = rows(key, value) if isinstance(value, list) else value
        return made

    record.update(world, plan=whole(world.plan))
