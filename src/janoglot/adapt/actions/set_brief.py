"""Say what whoever adapts an edition should know."""

from __future__ import annotations

from typing import Any

from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_brief(user: Anyone, edition: Edition, changes: dict[str, Any]) -> None:
    """``changes``: ``address``, ``brief`` or both."""
    with action(user, edition.production, "set_brief", goes_on=True) as record:
        record.details = {"language": edition.language}
        record.summary = edition.language
        record.update(edition, **changes)
