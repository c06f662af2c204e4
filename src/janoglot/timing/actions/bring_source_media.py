"""Bring in the source recording of a production, or take it out again."""

from __future__ import annotations

from typing import Any

from janoglot.productions.models import Production, SourceMedia
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def bring_source_media(user: Anyone, production: Production, key: str, name: str, facts: dict[str, Any]) -> SourceMedia:
    """``key`` names the file as it is kept. Where the recording has a picture, its rate becomes the production's."""
    with action(user, production, "bring_source_media") as record:
        record.summary, record.details = name[:200], {"name": name[:200]}
        old = SourceMedia.objects.select_for_update().filter(production=production).first()
        values = {"key": key, "name": name[:255], "facts": facts, "state": "making", "fault": ""}
        if old is None:
            media = record.create(SourceMedia(production=production, **values))
        else:
            record.update(old, **values)
            media = old
        if facts.get("fps"):
            record.update(production, fps=facts["fps"])
    return media


def take_out_source_media(user: Anyone, media: SourceMedia) -> None:
    """The file stays, so that this can be undone."""
    with action(user, media.production, "take_out_source_media") as record:
        record.summary, record.details = media.name[:200], {"name": media.name[:200]}
        record.delete(media)
