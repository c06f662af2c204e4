"""What comes before and after in a script."""

from __future__ import annotations

from collections.abc import Collection

from django.db.models import Q

from janoglot.core.errors import BadInput
from janoglot.core.script.order import several_between
from janoglot.productions.models import Line, Production


def following(line: Line) -> Line | None:
    rest = Line.objects.filter(production_id=line.production_id)
    return rest.filter(Q(position__gt=line.position) | Q(position=line.position, id__gt=line.pk)).first()


def preceding(line: Line) -> Line | None:
    rest = Line.objects.filter(production_id=line.production_id)
    return rest.filter(Q(position__lt=line.position) | Q(position=line.position, id__lt=line.pk)).last()


def lines_of(production: Production, ids: Collection[int]) -> list[Line]:
    """The lines in the script's order, locked. Raises BadInput where one is not there (any more)."""
    found = list(Line.objects.select_for_update().filter(production=production, pk__in=ids))
    if len(found) != len(set(ids)) or not found:
        raise BadInput("Some of these lines are not there any more. Look again at what the script holds now.")
    return found


def places_after(production: Production, after: int | None, count: int,
                 without: Collection[int] = ()) -> tuple[list[str], Line | None]:
    """Places for ``count`` lines after line ``after`` (None: at the very beginning), and that line.

    ``without``: lines that are about to leave their own places. Raises BadInput for a line that is not there.
    """
    rows = [row for row in Line.objects.filter(production=production).values_list("id", "position")
            if row[0] not in set(without)]
    if after is None:
        return several_between("", rows[0][1] if rows else None, count), None
    at = next((at for at, row in enumerate(rows) if row[0] == after), None)
    if at is None:
        raise BadInput("The line that these should come after is not there any more.")
    upper = rows[at + 1][1] if at + 1 < len(rows) else None
    return several_between(rows[at][1], upper, count), Line.objects.get(pk=after)
