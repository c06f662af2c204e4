"""From a draft file to a production: preview, then everything in one transaction."""

from __future__ import annotations

import itertools
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from janoglot.adapt.models import Wording
from janoglot.core.errors import BadInput
from janoglot.core.languages import tag_of
from janoglot.core.script.correcting import corrected, corrections_from
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.table import ROLES
from janoglot.core.script.model import Script
from janoglot.core.script.order import places
from janoglot.productions.models import Edition, Membership, Production, Role
from janoglot.productions.recorder import action
from janoglot.script.models import ImportDraft, Line, Part, Speaker

DEFAULT_SOURCE = "en-GB"
_PROSE = ("prose", "parts_by", "most_characters", "pattern", "narrator")


def hints_from(data: dict[str, Any]) -> Hints:
    """Hints from what a client sent. Raises BadInput for a meaning that is none."""
    columns = {}
    for place, meaning in (data.get("columns") or {}).items():
        columns[int(place)] = meaning if meaning in (*ROLES, "") else tag_of(str(meaning))
    source = data.get("source_language") or ""
    fps = data.get("fps")
    return Hints(format=data.get("format") or "", fps=float(fps) if fps else None,
                 source_language=tag_of(source) if source else "", columns=columns,
                 **{name: data[name] for name in _PROSE if data.get(name) not in (None, "") or (
                     name == "parts_by" and name in data)})


def read_draft(draft: ImportDraft) -> tuple[Script, list[str]]:
    """The script with what was corrected of its rows, and each line's key for correcting it. Raises BadInput."""
    script = read_script(bytes(draft.content), draft.filename, hints_from(draft.hints))
    keys = corrected(script, corrections_from(draft.hints.get("rows")))
    if not script.lines:
        raise BadInput("Every row was left out. Take some back.")
    return script, keys


_KEPT = ("format", "columns", "source_language", "fps")


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


def create_production(user: User, name: str, script: Script, source_language: str) -> Production:
    """A production with everything that ``script`` holds, owned by ``user``; whole or not at all."""
    name = name.strip()
    if not name:
        raise BadInput("Give the production a name.")
    with transaction.atomic():
        production = Production.objects.create(
            name=name[:200], source_language=source_language, created_by=user,
            **({"fps": script.fps} if script.frames and script.fps else {}))
        Membership.objects.create(production=production, user=user, role=Role.OWNER)
        with action(user, production, "create_production", record_creation=False) as record:
            record.summary = f"{name}: {len(script.lines)} lines"
            _fill(production, script, source_language)
    return production


def _fill(production: Production, script: Script, source_language: str) -> None:
    languages = [source_language, *(tag for tag in script.languages if tag != source_language)]
    editions = {tag: Edition.objects.create(production=production, language=tag, position=place)
                for place, tag in enumerate(languages)}
    speakers = {name: Speaker.objects.create(production=production, name=name, position=place)
                for place, name in enumerate(script.speakers)}
    part_names = [name for name, _ in itertools.groupby(line.part for line in script.lines)]
    parts: list[Part | None] = [
        Part.objects.create(production=production, name=name, position=place) if name else None
        for place, name in enumerate(part_names)
    ]
    rows: list[Line] = []
    order = iter(places(len(script.lines)))
    for part, (_, lines) in zip(parts, itertools.groupby(script.lines, key=lambda line: line.part), strict=True):
        for line in lines:
            slot = line.slot
            rows.append(Line(
                production=production, part=part, speaker=speakers[line.speaker], position=next(order),
                start_ms=round(slot[0] * 1000) if slot else None, end_ms=round(slot[1] * 1000) if slot else None,
                notes=line.notes, kind=Line.Kind.ON_SCREEN if line.on_screen else Line.Kind.SPOKEN))
    Line.objects.bulk_create(rows, batch_size=500)
    # bulk_create gives ids on MariaDB 10.5 and newer; read them back by position where it did not.
    if rows and rows[0].pk is None:
        rows = list(production.lines.order_by("position"))
    wordings = []
    for row, line in zip(rows, script.lines, strict=True):
        for tag, edition in editions.items():
            text = script.wording(line, tag, source_language)
            state = Wording.State.EMPTY if not text else Wording.State.EDITED
            wordings.append(Wording(line=row, edition=edition, text=text, state=state))
    Wording.objects.bulk_create(wordings, batch_size=500)
