"""Add a target language."""

from __future__ import annotations

from django.db.models import Max

from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, tag_of
from janoglot.productions.models import Edition, Line, LineDirection, PartDirection, Production, Wording
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action

MOST = 40


def add_edition(user: Anyone, production: Production, language: str) -> Edition:
    """How lines and parts should sound is as it is in the source: a whisper is one in every language. Raises BadInput
    for a language that is none, or that is there already."""
    tag = tag_of(language)
    if production.editions.filter(language=tag).exists():
        raise BadInput("There is an edition in {language} already.", language=english_name(tag))
    if production.editions.count() >= MOST:
        raise BadInput("A production may have {most} editions at most.", most=MOST)
    last = production.editions.aggregate(last=Max("position"))["last"] or 0
    with action(user, production, "add_edition") as record:
        record.summary = english_name(tag)
        edition = record.create(Edition(production=production, language=tag, position=last + 1))
        record.create_all(Wording(line=line, edition=edition) for line in Line.objects.filter(production=production))
        of_source = {"edition__production": production, "edition__language": production.source_language}
        record.create_all([LineDirection(line_id=row.line_id, edition=edition, moods=row.moods)
                           for row in LineDirection.objects.filter(**of_source) if row.moods])
        record.create_all([PartDirection(part_id=row.part_id, speaker_id=row.speaker_id, edition=edition,
                                         moods=row.moods)
                           for row in PartDirection.objects.filter(**of_source) if row.moods])
    return edition
