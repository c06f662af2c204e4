"""Copies of the source recording, made in the background."""

from __future__ import annotations

from datetime import timedelta

from celery import shared_task
from django.utils import timezone

from janoglot.core.errors import JanoglotError
from janoglot.core.media.source import MediaFault, picture_copy, sound_copy
from janoglot.core.speech.peaks import kept_peaks
from janoglot.productions.models import SourceMedia
from janoglot.server.storage import media
from janoglot.server.work import BULK, Work, hand_out, in_hand, looked_after, nothing_waits, standing_still


def begin_copies(row: SourceMedia) -> None:
    SourceMedia.objects.filter(pk=row.pk).update(heartbeat=timezone.now())
    hand_out(copy_source_media, row.pk, queue=BULK)


@looked_after
def go_on_with_copies(still: timedelta | None = None) -> None:
    """Hand out again what nobody has in hand any more. What is there is not made again."""
    for row in standing_still(SourceMedia.objects.filter(state="making"), still):
        if still is None or nothing_waits(BULK):
            begin_copies(row)


@shared_task(base=Work)
def copy_source_media(media_id: int) -> None:
    """Make what is played and drawn of a recording. Safe to run twice: what is there is not made again."""
    row = SourceMedia.objects.select_related("production").filter(pk=media_id).first()
    if row is None or row.state == "ready":
        return
    store = media()
    seconds = float(row.facts["seconds"])
    with in_hand(SourceMedia, media_id):
        try:
            place = store.path(row.key)
            if row.facts["has_sound"] and not store.has(row.sound_key):
                store.write(row.sound_key, lambda half: sound_copy(place, half, seconds))
            if row.facts["has_sound"]:
                kept_peaks(row.sound_key, store)
            if row.facts["has_picture"] and not store.has(row.picture_key):
                fps = float(row.facts["fps"] or row.production.fps)
                store.write(row.picture_key, lambda half: picture_copy(place, half, seconds, fps))
        except (JanoglotError, OSError, RuntimeError, ValueError) as error:
            # The sound library's errors are RuntimeErrors.
            why = str(error) if isinstance(error, JanoglotError) else str(
                MediaFault("The recording cannot be read: {why}", why=str(error)[:160]))
            SourceMedia.objects.filter(pk=media_id, key=row.key).update(state="failed", fault=why[:400])
            return
    SourceMedia.objects.filter(pk=media_id, key=row.key).update(state="ready", fault="")
