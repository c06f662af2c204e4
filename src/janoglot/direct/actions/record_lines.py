"""A person's own takes: brought in to wait, given to lines, let play quicker or slower, and taken off again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.contrib.auth.models import User

from janoglot.core.errors import BadInput
from janoglot.direct.recording import begin_listening, begin_preparing
from janoglot.productions.models import Edition, Line, LineRecording, WaitingRecording, Wording
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action

MOST_WAITING = 5_000


def bring_recordings(user: Anyone, edition: Edition, brought: Sequence[tuple[str, str]]) -> int:
    """Recordings that wait to be given to lines: key and name of each. They are decoded and listened to behind the
    page. Raises BadInput for too many."""
    with action(user, edition.production, "bring_recordings") as record:
        waiting = WaitingRecording.objects.filter(edition=edition).count()
        if waiting + len(brought) > MOST_WAITING:
            raise BadInput("At most {most} recordings wait in an edition. Give those that are there to their lines "
                           "first, or throw them out.", most=MOST_WAITING)
        record.summary = f"{len(brought)}, {edition.language}"
        record.details = {"count": len(brought), "language": edition.language}
        record.create_all([WaitingRecording(edition=edition, key=key, name=name[:255]) for key, name in brought])
    begin_listening(edition, user)
    return len(brought)


def take_recordings(user: Anyone, edition: Edition, chosen: Mapping[int, int]) -> int:
    """Give recordings that wait to lines, by recording; each in the place of the one that its line had. Raises
    BadInput for a line that is given two, has no words, or is not there."""
    if len(set(chosen.values())) < len(chosen):
        raise BadInput("A line can have one recording. Choose which of them it is.")
    with action(user, edition.production, "take_recordings") as record:
        waiting = {row.pk: row for row in WaitingRecording.objects.select_for_update().filter(
            edition=edition, pk__in=chosen)}
        lines = {line.pk: line for line in Line.objects.select_for_update().filter(
            production=edition.production_id, pk__in=chosen.values())}
        words = dict(Wording.objects.filter(edition=edition, line__in=lines).values_list("line_id", "text"))
        for pk, line in chosen.items():
            if pk not in waiting or line not in lines:
                raise BadInput("A recording or a line of these is gone. Look at the list again.")
            if not words.get(line, "").strip():
                raise BadInput("Line {number} has no words yet.", number=lines[line].number)
        record.summary = f"{len(chosen)}, {edition.language}"
        record.details = {"count": len(chosen), "language": edition.language}
        record.delete_all(list(LineRecording.objects.select_for_update().filter(
            edition=edition, line__in=chosen.values())))
        record.create_all([LineRecording(
            edition=edition, line=lines[line], key=waiting[pk].key, name=waiting[pk].name, said=words[line],
            listened=waiting[pk].listened, heard=waiting[pk].heard,
            by=user if isinstance(user, User) else None) for pk, line in chosen.items()])
        record.delete_all(list(waiting.values()))
    begin_preparing(edition, user)
    return len(chosen)


def throw_recordings(user: Anyone, edition: Edition, ids: Sequence[int]) -> int:
    """Have recordings wait no longer; undo brings them back."""
    with action(user, edition.production, "throw_recordings") as record:
        rows = list(WaitingRecording.objects.select_for_update().filter(edition=edition, pk__in=ids))
        record.summary = f"{len(rows)}, {edition.language}"
        record.details = {"count": len(rows), "language": edition.language}
        record.delete_all(rows)
    return len(rows)


def record_line(user: Anyone, edition: Edition, line: Line, key: str, name: str) -> LineRecording:
    """A recording for one line, in the place of the one that it had. Raises BadInput where it has no words."""
    words = Wording.objects.filter(edition=edition, line=line).values_list("text", flat=True).first() or ""
    if not words.strip():
        raise BadInput("This line has no words yet.")
    with action(user, edition.production, "record_line") as record:
        _tell(record, edition, line)
        Line.objects.select_for_update().get(pk=line.pk)
        record.delete_all(list(LineRecording.objects.select_for_update().filter(edition=edition, line=line)))
        row = record.create(LineRecording(edition=edition, line=line, key=key, name=name[:255], said=words,
                                          by=user if isinstance(user, User) else None))
    begin_preparing(edition, user)
    return row


def set_recording(user: Anyone, row: LineRecording, changes: Mapping[str, Any]) -> LineRecording:
    """``stretch``: whether it may be played quicker or slower to fit; ``cleaned``: whether its steady noise is taken
    down. ``holds``: what it says holds for the words as
    they are now."""
    edition, line = row.edition, row.line
    with action(user, edition.production, "set_recording") as record:
        _tell(record, edition, line)
        values: dict[str, Any] = {name: changes[name] for name in ("stretch", "cleaned") if name in changes}
        if changes.get("holds"):
            values["said"] = Wording.objects.filter(edition=edition, line=line).values_list(
                "text", flat=True).first() or row.said
        changed = record.update(row, **values)
    if changed and ("said" in values or "cleaned" in values):
        # It is another sound, or its words are others now and lie elsewhere in it.
        LineRecording.objects.filter(pk=row.pk).update(state=LineRecording.State.READING)
        begin_preparing(edition, user)
        row.refresh_from_db()
    return row


def take_off_recording(user: Anyone, row: LineRecording) -> None:
    """The line has it no more; undo brings it back."""
    with action(user, row.edition.production, "take_off_recording") as record:
        _tell(record, row.edition, row.line)
        record.delete(row)


def _tell(record: Any, edition: Edition, line: Line) -> None:
    record.summary = f"Line {line.number}, {edition.language}"
    record.details = {"number": line.number, "language": edition.language}
