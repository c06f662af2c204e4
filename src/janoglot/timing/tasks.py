"""Copies of the source recording, made behind the page."""

from __future__ import annotations

from typing import Any

from janoglot.core.errors import JanoglotError
from janoglot.core.media.source import MediaFault, picture_copy, sound_copy
from janoglot.core.speech.peaks import kept_peaks
from janoglot.productions.jobs import JobKind, Piece, register, start
from janoglot.productions.models import Job, SourceMedia
from janoglot.server.storage import media
from janoglot.server.work import BULK


def begin_copies(row: SourceMedia, user: Any = None) -> Job:
    """Raises QueueAway, with nothing begun."""
    copies = [what for what, there in (("sound", row.facts["has_sound"]), ("picture", row.facts["has_picture"]))
              if there]
    return start("copy", BULK, copies, production=row.production, subject=row.key, user=user)


def copy_source_media(piece: Piece) -> None:
    """Make what is played and drawn of a recording; what is there is not made again. Raises MediaFault."""
    row = SourceMedia.objects.select_related("production").filter(
        production=piece.job.production, key=piece.job.subject).first()
    if row is None or row.state == "ready":
        return
    store, seconds = media(), float(row.facts["seconds"])
    try:
        place = store.path(row.key)
        if "sound" in piece.items:
            if not store.has(row.sound_key):
                store.write(row.sound_key, lambda half: sound_copy(place, half, seconds))
            kept_peaks(row.sound_key, store)
        if "picture" in piece.items and not store.has(row.picture_key):
            fps = float(row.facts["fps"] or row.production.fps)
            store.write(row.picture_key, lambda half: picture_copy(place, half, seconds, fps))
    except JanoglotError:
        raise
    except (OSError, RuntimeError, ValueError) as error:
        # The sound library's errors are RuntimeErrors.
        raise MediaFault("The recording cannot be read: {why}", why=str(error)[:160]) from error


def _ended(job: Job) -> None:
    SourceMedia.objects.filter(production=job.production, key=job.subject).update(state="ready", fault="")


def _failed(job: Job) -> None:
    SourceMedia.objects.filter(production=job.production, key=job.subject).update(state="failed", fault=job.fault)


COPYING = register(JobKind("copy", copy_source_media, _ended, _failed))
