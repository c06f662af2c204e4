"""Give a template its table, change it, and take it away."""

from __future__ import annotations

from collections.abc import Callable

from janoglot.core.speech.templates import ClipTable as CoreTable
from janoglot.core.speech.templates import table_as_json
from janoglot.productions.models import ClipTable, Line
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_clip_table(user: Anyone, line: Line, change: Callable[[CoreTable | None], CoreTable]) -> ClipTable:
    """Have a line's table be what ``change`` makes of it, as it is by then: None where there is none. Two who change it
    in the same moment both have what they changed."""
    with action(user, line.production, "set_clip_table") as record:
        record.summary = f"Line {line.number}"
        locked = Line.objects.select_for_update().get(pk=line.pk)
        row = ClipTable.objects.select_for_update().filter(line=locked).first()
        table = change(row.core if row else None)
        record.details = {"number": line.number, "count": len(table.rows)}
        if row is None:
            return record.create(ClipTable.of(line, table))
        record.update(row, **table_as_json(table))
    return row


def take_clip_table_away(user: Anyone, row: ClipTable) -> None:
    """The line is a line like any other again."""
    with action(user, row.line.production, "take_clip_table_away") as record:
        record.summary = f"Line {row.line.number}"
        record.details = {"number": row.line.number}
        record.delete(row)
