"""From a draft file to a production: preview, then everything in one transaction."""

from __future__ import annotations

from typing import Any

from janoglot.core.edition.directed_by_notes import direct_by_notes
from janoglot.core.edition.marked_up import take_markup
from janoglot.core.errors import BadInput
from janoglot.core.languages import tag_of
from janoglot.core.script.correcting import corrected, corrections_from
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.table import ROLES
from janoglot.core.script.model import Script
from janoglot.script.models import ImportDraft

DEFAULT_SOURCE = "en-GB"
_PROSE = ("prose", "parts_by", "most_characters", "pattern", "narrator")


def hints_from(data: dict[str, Any]) -> Hints:
    """Hints from what a client sent. Raises BadInput for a meaning that is none."""
    columns = {}
    for place, meaning in (data.get("columns") or {}).items():
        columns[int(place)] = meaning if meaning in (*ROLES, "") else tag_of(str(meaning))
    source = data.get("source_language") or ""
    fps = data.get("fps")
    return Hints(format=data.get("format") or "", encoding=data.get("encoding") or "", fps=float(fps) if fps else None,
                 labels=dict(data.get("labels") or {}), from_start=data.get("from_start"),
                 directions=data.get("brackets") is not False, directing=data.get("directing") is not False,
                 source_language=tag_of(source) if source else "", columns=columns,
                 **{name: data[name] for name in _PROSE if data.get(name) not in (None, "") or (
                     name == "parts_by" and name in data)})


def read_draft(draft: ImportDraft) -> tuple[Script, list[str]]:
    """The script with what was corrected of its rows, and each line's key for correcting it. Raises BadInput."""
    hints = hints_from(draft.hints)
    script = read_script(bytes(draft.content), draft.filename, hints)
    take_markup(script)
    direct_by_notes(script, hints.directing)
    keys = corrected(script, corrections_from(draft.hints.get("rows")))
    if not script.lines:
        raise BadInput("Every row was left out. Take some back.")
    return script, keys


_KEPT = ("format", "encoding", "columns", "source_language", "fps")


def kept_hints(old: ImportDraft | None, draft: ImportDraft) -> dict[str, Any]:
    """What was said of the file before, where this one has the same columns: nobody says it twice."""
    said = {name: old.hints[name] for name in _KEPT if old.hints.get(name)} if old else {}
    if old is None or not said:
        return {}
    hints = hints_from({**said, **draft.hints})
    try:
        before = read_script(bytes(old.content), old.filename, hints)
        now = read_script(bytes(draft.content), draft.filename, hints)
    except BadInput:
        return {}
    headers = [[header for header, _ in one.columns] for one in (before, now)]
    return said if headers[0] and headers[0] == headers[1] else {}


def source_language_of(draft: ImportDraft, script: Script) -> str:
    return script.source_language or hints_from(draft.hints).source_language or DEFAULT_SOURCE
