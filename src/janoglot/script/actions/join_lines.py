"""Make one line of it and the one before."""

from __future__ import annotations

from janoglot.adapt.models import LONGEST, Wording
from janoglot.adapt.writing import cut_or_joined, source_words
from janoglot.cast.models import LineCasting
from janoglot.core.errors import BadInput
from janoglot.core.script.cutting import joined
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.script.models import Line
from janoglot.script.neighbours import preceding
from janoglot.timing.models import LineTiming


def join_lines(user: Anyone, line: Line) -> Line:
    """The line before, with the words of both in every edition, and a slot from its in-time to the other's out.

    The speaker, part and kind are those of the line before. Raises BadInput for the first line, and where the
    words of both are too long for one.
    """
    before = preceding(line)
    if before is None:
        raise BadInput("This is the first line: there is none before it to join.")
    with action(user, line.production, "join_lines") as record:
        record.details = {"number": before.number}
        record.summary = f"Line {before.number}"
        slot = {}
        if line.end_ms is not None:
            start = before.start_ms if before.start_ms is not None else line.start_ms
            slot = {"start_ms": start, "end_ms": max(line.end_ms, before.end_ms or 0)}
        notes = "; ".join(filter(None, [before.notes, line.notes]))
        record.update(before, notes=notes, **slot)
        have = {w.edition_id: w for w in Wording.objects.select_for_update().filter(line=before)}
        moved = list(Wording.objects.select_for_update().select_related("edition").filter(line=line))
        source = source_words(line.production)
        source_was, source_behind = source.get(before.pk, ""), source.get(line.pk, "")
        source_now = joined(source_was, source_behind)
        for wording in moved:
            mine = have.get(wording.edition_id)
            text = joined(mine.text if mine else "", wording.text)
            if len(text) > LONGEST:
                raise BadInput("The two together have {count} characters; a line may have {most} at most.",
                               count=len(text), most=LONGEST)
            first, was = (mine, source_was) if mine and mine.text else (wording, source_behind)
            values = cut_or_joined(user, text, Wording.State.EDITED, first, source_now, was)
            if mine is None:
                record.create(Wording(line=before, edition_id=wording.edition_id, **values))
            elif mine.text != text:
                record.update(mine, revision=mine.revision + 1, **values)
        record.delete_all(moved)
        record.delete_all(list(LineCasting.objects.select_for_update().filter(line=line)))
        record.delete_all(list(LineTiming.objects.select_for_update().filter(line=line)))
        record.delete(line)
    return before
