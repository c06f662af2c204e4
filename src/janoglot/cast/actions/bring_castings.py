"""Bring castings in, from a sheet or from another production."""

from __future__ import annotations

from collections.abc import Sequence

from janoglot.cast.casting_sheet import SheetRow
from janoglot.cast.models import Casting
from janoglot.core.errors import Problem
from janoglot.core.script.labels import likeness
from janoglot.core.speech.settings import SETTINGS
from janoglot.productions.models import Edition, Production
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.script.models import Speaker


def bring_castings(user: Anyone, production: Production, rows: Sequence[SheetRow], problems: list[Problem]) -> int:
    """How many castings were made or changed. Speakers are found by name, whatever its case, marks and asides; a row
    without a language is of the source. What has no place here is told in ``problems``."""
    speakers = {likeness(speaker.name): speaker for speaker in Speaker.objects.filter(production=production)}
    editions = {edition.language: edition for edition in Edition.objects.filter(production=production)}
    count = 0
    with action(user, production, "bring_castings") as record:
        have = {(c.edition_id, c.speaker_id): c for c in Casting.objects.select_for_update().filter(
            edition__production=production)}
        for row in rows:
            speaker = speakers.get(likeness(row.speaker))
            edition = editions.get(row.language or production.source_language)
            if speaker is None or edition is None:
                problems.append(Problem(
                    "no_place", "{speaker} in {language}: this production has no such speaker or edition.",
                    {"speaker": row.speaker, "language": row.language or production.source_language}, row.row))
                continue
            casting = have.get((edition.pk, speaker.pk))
            if casting is None:
                have[edition.pk, speaker.pk] = record.create(
                    Casting(edition=edition, speaker=speaker, voice=row.voice, **row.changes))
                count += 1
            else:
                count += record.update(casting, voice=row.voice, **row.changes)
        record.summary = f"{count} castings"
        record.details = {"count": count}
    return count


def rows_of(production: Production) -> list[SheetRow]:
    """Another production's castings as the rows of a sheet."""
    castings = Casting.objects.filter(edition__production=production).select_related("speaker", "edition")
    return [SheetRow(number, c.speaker.name, c.edition.language, c.voice,
                     {**{name: getattr(c, name) for name in SETTINGS}, "accent_meant": c.accent_meant, "note": c.note})
            for number, c in enumerate(castings, 1)]
