"""Bring castings in, from a sheet or from another production."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

from janoglot.cast.casting_sheet import SheetRow, casting_mark
from janoglot.core.errors import Problem
from janoglot.core.script.labels import likeness
from janoglot.core.speech.settings import SETTINGS
from janoglot.productions.models import Casting, Edition, Production, Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action

What = Literal["new", "changed", "same", "changed_here"]
WHAT: tuple[What, ...] = ("new", "changed", "same", "changed_here")


@dataclass(frozen=True, slots=True)
class ComingCasting:
    """A row of a sheet with where it belongs. ``what``: of three, how it went out, how it came back, how it is here."""

    row: SheetRow
    speaker: Speaker
    edition: Edition
    now: Casting | None

    @property
    def what(self) -> What:
        if self.now is None:
            return "new"
        here = casting_mark(self.now)
        if self.row.mark in (here, self.row.sent):
            return "same"
        return "changed" if self.row.sent == here else "changed_here"


def coming_castings(production: Production, rows: Sequence[SheetRow], problems: list[Problem]) -> list[ComingCasting]:
    """Speakers are found by name, whatever its case, marks and asides; a row without a language is of the source. What
    has no place here is told in ``problems``."""
    speakers = {likeness(speaker.name): speaker for speaker in Speaker.objects.filter(production=production)}
    editions = {edition.language: edition for edition in Edition.objects.filter(production=production)}
    have = {(c.edition_id, c.speaker_id): c for c in Casting.objects.filter(edition__production=production)}
    found = []
    for row in rows:
        speaker = speakers.get(likeness(row.speaker))
        edition = editions.get(row.language or production.source_language)
        if speaker is None or edition is None:
            problems.append(Problem(
                "no_place", "{speaker} in {language}: this production has no such speaker or edition.",
                {"speaker": row.speaker, "language": row.language or production.source_language}, row.row))
            continue
        found.append(ComingCasting(row, speaker, edition, have.get((edition.pk, speaker.pk))))
    return found


def bring_castings(user: Anyone, production: Production, coming: Sequence[ComingCasting],
                   take: Collection[int] | None = None) -> int:
    """How many castings were made or changed: those of the rows numbered in ``take``; None takes what is new, or was
    changed in the sheet alone."""
    count = 0
    with action(user, production, "bring_castings") as record:
        have = {(c.edition_id, c.speaker_id): c for c in Casting.objects.select_for_update().filter(
            edition__production=production)}
        for one in coming:
            if one.row.row not in take if take is not None else one.what not in ("new", "changed"):
                continue
            casting = have.get((one.edition.pk, one.speaker.pk))
            if casting is None:
                have[one.edition.pk, one.speaker.pk] = record.create(
                    Casting(edition=one.edition, speaker=one.speaker, voice=one.row.voice, **one.row.changes))
                count += 1
            elif one.now is not None and casting_mark(casting) == casting_mark(one.now):
                count += record.update(casting, voice=one.row.voice, **one.row.changes)
        record.summary = f"{count} castings"
        record.details = {"count": count}
    return count


def rows_of(production: Production) -> list[SheetRow]:
    """Another production's castings as the rows of a sheet."""
    castings = Casting.objects.filter(edition__production=production).select_related("speaker", "edition")
    return [SheetRow(number, c.speaker.name, c.edition.language, c.voice,
                     {**{name: getattr(c, name) for name in SETTINGS}, "accent_meant": c.accent_meant,
                      "by_person": c.by_person, "note": c.note})
            for number, c in enumerate(castings, 1)]
