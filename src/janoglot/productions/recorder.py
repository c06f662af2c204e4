"""Recording a change while it is made, and putting it back.

Every action writes its rows through a :class:`Recorder`, inside one transaction. What it leaves is enough
to undo the action: each row before and after. Undoing refuses where a row has been changed since, so no
later work is lost.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

from django.apps import apps
from django.contrib.auth.models import User
from django.db import models, transaction
from django.utils import timezone

from janoglot.productions.models import ActionRecord, Production
from janoglot.productions.permissions import Anyone, require_change
from janoglot.server.faults import Conflict

Row = dict[str, Any]
M = TypeVar("M", bound=models.Model)


class Recorder:
    """Writes rows and remembers what they were."""

    def __init__(self) -> None:
        self.changes: list[dict[str, Any]] = []
        self.summary = ""

    def create(self, row: M) -> M:
        row.save(force_insert=True)
        self._note(row, None, row_of(row))
        return row

    def create_all(self, rows: Iterable[models.Model]) -> None:
        """Many rows of one model in few statements; MariaDB gives their ids back."""
        made = list(rows)
        if made:
            type(made[0])._default_manager.bulk_create(made, batch_size=500)
            for row in made:
                self._note(row, None, row_of(row))

    def update(self, row: models.Model, **values: Any) -> bool:
        """Set ``values`` where they differ. Gives back whether anything did."""
        before = row_of(row)
        for name, value in values.items():
            setattr(row, name, value)
        after = row_of(row)
        changed = [name for name in after if after[name] != before[name]]
        if not changed:
            return False
        row.save(update_fields=changed)
        self._note(row, {name: before[name] for name in changed}, {name: after[name] for name in changed})
        return True

    def delete(self, row: models.Model) -> None:
        self._note(row, row_of(row), None)
        row.delete()

    def _note(self, row: models.Model, before: Row | None, after: Row | None) -> None:
        self.changes.append({"model": row._meta.label_lower, "id": row.pk, "before": before, "after": after})


def row_of(row: models.Model) -> Row:
    """The row's own columns, as JSON holds them."""
    values = {}
    for field in row._meta.concrete_fields:
        value = getattr(row, field.attname)
        values[field.attname] = value.isoformat() if hasattr(value, "isoformat") else value
    return values


@contextmanager
def action(user: Anyone, production: Production, name: str, record_creation: bool = True) -> Iterator[Recorder]:
    """One business act: permission, then its changes in one transaction, then its record.

    Raises PermissionDenied. Where nothing changed, nothing is recorded. ``record_creation`` False keeps the
    rows of a whole new production out of its own first record: undoing that is deleting it.
    """
    require_change(user, production)
    with transaction.atomic():
        recorder = Recorder()
        yield recorder
        if recorder.changes or not record_creation:
            ActionRecord.objects.create(
                production=production, user=user if isinstance(user, User) else None, name=name,
                summary=recorder.summary[:300], changes=recorder.changes if record_creation else [])


def undo_last(user: Anyone, production: Production) -> ActionRecord:
    """Put the newest action that is not yet undone back. Raises Conflict where rows have changed since."""
    require_change(user, production)
    with transaction.atomic():
        record = (ActionRecord.objects.select_for_update().filter(production=production, undone=None)
                  .exclude(changes=[]).first())
        if record is None:
            raise Conflict("There is nothing to undo.")
        for change in reversed(record.changes):
            _put_back(change)
        record.undone = timezone.now()
        record.save(update_fields=["undone"])
    return record


def _put_back(change: dict[str, Any]) -> None:
    model: type[models.Model] = apps.get_model(change["model"])
    before, after = change["before"], change["after"]
    rows = model._default_manager.select_for_update().filter(pk=change["id"])
    if after is None:
        model(**_python(model, before)).save(force_insert=True)
        return
    row = rows.first()
    now = row_of(row) if row else None
    if now is None or any(now[name] != value for name, value in after.items() if name not in _FREE):
        raise Conflict("This was changed again since, so it cannot be undone by itself. Undo the later change first.")
    assert row is not None
    if before is None:
        row.delete()
        return
    for name, value in _python(model, before).items():
        # A revision only ever grows, or an older edit would pass for the newest.
        setattr(row, name, getattr(row, name) + 1 if name == "revision" else value)
    row.save(update_fields=list(before))


# Columns that work in the background moves on: which take was made last for a wording.
_FREE = {"take_id", "revision"}


def _python(model: type[models.Model], values: Row) -> Row:
    fields = {field.attname: field for field in model._meta.concrete_fields}
    return {name: fields[name].to_python(value) for name, value in values.items()}
