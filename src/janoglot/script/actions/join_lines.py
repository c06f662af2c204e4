"""Make one line of it and the one before."""

from __future__ import annotations

from janoglot.core.errors import BadInput
from janoglot.productions.belonging import Joint, join_belongings
from janoglot.productions.line_ties import follow_join
from janoglot.productions.models import Line
from janoglot.productions.neighbours import preceding
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def join_lines(user: Anyone, line: Line) -> Line:
    """The line before, with the words of both in every edition, and a slot from its in-time to the other's out.

    The speaker, part and kind are those of the line before. Raises BadInput for the first line, and where the
    words of both are too long for one.
    """
    before = preceding(line)
    if before is None:
        raise BadInput("This is the first line: there is none before it to join.")
    with action(user, line.production, "join_lines") as record:
        record.details = {"number": before.number}
        record.summary = f"Line {before.number}"
        slot = {}
        if line.end_ms is not None:
            start = before.start_ms if before.start_ms is not None else line.start_ms
            slot = {"start_ms": start, "end_ms": max(line.end_ms, before.end_ms or 0)}
        notes = "; ".join(filter(None, [before.notes, line.notes]))
        record.update(before, notes=notes, **slot)
        join_belongings(record, Joint(user, before, line))
        follow_join(record, before, line)
        record.delete(line)
    return before
