"""Have a line follow a guide read: brought in, turned up or down, and deleted for good."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from janoglot.core.errors import BadInput
from janoglot.productions.models import Edition, GuideRead, Line, Wording
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.server.storage import media

DIALS = ("timing", "melody", "energy")


def bring_guide(user: Anyone, edition: Edition, line: Line, key: str, name: str, language: str) -> GuideRead:
    """A recording for a line, in the place of the one that it had. What is in it is found behind the page."""
    words = Wording.objects.filter(edition=edition, line=line).values_list("text", flat=True).first() or ""
    if not words.strip():
        raise BadInput("This line has no words yet.")
    with action(user, edition.production, "bring_guide") as record:
        record.summary = f"Line {line.number}, {edition.language}"
        record.details = {"number": line.number, "language": edition.language}
        Line.objects.select_for_update().get(pk=line.pk)
        row = GuideRead.objects.select_for_update().filter(edition=edition, line=line).first()
        values = {"key": key, "name": name[:255], "language": language, "said": words}
        old = row.key if row else ""
        if row:
            record.delete(row)
        made = record.create(GuideRead(edition=edition, line=line, **values))
    _forget(old)
    return made


def set_guide(user: Anyone, row: GuideRead, changes: dict[str, Any]) -> GuideRead:
    """``changes``: how much of timing, melody and energy is followed, 0 to 1."""
    edition, line = row.edition, row.line
    with action(user, edition.production, "set_guide", goes_on=True) as record:
        record.summary = f"Line {line.number}, {edition.language}"
        record.details = {"number": line.number, "language": edition.language}
        record.update(row, **{name: changes[name] for name in DIALS if name in changes})
    return row


def delete_guide(user: Anyone, row: GuideRead) -> None:
    """The line follows it no more, and the person's sound is gone for good."""
    edition, line, key = row.edition, row.line, row.key
    with action(user, edition.production, "delete_guide") as record:
        record.summary = f"Line {line.number}, {edition.language}"
        record.details = {"number": line.number, "language": edition.language}
        GuideRead.objects.filter(pk=row.pk).update(key="")
        row.refresh_from_db()
        record.delete(row)
    _forget(key)


def _forget(key: str) -> None:
    """Take a recording out of the store, where no other line follows it."""
    def remove() -> None:
        if key and not GuideRead.objects.filter(key=key).exists():
            media().remove(key)

    transaction.on_commit(remove)
