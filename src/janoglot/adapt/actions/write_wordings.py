"""Write many wordings at once: drafts, what came back from a translator, translated captions."""

from __future__ import annotations

from collections.abc import Sequence

from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.writing import NewWords, write_all


def write_wordings(user: Anyone, edition: Edition, words: Sequence[NewWords], how: str) -> int:
    """``how`` names the act: draft_lines, bring_wordings or add_captions. Gives back how many lines changed."""
    with action(user, edition.production, how) as record:
        count = write_all(record, user, edition, words)
        record.details = {"count": count, "language": edition.language}
        record.summary = f"{count} lines, {edition.language}"
    return count
