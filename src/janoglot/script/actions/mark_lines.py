"""Say of lines whether they are spoken or on the screen, and whether the camera sees the mouth."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from janoglot.core.errors import BadInput
from janoglot.productions.models import Line, Production
from janoglot.productions.neighbours import lines_of
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def mark_lines(user: Anyone, production: Production, ids: Collection[int], marks: dict[str, Any]) -> list[Line]:
    """``marks``: ``kind``, ``in_sight`` or both. Raises BadInput for lines that are not there, or no marks."""
    if not marks:
        raise BadInput("Say what to mark these lines as.")
    with action(user, production, "mark_lines") as record:
        lines = lines_of(production, ids)
        record.details = {"count": len(lines)}
        record.summary = f"{len(lines)} lines"
        record.update_all([(line, marks) for line in lines])
    return lines
