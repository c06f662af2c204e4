"""A new production from a script."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction

from janoglot.core.edition.from_script import settle_delivery
from janoglot.core.errors import BadInput
from janoglot.core.mix.programme import can_be_target
from janoglot.core.script.model import Script
from janoglot.core.script.order import places
from janoglot.productions.models import Edition, Line, Membership, Part, Production, Role, Speaker, Wording
from janoglot.productions.recorder import action
from janoglot.productions.taking_out import bring_in_decisions


def create_production(user: User, name: str, script: Script, source_language: str) -> Production:
    """A production with everything that ``script`` holds, owned by ``user``; whole or not at all."""
    name = name.strip()
    if not name:
        raise BadInput("Give the production a name.")
    with transaction.atomic():
        production = Production.objects.create(
            name=name[:200], source_language=source_language, created_by=user,
            **({"fps": script.fps} if (script.frames or script.editions) and script.fps else {}),
            **({"target_lufs": script.target} if script.target is not None and can_be_target(script.target) else {}))
        Membership.objects.create(production=production, user=user, role=Role.OWNER)
        with action(user, production, "create_production", record_creation=False) as record:
            record.summary = f"{name}: {len(script.lines)} lines"
            _fill(production, script, source_language)
    return production


def _fill(production: Production, script: Script, source_language: str) -> None:
    settle_delivery(script, source_language)
    languages = [source_language, *(tag for tag in script.languages if tag != source_language)]
    editions = {tag: Edition.objects.create(production=production, language=tag, position=place)
                for place, tag in enumerate(languages)}
    speakers = {name: Speaker.objects.create(production=production, name=name, position=place)
                for place, name in enumerate(script.speakers)}
    rows: list[Line] = []
    order = iter(places(len(script.lines)))
    for place, (told, lines) in enumerate(script.runs()):
        part = Part.objects.create(production=production, name=told.name, position=place, may_grow=told.may_grow,
                                   start_ms=_ms(told.start), end_ms=_ms(told.end)) if told.name else None
        for line in lines:
            rows.append(Line(
                production=production, part=part, speaker=speakers[line.speaker], position=next(order),
                start_ms=_ms(line.start) if line.slot else None, end_ms=_ms(line.end) if line.slot else None,
                notes=line.notes, kind=Line.Kind.ON_SCREEN if line.on_screen else Line.Kind.SPOKEN,
                in_sight=line.in_sight))
    Line.objects.bulk_create(rows, batch_size=500)
    wordings = []
    for row, line in zip(rows, script.lines, strict=True):
        for tag, edition in editions.items():
            text = script.wording(line, tag, source_language)
            told_state = line.own.get(tag, {}).get("wording", {}).get("state")
            state = told_state if told_state in (Wording.State.DRAFT, Wording.State.APPROVED) else Wording.State.EDITED
            source = "" if tag == source_language else script.wording(line, source_language, source_language)
            wordings.append(Wording(line=row, edition=edition, text=text, state=state if text else Wording.State.EMPTY,
                                    worded_from=source if text else ""))
    Wording.objects.bulk_create(wordings, batch_size=500)
    bring_in_decisions(script, editions, speakers, rows)


def _ms(seconds: float | None) -> int | None:
    return None if seconds is None else max(0, round(seconds * 1000))
