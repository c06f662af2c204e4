"""Direct a line: choose which of its takes is heard, name takes, mark its words, give it moods."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from janoglot.core.edition.from_script import variant_of
from janoglot.core.errors import BadInput
from janoglot.core.speech.directing import DirectionMark, carried, marks_of
from janoglot.core.speech.moods import checked_moods
from janoglot.productions.models import Edition, Line, LineDirection, Wording, checked_takes
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import Recorder, action

LONGEST_NAME = 60
MOST_NAMES = 50


def set_direction(user: Anyone, edition: Edition, line: Line, changes: dict[str, Any]) -> None:
    """``changes``: any of ``variant`` (the number of a take), ``names`` (by number, empty takes one away), ``marks``
    (on the words as they are now, all anew) or ``marks_added`` and ``marks_removed``, ``moods`` and ``takes`` (those
    that are kept to choose from). A line of which nothing is directed has no row. Raises BadInput."""
    with action(user, edition.production, "set_direction", goes_on=True) as record:
        record.details = {"number": line.number, "language": edition.language}
        record.summary = f"Line {line.number}, {edition.language}"
        set_on(record, edition, line, changes)


def set_moods(user: Anyone, edition: Edition, lines: list[Line], moods: Any) -> None:
    """The same moods for some lines, in one act. Raises BadInput."""
    set_acting(user, edition, [(line, moods, ()) for line in lines])


def set_acting(user: Anyone, edition: Edition,
               told: Sequence[tuple[Line, Any, Sequence[tuple[int, float]]]]) -> None:
    """Moods and stressed words for some lines, each its own, in one act; what else is directed of their words stays.
    Without moods a line keeps those that it has. Raises BadInput."""
    checked = [(line, checked_moods(moods), stresses) for line, moods, stresses in told]
    with action(user, edition.production, "set_moods") as record:
        record.details = {"count": len(checked), "language": edition.language}
        record.summary = f"{len(checked)} lines, {edition.language}"
        for line, moods, stresses in checked:
            changes: dict[str, Any] = {"moods": dict(moods)} if moods or not stresses else {}
            if stresses:
                changes["marks"] = _with_stresses(edition, line, stresses)
            set_on(record, edition, line, changes)


def _with_stresses(edition: Edition, line: Line, stresses: Sequence[tuple[int, float]]) -> list[dict[str, Any]]:
    """What is directed of a line's words now, with these stresses in the place of any that the same words had."""
    row = LineDirection.objects.filter(edition=edition, line=line).first()
    words = Wording.objects.filter(edition=edition, line=line).values_list("text", flat=True).first() or ""
    there = carried(row.core_marks, row.said, words)[0] if row else ()
    taken = {word for word, _ in stresses}
    kept = [mark.as_json() for mark in there if not (mark.kind == "stress" and taken & set(range(
        mark.word, mark.word + mark.count)))]
    return [*kept, *({"kind": "stress", "word": word, "amount": amount} for word, amount in stresses)]


def _changed(row: LineDirection | None, words: str, changes: dict[str, Any]) -> tuple[DirectionMark, ...]:
    """What is directed of a line's words with some marks more and some less; what somebody else has marked meanwhile
    stays. A mark takes the place of one of its kind on the same words."""
    there = carried(row.core_marks, row.said, words)[0] if row else ()
    told = [*changes.get("marks_removed", []), *changes.get("marks_added", [])]
    placed = {_place(one) for one in told}
    kept = [mark.as_json() for mark in there if _place(mark.as_json()) not in placed]
    return marks_of([*kept, *changes.get("marks_added", [])], words)


def _place(mark: Mapping[str, Any]) -> tuple[Any, ...]:
    return mark["kind"], mark["word"], mark.get("count", 1), mark.get("said", "") if mark["kind"] == "kept" else ""


def set_on(record: Recorder, edition: Edition, line: Line, changes: dict[str, Any]) -> None:
    values: dict[str, Any] = {}
    # Moods and marks may come at the same moment, and nothing is directed of the line yet: one after the other.
    Line.objects.select_for_update().get(pk=line.pk)
    row = LineDirection.objects.select_for_update().filter(edition=edition, line=line).first()
    if "variant" in changes:
        values["variant"] = variant_of({"direction": changes})
    if "names" in changes:
        names = {**(row.names if row else {}), **{str(number): name.strip()[:LONGEST_NAME]
                                                  for number, name in changes["names"].items()}}
        values["names"] = {number: name for number, name in names.items() if name and number.isdigit()}
        if len(values["names"]) > MOST_NAMES:
            raise BadInput("At most {most} takes of a line may have names.", most=MOST_NAMES)
    if "moods" in changes:
        values["moods"] = [list(one) for one in checked_moods(changes["moods"])]
    if "takes" in changes:
        values["takes"] = checked_takes(changes["takes"])
    if "marks" in changes:
        words = Wording.objects.filter(edition=edition, line=line).values_list("text", flat=True).first() or ""
        values["marks"] = [mark.as_json() for mark in marks_of(changes["marks"], words)]
        values["said"] = words if values["marks"] else ""
    elif "marks_added" in changes or "marks_removed" in changes:
        words = Wording.objects.filter(edition=edition, line=line).values_list("text", flat=True).first() or ""
        values["marks"] = [mark.as_json() for mark in _changed(row, words, changes)]
        values["said"] = words if values["marks"] else ""
    if row is None:
        made = LineDirection(edition=edition, line=line, **values)
        if not made.empty:
            record.create(made)
        return
    for name, value in values.items():
        setattr(row, name, value)
    gone = row.empty
    row.refresh_from_db()
    if gone:
        record.delete(row)
        return
    record.update(row, **values)

