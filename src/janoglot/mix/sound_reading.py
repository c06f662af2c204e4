"""Sounds that people brought in, decoded and measured behind the page."""

from __future__ import annotations

import logging
import shutil
import tempfile
from pathlib import Path

import soundfile
from celery.exceptions import SoftTimeLimitExceeded
from django.conf import settings

from janoglot.core.audio.loudness import LoudnessMeter
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.media.source import stereo_copy
from janoglot.core.mix.sides import RATE
from janoglot.direct.sent_recordings import sent_key
from janoglot.productions.jobs import JobKind, Piece, register, start_behind
from janoglot.productions.models import Job, LibrarySound
from janoglot.productions.permissions import Anyone
from janoglot.server.storage import media
from janoglot.server.work import SOON

log = logging.getLogger(__name__)


def begin_reading_sound(row: LibrarySound, user: Anyone | None) -> Job:
    return start_behind("sound", SOON, [row.pk], subject=row.key, user=user)


def read_sounds(piece: Piece) -> None:
    """Keep a sound as 48 kHz FLAC of two sides, and measure it. Safe to run twice."""
    for row in LibrarySound.objects.filter(pk__in=piece.items, state=LibrarySound.State.READING):
        try:
            seconds, lufs, peak = _read(row)
        except SoftTimeLimitExceeded:
            raise
        except Exception as error:
            # Whatever it is: it is told, and not tried for ever.
            log.warning("a sound could not be read", extra={"sound": row.pk}, exc_info=error)
            _failed([row.pk], str(error) if isinstance(error, JanoglotError) else "")
            continue
        LibrarySound.objects.filter(pk=row.pk).update(
            state=LibrarySound.State.READY, seconds=round(seconds, 3), lufs=round(lufs, 2), true_peak_db=round(peak, 2))
        media().remove(sent_key(row.key))


def _read(row: LibrarySound) -> tuple[float, float, float]:
    """Its seconds, loudness and true peak. Raises MediaFault, BadInput, OSError."""
    store = media()
    if not store.has(row.key):
        with tempfile.TemporaryDirectory(dir=coming_in()) as here:
            copy = Path(here) / "sound.flac"
            stereo_copy(store.path(sent_key(row.key)), copy, row.seconds)
            if not soundfile.info(copy).frames:
                raise BadInput("There is no sound in it.")
            store.write(row.key, lambda place: _moved(copy, place))
    meter = LoudnessMeter(RATE, channels=2)
    for block in soundfile.blocks(store.path(row.key), blocksize=10 * RATE, dtype="float32"):
        meter.add(block)
    return meter.seconds, meter.integrated, meter.true_peak_db


def coming_in() -> Path:
    folder: Path = settings.VAR / "coming-in"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _moved(file: Path, place: Path) -> None:
    shutil.move(file, place)


def _failed(ids: list[int], why: str = "") -> None:
    LibrarySound.objects.filter(pk__in=ids, state=LibrarySound.State.READING).update(
        state=LibrarySound.State.FAILED, fault=(why or "Nothing could be made of this sound.")[:300])


def _given_up(job: Job) -> None:
    _failed(job.items)


SOUNDS = register(JobKind("sound", read_sounds, failed=_given_up))
