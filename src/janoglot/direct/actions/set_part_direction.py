"""Direct a speaker in one part: how they are set there, and their moods."""

from __future__ import annotations

from typing import Any

from janoglot.core.speech.moods import checked_moods
from janoglot.core.speech.settings import checked_voice_settings
from janoglot.productions.models import Edition, Part, PartDirection, Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_part_direction(user: Anyone, edition: Edition, part: Part, speaker: Speaker,
                       changes: dict[str, Any]) -> PartDirection | None:
    """``changes``: ``settings`` (by name; those told anew, None follows the casting) and ``moods`` (all of them).
    Where nothing is directed there is no row. Raises BadInput."""
    with action(user, edition.production, "set_part_direction", goes_on=True) as record:
        record.details = {"speaker": speaker.name, "part": part.name, "language": edition.language}
        record.summary = f"{speaker.name} in {part.name}, {edition.language}"
        Part.objects.select_for_update().get(pk=part.pk)
        row = PartDirection.objects.select_for_update().filter(edition=edition, part=part, speaker=speaker).first()
        settings, moods = (dict(row.settings), row.moods) if row else ({}, [])
        if "settings" in changes:
            given = dict(changes["settings"])
            settings = {name: value for name, value in settings.items() if name not in given}
            settings |= checked_voice_settings(given)
        if "moods" in changes:
            moods = [list(one) for one in checked_moods(changes["moods"])]
        if not settings and not moods:
            if row:
                record.delete(row)
            return None
        if row is None:
            return record.create(PartDirection(edition=edition, part=part, speaker=speaker, settings=settings,
                                               moods=moods))
        record.update(row, settings=settings, moods=moods)
    return row
