"""Copies of the source recording, made in the background."""

from __future__ import annotations

from pathlib import Path

from celery import shared_task

from janoglot.core.errors import JanoglotError
from janoglot.core.media.source import picture_copy, sound_copy
from janoglot.core.speech.peaks import kept_peaks
from janoglot.server.storage import media
from janoglot.timing.models import SourceMedia


def go_on_with_copies() -> None:
    """Hand out again what a worker had in hand when it was killed. What is there is not made again."""
    for media_id in SourceMedia.objects.filter(state="making").values_list("id", flat=True):
        copy_source_media.apply_async((media_id,), queue="bulk")


@shared_task
def copy_source_media(media_id: int) -> None:
    """Make what is played and drawn of a recording. Safe to run twice: what is there is not made again."""
    row = SourceMedia.objects.select_related("production").filter(pk=media_id).first()
    if row is None or row.state == "ready":
        return
    store, stem = media(), Path(row.key).stem
    seconds = float(row.facts["seconds"])
    try:
        place = store.path(row.key)
        if row.facts["has_sound"] and not store.has(f"{stem}.flac"):
            store.write(f"{stem}.flac", lambda half: sound_copy(place, half, seconds))
        if row.facts["has_sound"]:
            kept_peaks(f"{stem}.flac", store)
        if row.facts["has_picture"] and not store.has(f"{stem}.mp4"):
            fps = float(row.facts["fps"] or row.production.fps)
            store.write(f"{stem}.mp4", lambda half: picture_copy(place, half, seconds, fps))
    except (JanoglotError, OSError) as error:
        SourceMedia.objects.filter(pk=media_id, key=row.key).update(state="failed", fault=str(error)[:400])
        return
    SourceMedia.objects.filter(pk=media_id, key=row.key).update(state="ready", fault="")
