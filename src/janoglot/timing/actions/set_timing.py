"""Change an edition's limits of rate and its pace."""

from __future__ import annotations

from janoglot.core.errors import BadInput
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_timing(user: Anyone, edition: Edition, changes: dict[str, float]) -> Edition:
    """``changes``: any of comfortable_fast (1–1.5), hard_fast (1–1.6, not below it), pace (0.5–2)."""
    comfortable = changes.get("comfortable_fast", edition.comfortable_fast)
    hard = changes.get("hard_fast", edition.hard_fast)
    if not 1.0 <= comfortable <= hard <= 1.6:
        raise BadInput("Rates must run from ×1.00 over the comfortable one to the limit of at most ×1.60.")
    if not 0.5 <= changes.get("pace", edition.pace) <= 2.0:
        raise BadInput("The pace must lie between 0.5 and 2.")
    with action(user, edition.production, "set_timing") as record:
        record.summary = edition.language
        record.update(edition, **changes)
    return edition
