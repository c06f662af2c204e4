"""Change who speaks a line, when, and what is noted about it."""

from __future__ import annotations

from typing import Any

from janoglot.core.errors import BadInput
from janoglot.productions.models import Line, Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def edit_line(user: Anyone, line: Line, changes: dict[str, Any]) -> Line:
    """``changes``: any of speaker (an id of the production), start and end (seconds or None), notes.

    Raises BadInput for a stranger's speaker or a slot that does not run forward.
    """
    values: dict[str, Any] = {}
    if "speaker" in changes:
        speaker = Speaker.objects.filter(production_id=line.production_id, pk=changes["speaker"]).first()
        if speaker is None:
            raise BadInput("This production has no such speaker.")
        values["speaker_id"] = speaker.pk
    if "notes" in changes:
        values["notes"] = changes["notes"]
    if "start" in changes or "end" in changes:
        slot = line.slot or (None, None)
        start, end = changes.get("start", slot[0]), changes.get("end", slot[1])
        if (start is None) != (end is None) or (start is not None and end is not None and end <= start):
            raise BadInput("A slot needs an in-time and a later out-time.")
        values["start_ms"] = None if start is None else round(start * 1000)
        values["end_ms"] = None if end is None else round(end * 1000)
    with action(user, line.production, "edit_line") as record:
        record.summary = f"Line {line.number}"
        record.details = {"number": line.number}
        record.update(line, **values)
    return line
