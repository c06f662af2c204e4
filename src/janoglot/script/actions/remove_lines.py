"""Take lines out of a script."""

from __future__ import annotations

from collections.abc import Collection

from janoglot.adapt.models import Wording
from janoglot.cast.models import LineCasting
from janoglot.productions.models import Production
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.script.neighbours import lines_of
from janoglot.timing.models import LineTiming


def remove_lines(user: Anyone, production: Production, ids: Collection[int]) -> int:
    """How many were taken out, with their wordings; undoing brings both back. Raises BadInput."""
    with action(user, production, "remove_lines") as record:
        lines = lines_of(production, ids)
        record.details = {"count": len(lines)}
        record.summary = f"{len(lines)} lines"
        record.delete_all(list(Wording.objects.select_for_update().filter(line__in=lines)))
        record.delete_all(list(LineCasting.objects.select_for_update().filter(line__in=lines)))
        record.delete_all(list(LineTiming.objects.select_for_update().filter(line__in=lines)))
        record.delete_all(lines)
    return len(lines)
