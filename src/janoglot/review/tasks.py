"""Spoken remarks: decoded, and written down as words, so that they are found and read like those that were typed."""

from __future__ import annotations

import logging

import numpy as np
from celery.exceptions import SoftTimeLimitExceeded

from janoglot.core.errors import EngineError
from janoglot.core.languages import primary
from janoglot.core.speech.engines.base import Samples
from janoglot.core.speech.recogniser import hearable, recognise, recogniser_missing, taken_for
from janoglot.core.speech.takes import read_sound
from janoglot.direct.sent_recordings import decoded
from janoglot.productions.jobs import JobKind, Piece, register, start_behind
from janoglot.productions.models import Job
from janoglot.review.models import Remark
from janoglot.review.streams import STREAMS
from janoglot.server.storage import handed
from janoglot.server.work import SOON

log = logging.getLogger(__name__)


LONGEST = 90.0
"""Seconds of a spoken remark."""
_RATE = 24_000
_QUIETEST = 10 ** (-50 / 20)
"""RMS of what may be speech."""


def hear_remark(remark: Remark) -> Job | None:
    """Begin to read what was said; None where nothing was."""
    if not remark.sound:
        return None
    return start_behind("remark", SOON, [remark.pk], production=remark.link.production)


def _languages(remark: Remark) -> list[str]:
    """What a reviewer may be speaking: the page's language, the edition's or the source's."""
    link = remark.link
    tags = (link.interface, remark.edition.language, link.production.source_language)
    return [tag for tag in dict.fromkeys(map(primary, tags)) if hearable(tag)]


def _write_down(piece: Piece) -> None:
    """Decode a remark's sound; and where somebody can understand it here, write down what was said."""
    for remark in Remark.objects.select_related("link__production", "edition").filter(pk__in=piece.items):
        try:
            decoded(remark.sound, handed(), LONGEST, _RATE)
        except SoftTimeLimitExceeded:
            raise
        except Exception as error:
            # Whatever it is: it is told, and not tried for ever.
            log.warning("a spoken remark could not be read", extra={"remark": remark.pk}, exc_info=error)
            Remark.objects.filter(pk=remark.pk).update(unreadable=True)
            continue
        if recogniser_missing() or not _languages(remark):
            continue
        try:
            samples, rate = read_sound(handed(), remark.sound)
            if _is_silent(samples, rate):
                # A recogniser hears words in nothing, too.
                continue
            likely = taken_for(samples, rate)
            language = max(_languages(remark), key=lambda tag: likely.get(tag, 0.0))
            heard = recognise(samples, rate, language)
        except (EngineError, OSError) as error:
            piece.fault(remark.pk, str(error))
            continue
        Remark.objects.filter(pk=remark.pk).update(heard=heard[:2000], heard_in=language)


def _is_silent(samples: Samples, rate: int) -> bool:
    """Whether not a tenth of a second is as loud as the quietest speech."""
    step = rate // 10
    steps = samples[: len(samples) // step * step].reshape(-1, step)
    return not len(steps) or float(np.sqrt(np.square(steps).mean(axis=1)).max()) < _QUIETEST


def _given_up(job: Job) -> None:
    for remark in Remark.objects.filter(pk__in=job.items):
        if not handed().has(remark.sound):
            Remark.objects.filter(pk=remark.pk).update(unreadable=True)


__all__ = ["HEARING", "STREAMS"]
"""Found here by the workers."""
HEARING = register(JobKind("remark", _write_down, failed=_given_up))
