"""Parts of a script: begun at a line, renamed, fixed in time, and made one with the part before."""

from __future__ import annotations

from typing import Any

from django.db.models import Max

from janoglot.core.errors import BadInput
from janoglot.core.script.limits import LONGEST_NAME
from janoglot.productions.line_ties import follow_part
from janoglot.productions.models import Line, Part, PartDirection
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def begin_part(user: Anyone, line: Line, name: str) -> Part:
    """A part from ``line`` to the end of the one that it is in now. Raises BadInput for an over-long name."""
    name = _checked(name)
    with action(user, line.production, "begin_part") as record:
        rows = list(Line.objects.select_for_update().filter(production_id=line.production_id))
        start = next(at for at, one in enumerate(rows) if one.pk == line.pk)
        old = line.part_id
        end = start
        while end < len(rows) and rows[end].part_id == old:
            end += 1
        last = Part.objects.filter(production_id=line.production_id).aggregate(last=Max("position"))["last"]
        part = record.create(Part(production_id=line.production_id, name=name, position=(last or 0) + 1))
        record.update_all([(one, {"part_id": part.pk}) for one in rows[start:end]])
        record.details = {"name": name}
        record.summary = name
    return part


def change_part(user: Anyone, part: Part, changes: dict[str, Any]) -> Part:
    """``changes``: any of name, may_grow, start and end (seconds or None: not fixed). Raises BadInput."""
    values: dict[str, Any] = {}
    if "name" in changes:
        values["name"] = _checked(changes["name"])
    if "may_grow" in changes:
        values["may_grow"] = changes["may_grow"]
    for side in ("start", "end"):
        if side in changes:
            values[f"{side}_ms"] = None if changes[side] is None else round(changes[side] * 1000)
    start, end = values.get("start_ms", part.start_ms), values.get("end_ms", part.end_ms)
    if start is not None and end is not None and end <= start:
        raise BadInput("A part has to end after it begins.")
    with action(user, part.production, "change_part") as record:
        record.details = {"name": values.get("name", part.name)}
        record.summary = part.name
        record.update(part, **values)
    return part


def end_part(user: Anyone, part: Part) -> None:
    """Its lines go to the part before, or to none where it is the first; the part itself goes."""
    with action(user, part.production, "end_part") as record:
        rows = list(Line.objects.select_for_update().filter(production_id=part.production_id))
        before, mine = None, []
        for row in rows:
            if row.part_id == part.pk:
                mine.append(row)
            elif not mine:
                before = row.part_id
        record.update_all([(row, {"part_id": before}) for row in mine])
        follow_part(record, part, mine)
        record.details = {"name": part.name}
        record.summary = part.name
        record.delete_all(list(PartDirection.objects.filter(part=part)))
        record.delete(part)


def _checked(name: str) -> str:
    name = " ".join(name.split())
    if not name:
        raise BadInput("A part needs a title.")
    if len(name) > LONGEST_NAME:
        raise BadInput("A title may have {most} characters at most.", most=LONGEST_NAME)
    return name
