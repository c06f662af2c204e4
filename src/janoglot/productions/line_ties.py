"""What sounds are tied to when a line is cut in two or joined to the one before, or a part ends being one: everything
stays where it is heard."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from janoglot.core.mix.cues import sound_plan_of
from janoglot.productions.models import Line, Part, Production, SoundWorld
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

    _rewrite(record, line.production_id, one,
             _of_line(one, lambda place: {**place, "line": other} if place.get("edge") == "end" else place), rows)


def follow_all(record: Recorder, line: Line, new: Line) -> None:
    """All of ``line``'s words are ``new``'s: so is everything that is tied to them."""
    one, other = f"#{line.pk}", f"#{new.pk}"
    _rewrite(record, line.production_id, one, _of_line(one, lambda place: {**place, "line": other}), lambda _, found: [
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

    _rewrite(record, line.production_id, one,
             _of_line(one, lambda place: {**place, "line": other} if place.get("edge") == "end" else place), rows)


def follow_part(record: Recorder, part: Part, lines: Sequence[Line]) -> None:
    """A part is none any more: what was tied to its beginning and end is tied to those of its first and last line, and
    the rooms that it was heard in are its lines'."""
    if not lines:
        return
    name = f"#{part.pk}"
    first, last = f"#{lines[0].pk}", f"#{lines[-1].pk}"

    def rows(key: str, found: list[Any]) -> list[Any]:
        if key != "places":
            return found
        kept = [row for row in found if _of(row, "part") != name]
        # What says more of a line than the part does goes on doing so: a line has a row only where the part's won.
        plan = sound_plan_of({"places": found})
        for line in lines:
            heard = plan.place_of((f"#{line.speaker_id}",), (name,), (f"#{line.pk}",))
            if heard and heard.part == name:
                kept.append({"room": heard.room, "amount": heard.amount, "line": f"#{line.pk}"})
        return kept

    def place(told: Told) -> Told:
        if _of(told, "part") != name:
            return told
        return {**{key: value for key, value in told.items() if key != "part"},
                "line": last if told.get("edge") == "end" else first}

    _rewrite(record, part.production_id, name, place, rows)


def hear_from(record: Recorder, production: Production, rooms: Mapping[int, str]) -> None:
    """Have lines heard from rooms, by their ids."""
    if not rooms:
        return
    places = [{"room": room, "amount": 1.0, "line": f"#{line}"} for line, room in rooms.items()]
    world = SoundWorld.objects.select_for_update().filter(production=production).first()
    if world is None:
        record.create(SoundWorld(production=production, **SoundWorld.columns(sound_plan_of({"places": places}))))
    else:
        record.update(world, plan={**world.plan, "places": [*world.plan.get("places", []), *places]})


def _of(row: Any, what: str) -> str:
    return str(row.get(what) or "") if isinstance(row, dict) else ""


def _line_of(row: Any) -> str:
    return _of(row, "line")


def _of_line(name: str, place: Callable[[Told], Told]) -> Callable[[Told], Told]:
    return lambda told: place(told) if _line_of(told) == name else told


def _rewrite(record: Recorder, production: int, name: str, place: Callable[[Told], Told],
             rows: Callable[[str, list[Any]], list[Any]]) -> None:
    """Have ``place`` say anew what each cue is tied to, and ``rows`` the rows of each list, where anything goes by
    ``name``."""
    world = SoundWorld.objects.select_for_update().filter(production=production).first()
    if world is None or f'"{name}"' not in json.dumps(world.plan):
        return

    def cue(told: Any) -> Any:
        if not isinstance(told, dict):
            return told
        return {key: place(value) if key in ("at", "until") and isinstance(value, dict) else value
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
