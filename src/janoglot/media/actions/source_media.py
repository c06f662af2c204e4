"""Bring in a recording of what a production was made from, play another one of them, or take one out again."""

from __future__ import annotations

from typing import Any

from janoglot.productions.models import Media, Production
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import Recorder, action


def bring_source_media(user: Anyone, production: Production, key: str, name: str, size: int,
                       facts: dict[str, Any], purpose: str = Media.Purpose.SOURCE) -> Media:
    """``key`` names the file as it is kept. It is what is played from now on; those that were there stay."""
    with action(user, production, "bring_source_media") as record:
        record.summary, record.details = name[:200], {"name": name[:200]}
        media = record.create(Media(production=production, key=key, name=name[:255], facts=facts, size=size,
                                    played=False, purpose=purpose))
        _play(record, media)
    return media


def line_up_bed(user: Anyone, media: Media, offset: float, sure: float, by_hand: bool = False) -> None:
    """``offset``: how many seconds a bed is later than the source's recording, as it was found or is said to be;
    ``sure``: 0 to 1."""
    with action(user, media.production, "line_up_bed", goes_on=True) as record:
        record.summary, record.details = f"{offset:+.3f} s", {"seconds": f"{offset:+.3f}"}
        row = Media.objects.select_for_update().get(pk=media.pk)
        if by_hand or not row.by_hand:
            record.update(row, offset=offset, sure=sure, by_hand=by_hand)


def play_source_media(user: Anyone, media: Media) -> None:
    with action(user, media.production, "play_source_media") as record:
        record.summary, record.details = media.name[:200], {"name": media.name[:200]}
        _play(record, media)


def take_out_source_media(user: Anyone, media: Media) -> None:
    """The newest of those that stay is played instead. The file stays, so that this can be undone."""
    with action(user, media.production, "take_out_source_media") as record:
        record.summary, record.details = media.name[:200], {"name": media.name[:200]}
        was_played = media.played
        record.delete(media)
        others = Media.objects.select_for_update().filter(production_id=media.production_id, purpose=media.purpose)
        newest = others.order_by("-id").first()
        if was_played and newest:
            _play(record, newest)


def _play(record: Recorder, media: Media) -> None:
    """Where the recording has a picture, its rate becomes the production's."""
    alike = Media.objects.select_for_update().filter(production_id=media.production_id, purpose=media.purpose)
    for other in alike.filter(played=True).exclude(pk=media.pk):
        record.update(other, played=False)
    record.update(media, played=True)
    if media.purpose == Media.Purpose.SOURCE and media.facts.get("fps"):
        record.update(media.production, fps=media.facts["fps"])
