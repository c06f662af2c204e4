"""Recording a change while it is made, putting it back, and doing it again.

Every action writes its rows through a :class:`Recorder`, inside one transaction. What it leaves is enough
to undo the action and to redo it: each row before and after. Both refuse where a row has been changed
since, so no later work is lost. Sounds are kept by what they were made from, so undoing loses none.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any, TypeVar

from django.apps import apps
from django.contrib.auth.models import User
from django.db import models, transaction
from django.db.models import F
from django.utils import timezone

from janoglot.productions.belonging import belonging_of
from janoglot.productions.models import ActionRecord, Production
from janoglot.productions.permissions import Anyone, require_change, signed_in
from janoglot.server.faults import Conflict

Row = dict[str, Any]
M = TypeVar("M", bound=models.Model)


class Recorder:
    """Writes rows and remembers what they were. ``details`` fills the sentence that says what was done."""

    def __init__(self) -> None:
        self.changes: list[dict[str, Any]] = []
        self.summary = ""
        self.details: dict[str, Any] = {}

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
        changed = self._set(row, values)
        if changed:
            row.save(update_fields=changed)
        return bool(changed)

    def update_all(self, rows: Sequence[tuple[M, Row]]) -> int:
        """Set values on many rows of one model in few statements. Gives back how many differed."""
        groups: dict[str, tuple[Row, list[Any]]] = {}
        count = 0
        for row, values in rows:
            names = self._set(row, values)
            if names:
                count += 1
                same = {name: getattr(row, name) for name in names}
                groups.setdefault(json.dumps(same, default=str, sort_keys=True), (same, []))[1].append(row.pk)
        # One statement for all rows that come to hold the same: many times faster than Django's bulk update.
        for same, ids in groups.values():
            type(rows[0][0])._default_manager.filter(pk__in=ids).update(**same)
        return count

    def delete(self, row: models.Model) -> None:
        self._note(row, row_of(row), None)
        row.delete()

    def delete_all(self, rows: Sequence[models.Model]) -> None:
        """Many rows of one model, that nothing else hangs on."""
        for row in rows:
            self._note(row, row_of(row), None)
        if rows:
            type(rows[0])._default_manager.filter(pk__in=[row.pk for row in rows]).delete()

    def _set(self, row: models.Model, values: Row) -> list[str]:
        before = row_of(row)
        for name, value in values.items():
            setattr(row, name, value)
        after = row_of(row)
        changed = [name for name in after if after[name] != before[name]]
        if changed:
            self._note(row, {name: before[name] for name in changed}, {name: after[name] for name in changed})
        return changed

    def _note(self, row: models.Model, before: Row | None, after: Row | None) -> None:
        self.changes.append({"model": row._meta.label_lower, "id": row.pk, "before": before, "after": after})


def row_of(row: models.Model) -> Row:
    """The row's own columns, as JSON holds them."""
    values = {}
    for field in row._meta.concrete_fields:
        value = getattr(row, field.attname)
        values[field.attname] = value.isoformat() if hasattr(value, "isoformat") else value
    return values


def hold(production: Production) -> None:
    """Lock the production's row until the end of the transaction, before anything else in it is touched: who changes a
    production waits here for whoever does so just now.

    Everything that is made in a production locks its row a little (its key is referred to), and the stamp wholly: two
    who came to the second by way of the first would wait for one another. Raises Conflict where it is gone.
    """
    if Production.objects.select_for_update().filter(pk=production.pk).first() is None:
        raise Conflict("This production has been deleted.")


def next_stamp(production: Production) -> int:
    """Count one more change. Locks the production's row until the end of the transaction, so that whoever has
    seen a stamp has seen all changes before it."""
    Production.objects.filter(pk=production.pk).update(stamp=F("stamp") + 1)
    production.stamp = Production.objects.values_list("stamp", flat=True).get(pk=production.pk)
    return production.stamp


AT_ONE_SITTING = 60.0
"""Seconds. Words that are typed on and on in one line are one change, not one for each pause of the hand."""


@contextmanager
def action(user: Anyone, production: Production, name: str, record_creation: bool = True,
           goes_on: bool = False) -> Iterator[Recorder]:
    """One business act: permission, then its changes in one transaction, then its record.

    Raises PermissionDenied. Where nothing changed, nothing is recorded. ``record_creation`` False keeps the
    rows of a whole new production out of its own first record: undoing that is deleting it. With ``goes_on``
    the same person's newest change to the same single row is made part of this one.
    """
    require_change(user, production)
    with transaction.atomic():
        hold(production)
        recorder = Recorder()
        yield recorder
        if recorder.changes:
            # What was taken back before this is not to come again on top of it.
            redoable(user, production).update(abandoned=True)
        if goes_on and _went_on(user, production, name, recorder):
            return
        if recorder.changes or not record_creation:
            ActionRecord.objects.create(
                production=production, user=user if isinstance(user, User) else None, name=name,
                summary=recorder.summary[:300], details=recorder.details, stamp=next_stamp(production),
                changes=recorder.changes if record_creation else [])


def _went_on(user: Anyone, production: Production, name: str, recorder: Recorder) -> bool:
    """Make the newest record cover what was done now, where it is this person's and of the same row, just before."""
    if len(recorder.changes) != 1 or recorder.changes[0]["before"] is None:
        return False
    last = ActionRecord.objects.select_for_update().filter(production=production).first()
    now, change = timezone.now(), recorder.changes[0]
    if last is None or last.name != name or last.undone or last.user_id != user.pk or len(last.changes) != 1 \
            or (now - last.at).total_seconds() > AT_ONE_SITTING:
        return False
    earlier = last.changes[0]
    if earlier["model"] != change["model"] or earlier["id"] != change["id"] or earlier["before"] is None:
        return False
    earlier["before"] = {**change["before"], **earlier["before"]}
    earlier["after"] = {**earlier["after"], **change["after"]}
    last.at, last.stamp = now, next_stamp(production)
    last.save(update_fields=["changes", "at", "stamp"])
    return True


def undo_last(user: Anyone, production: Production, with_others: bool = False) -> list[ActionRecord]:
    """Take the newest change of ``user``'s own back; never somebody else's. Gives back what was undone.

    Where somebody else's later changes are of the same rows, raises :class:`LaterChange` that names them; with
    ``with_others`` they are taken back first. Raises Conflict where there is nothing to undo.
    """
    require_change(user, production)
    with transaction.atomic():
        hold(production)
        record = undoable(user, production).select_for_update().first()
        if record is None:
            raise Conflict("There is nothing of yours to undo.")
        later = _on_top_of(record)
        if later and not with_others:
            raise LaterChange(later[0])
        for one in later:
            _undo(one, user)
        _undo(record, user)
    return [record, *later]


class LaterChange(Conflict):
    """Somebody else has changed the same rows since: theirs lies on top."""

    code = "later_change"

    def __init__(self, later: ActionRecord) -> None:
        by = later.user.username if later.user else "somebody"
        super().__init__("{by} has changed the same since. Undo theirs as well, or leave both.",
                         {"by": by, "name": later.name, "details": later.details}, by=by)


def _on_top_of(record: ActionRecord) -> list[ActionRecord]:
    """Standing records of others after ``record`` that touch a row which it, or one of them, touches, the newest
    first."""
    rows = {(change["model"], change["id"]) for change in record.changes}
    rows |= {("productions.line", line) for change in record.changes if (line := _line_of(change))}
    found = []
    for later in _standing(record.production).filter(pk__gt=record.pk).exclude(
            user=record.user).select_related("user").order_by("id"):
        touched = {(change["model"], change["id"]) for change in later.changes}
        touched |= {("productions.line", line) for change in later.changes
                    if change["before"] is None and (line := _line_of(change))}
        if touched & rows:
            rows |= touched
            found.append(later)
    return found[::-1]


def _line_of(change: dict[str, Any]) -> int | None:
    """The line that a row hangs on, where it was made or taken out: its line cannot go without it."""
    row = (change["before"] or change["after"] or {}) if change["before"] is None or change["after"] is None else {}
    line: int | None = row.get("line_id")
    return line


def redo_next(user: Anyone, production: Production) -> ActionRecord:
    """Do again what ``user`` undid last. Raises Conflict where there is none, or rows have changed since."""
    require_change(user, production)
    with transaction.atomic():
        hold(production)
        record = redoable(user, production).select_for_update().first()
        if record is None:
            raise Conflict("There is nothing to do again.")
        for change in record.changes:
            _apply(change["model"], change["id"], change["before"], change["after"])
        record.undone, record.undone_by, record.stamp = None, None, next_stamp(production)
        record.save(update_fields=["undone", "undone_by", "stamp"])
    return record


def go_back_to(user: Anyone, production: Production, record_id: int) -> int:
    """Undo everything that came after a record, whoever did it, newest first; all or nothing. Gives back how many
    actions. Raises Conflict where rows have changed since."""
    require_change(user, production)
    with transaction.atomic():
        hold(production)
        records = list(_standing(production).select_for_update().filter(pk__gt=record_id))
        for record in records:
            _undo(record, user)
    return len(records)


def undoable(user: Anyone, production: Production) -> models.QuerySet[ActionRecord]:
    """What ``user`` did and nobody has undone, the newest first."""
    return _standing(production).filter(user=signed_in(user))


def redoable(user: Anyone, production: Production) -> models.QuerySet[ActionRecord]:
    """What ``user`` undid and has changed nothing since, the next one first."""
    return ActionRecord.objects.filter(production=production, undone_by=signed_in(user), undone__isnull=False,
                                       abandoned=False).order_by("id")


def _standing(production: Production) -> models.QuerySet[ActionRecord]:
    return ActionRecord.objects.filter(production=production, undone=None).exclude(changes=[])


def _undo(record: ActionRecord, user: Anyone) -> None:
    for change in reversed(record.changes):
        _apply(change["model"], change["id"], change["after"], change["before"])
    record.undone, record.stamp, record.abandoned = timezone.now(), next_stamp(record.production), False
    record.undone_by = user if isinstance(user, User) else None
    record.save(update_fields=["undone", "undone_by", "stamp", "abandoned"])


def _apply(label: str, pk: Any, expected: Row | None, wanted: Row | None) -> None:
    """Bring one row from ``expected`` to ``wanted``; None is a row that is not there. Raises Conflict."""
    model: type[models.Model] = apps.get_model(label)
    if expected is None:
        assert wanted is not None
        model(**_python(model, wanted)).save(force_insert=True)
        return
    row = model._default_manager.select_for_update().filter(pk=pk).first()
    now = row_of(row) if row else None
    registered = belonging_of(label)
    free = registered.free if registered else frozenset()
    if now is None or any(now[name] != value for name, value in expected.items()
                          if name in now and name not in free):
        raise Conflict("This was changed again since, so it cannot be undone by itself. Undo the later change first.")
    assert row is not None
    if wanted is None:
        _, gone = row.delete()
        if any(belonging_of(name.lower()) for name in gone if name.lower() != label):
            raise Conflict("Others have worked on what this would take away. Look at the history, and go back from "
                           "there.")
        return
    for name, value in _python(model, wanted).items():
        # A revision only ever grows, or an older edit would pass for the newest.
        setattr(row, name, getattr(row, name) + 1 if name == "revision" else value)
    row.save(update_fields=list(_python(model, wanted)))


def _python(model: type[models.Model], values: Row) -> Row:
    fields = {field.attname: field for field in model._meta.concrete_fields}
    # A column that an older version kept is passed over.
    return {name: fields[name].to_python(value) for name, value in values.items() if name in fields}
