"""Decide the timing of lines, or put them back to following their edition."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from janoglot.core.timing.settings import checked_line_timing
from janoglot.productions.models import Edition, LineTiming
from janoglot.productions.neighbours import lines_of
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_line_timing(user: Anyone, edition: Edition, line_ids: Collection[int], changes: dict[str, Any] | None,
                    shifts: Mapping[int, float] | None = None) -> None:
    """``changes``: fields of the core's LineTiming by name, None putting one back; ``changes`` None puts back all.

    ``shifts``: by line, how many seconds later than in the source it comes here. A line is pinned at a time of this
    edition, and kept in the source's: it stays with its picture when more is held before it.

    Raises BadInput for lines that are not there and values outside their bounds.
    """
    with action(user, edition.production, "set_line_timing", goes_on=True) as record:
        lines = lines_of(edition.production, line_ids)
        first = lines[0].number if len(lines) == 1 else None
        record.details = {"count": len(lines), "language": edition.language, "number": first}
        record.summary = f"{len(lines)} lines, {edition.language}"
        have = {one.line_id: one for one in LineTiming.objects.select_for_update().filter(edition=edition,
                                                                                           line__in=lines)}
        for line in lines:
            row = have.get(line.pk)
            wanted = dict(changes or {})
            shift = shifts.get(line.pk, 0.0) if shifts else 0.0
            if wanted.get("at") is not None and shift:
                wanted["at"] = max(0.0, wanted["at"] - shift)
            own = checked_line_timing({**(row.own if row else {}), **wanted}) if changes is not None else {}
            if row is None and own:
                record.create(LineTiming(edition=edition, line=line, own=own))
            elif row is not None and own:
                record.update(row, own=own)
            elif row is not None:
                record.delete(row)
