"""Give lines another place in the script."""

from __future__ import annotations

from collections.abc import Collection

from janoglot.productions.models import Line, Production
from janoglot.productions.neighbours import lines_of, places_after
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def move_lines(user: Anyone, production: Production, ids: Collection[int], after: int | None) -> list[Line]:
    """The lines, in the order that they had, directly after line ``after`` (None: at the very beginning), in the
    part that they come to stand in. Raises BadInput for lines that are not there."""
    with action(user, production, "move_lines") as record:
        lines = lines_of(production, ids)
        places, neighbour = places_after(production, after, len(lines), without=ids)
        if neighbour is None:
            rest = Line.objects.filter(production=production).exclude(pk__in=ids)
            neighbour = rest.first()
        part = neighbour.part_id if neighbour else None
        record.details = {"count": len(lines)}
        record.summary = f"{len(lines)} lines"
        record.update_all([(line, {"position": place, "part_id": part})
                           for line, place in zip(lines, places, strict=True)])
    return lines
