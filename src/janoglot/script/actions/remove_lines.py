"""Take lines out of a script."""

from __future__ import annotations

from collections.abc import Collection

from janoglot.productions.belonging import take_out
from janoglot.productions.models import Production
from janoglot.productions.neighbours import lines_of
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def remove_lines(user: Anyone, production: Production, ids: Collection[int]) -> int:
    """How many were taken out, with their wordings; undoing brings both back. Raises BadInput."""
    with action(user, production, "remove_lines") as record:
        lines = lines_of(production, ids)
        record.details = {"count": len(lines)}
        record.summary = f"{len(lines)} lines"
        take_out(record, "line", lines)
        record.delete_all(lines)
    return len(lines)
