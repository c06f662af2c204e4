"""A new production from a script."""

from __future__ import annotations

import itertools

from django.contrib.auth.models import User
from django.db import transaction

from janoglot.core.errors import BadInput
from janoglot.core.script.model import Script
from janoglot.core.script.order import places
from janoglot.productions.models import Edition, Line, Membership, Part, Production, Role, Speaker, Wording
from janoglot.productions.recorder import action


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
