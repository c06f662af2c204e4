"""Copies of recordings, made behind the page."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
import soundfile

from janoglot.core.errors import JanoglotError
from janoglot.core.media.ffmpeg import MediaFault
from janoglot.core.media.source import picture_copy, sound_copy
from janoglot.core.mix.lining_up import later_by
from janoglot.core.mix.sides import Floats32
from janoglot.core.speech.peaks import kept_peaks, peaks_key
from janoglot.media.actions.source_media import line_up_bed
from janoglot.productions.jobs import JobKind, Piece, register, running, start
from janoglot.productions.models import Job, Media
from janoglot.server.storage import media as store
from janoglot.server.work import BULK

_LINED_UP = 20 * 60
"""Seconds."""
MEDIA_STATES = [(state, state) for state in ("absent", "making", "ready", "failed")]


@dataclass(frozen=True, slots=True)
class CopiesProgress:
    state: str
    share: float = 0.0
    fault: str = ""


def copies_progress(row: Media) -> CopiesProgress:
    """How far the copies of a recording are; *absent* where nobody makes what is missing."""
    copies = row.copies
    wanted = [*copies.values(), *([peaks_key(copies["sound"])] if "sound" in copies else [])]
    if all(store().has(key) for key in wanted):
        return CopiesProgress("ready", 1.0)
    job = Job.objects.filter(kind="copy", subject=row.key).first()
    if job is None or job.state in ("stopped", "done"):
        return CopiesProgress("absent")
    return CopiesProgress("failed", 0.0, job.fault) if job.state == "failed" else CopiesProgress(
        "making", job.done_share)


def begin_copies(row: Media, user: Any = None) -> Job:
    """The job that makes what is missing. Raises QueueAway, with nothing begun."""
    found = running("copy", subject=row.key)
    return found or start("copy", BULK, list(row.copies), production=row.production, subject=row.key, user=user)


def copy_media(piece: Piece) -> None:
    """Make what is played and drawn of a recording; what is there is not made again. Raises MediaFault."""
    # Whichever production has it: the copies are the same.
    row = Media.objects.select_related("production").filter(key=piece.job.subject).first()
    if row is None:
        return
    kept, seconds, copies = store(), float(row.facts["seconds"]), row.copies
    try:
        for what in piece.items:
            key = copies[what]
            if not kept.has(key):
                original = kept.path(row.key)
                make = partial(sound_copy, original, seconds=seconds) if what == "sound" else partial(
                    picture_copy, original, seconds=seconds, fps=float(row.facts["fps"] or row.production.fps))
                kept.write(key, make)
            if what == "sound":
                kept_peaks(key, kept)
        for one in Media.objects.select_related("production").filter(key=row.key):
            # Who brought a recording in here has done nothing in the other productions that have it.
            here = one.production_id == piece.job.production_id
            _line_up(one, piece.job.user if here and piece.job.user else one.production.created_by)
    except JanoglotError:
        raise
    except (OSError, RuntimeError, ValueError) as error:
        # The sound library's errors are RuntimeErrors.
        raise MediaFault("The recording cannot be read: {why}", why=str(error)[:160]) from error


def _line_up(row: Media, user: Any) -> None:
    """Find how much later a bed is than the source's recording, where both are there."""
    of_production = Media.objects.filter(production=row.production_id, played=True)
    source = of_production.filter(purpose=Media.Purpose.SOURCE).first()
    if source is None or "sound" not in source.copies or not store().has(source.copies["sound"]):
        return
    for bed in of_production.filter(purpose=Media.Purpose.BED):
        if not bed.by_hand and "sound" in bed.copies and store().has(bed.copies["sound"]):
            offset, sure = later_by(_begins(bed.copies["sound"]), _begins(source.copies["sound"]))
            if bed.offset is None or abs(bed.offset - offset) > 1e-4:
                line_up_bed(user, bed, round(offset, 5), round(sure, 3))


def _begins(key: str) -> Floats32:
    """As much of a recording as it takes to line it up with another."""
    with soundfile.SoundFile(store().path(key)) as file:
        return np.asarray(file.read(_LINED_UP * file.samplerate, dtype="float32"))


COPYING = register(JobKind("copy", copy_media))
