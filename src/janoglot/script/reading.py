"""A script as it is read and edited: whole, or what has changed since a stamp."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db.models import Count

from janoglot.editions.serializers import part_data
from janoglot.productions.models import ActionRecord, Edition, Line, Part, Production, Speaker, Wording
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import redoable, undoable

Data = dict[str, Any]
MOST_CHANGED = 400
"""With more lines changed than this, the whole script is sent."""


def whole_script(production: Production, edition: Edition, user: Anyone) -> Data:
    """Every line with the words of ``edition``, in the script's order."""
    # The stamp is read first: what is changed meanwhile is told again, never missed.
    stamp = Production.objects.values_list("stamp", flat=True).get(pk=production.pk)
    return {"stamp": stamp, "whole": True, "removed": [], "lines": _lines(production, edition),
            **_speakers_parts_and_undo(production, user)}


def script_since(production: Production, edition: Edition, stamp: int, user: Anyone) -> Data:
    """What has changed since ``stamp``: lines as they are now, and the ids of those that are gone."""
    now = Production.objects.values_list("stamp", flat=True).get(pk=production.pk)
    if stamp == now:
        return {"stamp": now, "whole": False, "removed": [], "lines": [], "speakers": None, "parts": None,
                "undo": None, "redo": None, "others": False}
    records = ActionRecord.objects.filter(production=production, stamp__gt=stamp).values_list("changes", flat=True)
    touched: set[int] = set()
    wordings: set[int] = set()
    others = False
    for changes in records:
        for change in changes:
            if change["model"] == "productions.line":
                touched.add(change["id"])
            elif change["model"] == "productions.wording":
                row = change["before"] or change["after"] or {}
                if "line_id" in row:
                    touched.add(row["line_id"])
                else:
                    wordings.add(change["id"])
            else:
                others = True
    touched |= set(Wording.objects.filter(pk__in=wordings).values_list("line_id", flat=True))
    if stamp > now or len(touched) > MOST_CHANGED:
        return whole_script(production, edition, user)
    lines = _lines(production, edition, touched)
    there = {line["id"] for line in lines}
    return {"stamp": now, "whole": False, "removed": sorted(touched - there), "lines": lines,
            **_speakers_parts_and_undo(production, user), "others": others}


def _lines(production: Production, edition: Edition, only: Iterable[int] | None = None) -> list[Data]:
    rows = Line.objects.filter(production=production)
    wordings = Wording.objects.filter(edition=edition)
    if only is not None:
        rows, wordings = rows.filter(pk__in=only), wordings.filter(line_id__in=only)
    words = {line: (text, revision) for line, text, revision in wordings.values_list("line_id", "text", "revision")}
    found = []
    for pk, place, part, speaker, kind, in_sight, start, end, notes in rows.values_list(
            "id", "position", "part_id", "speaker_id", "kind", "in_sight", "start_ms", "end_ms", "notes"):
        text, revision = words.get(pk, ("", 0))
        found.append({
            "id": pk, "place": place, "part": part, "speaker": speaker, "kind": kind, "in_sight": in_sight,
            "slot": None if start is None or end is None else [start / 1000, end / 1000], "notes": notes,
            "words": text, "revision": revision})
    return found


def _speakers_parts_and_undo(production: Production, user: Anyone) -> Data:
    speakers = Speaker.objects.filter(production=production).annotate(count=Count("lines"))
    newest = undoable(user, production).first()
    again = redoable(user, production).first()
    return {
        "speakers": [{"id": p.pk, "name": p.name, "position": p.position, "lines": p.count, "note": p.note}
                     for p in speakers],
        "parts": [part_data(part) for part in Part.objects.filter(production=production)],
        "undo": newest.name if newest else None, "redo": again.name if again else None, "others": True,
    }
