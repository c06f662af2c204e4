"""Finding what is in a guide read, behind the page."""

from __future__ import annotations

import logging
from dataclasses import asdict
from datetime import timedelta

from celery.exceptions import SoftTimeLimitExceeded
from django.utils import timezone

from janoglot.core.errors import JanoglotError
from janoglot.core.speech.guide import LONGEST, GuideFault, GuideFound, read_guide
from janoglot.core.speech.recogniser import hearable, recognise, recogniser_missing
from janoglot.core.speech.takes import read_sound
from janoglot.direct.sent_recordings import decoded
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import JobKind, Piece, Stopped, register, running, start_behind
from janoglot.productions.made import note_made
from janoglot.productions.models import GuideRead, Job
from janoglot.productions.permissions import Anyone
from janoglot.server.storage import media
from janoglot.server.work import NOW, looked_after

log = logging.getLogger(__name__)
_STILL = timedelta(seconds=20)


def begin_reading(row: GuideRead, user: Anyone | None = None) -> Job:
    """The job that reads a guide; where one runs for the same recording, that."""
    found = running("guide", edition=row.edition, subject=row.key)
    return found or start_behind("guide", NOW, [row.pk], edition=row.edition, subject=row.key, user=user)


def read_guides(piece: Piece) -> None:
    """Find a guide's words, melody and levels, and what is wrong with it. Safe to run twice; where another recording
    has taken its place meanwhile, nothing is done."""
    for row in GuideRead.objects.select_related("edition__production").filter(
            pk__in=piece.items, key=piece.job.subject, state=GuideRead.State.READING):
        found = _found(row, piece)
        if not piece.wanted(now=True):
            raise Stopped
        GuideRead.objects.filter(pk=row.pk, key=row.key).update(
            state=GuideRead.State.READY, words=[asdict(word) for word in found.words], by_word=found.by_word,
            heard=found.heard, faults=[asdict(fault) for fault in found.faults])
        note_made(row.edition, [row.line_id])


_DECODED, _HEARD = 0.2, 0.7
"""How much of the work is done by then."""


def _found(row: GuideRead, piece: Piece) -> GuideFound:
    standing = EditionState.load(row.edition, [row.line_id]).lines[0]
    try:
        samples, rate = read_sound(media(), decoded(row.key))
        piece.tell(_DECODED)
        if standing.recipe is None:
            return GuideFound((), False, "", (GuideFault("unreadable", "This speaker has no voice yet."),))
        language = row.language or row.edition.language
        heard = None
        if not recogniser_missing() and hearable(language) and len(samples) <= LONGEST * rate:
            heard = recognise(samples, rate, language)
            piece.tell(_HEARD)
        return read_guide(samples, rate, standing.recipe, heard, row.language)
    except SoftTimeLimitExceeded:
        raise
    except Exception as error:
        # One that nothing can be made of is told, whatever it is, and not tried for ever.
        log.warning("a guide could not be read", extra={"guide": row.pk}, exc_info=error)
        return _unreadable(str(error) if isinstance(error, JanoglotError) else "")


def _unreadable(why: str = "") -> GuideFound:
    return GuideFound((), False, "", (GuideFault("unreadable", why or "Nothing could be made of this recording."),))


def _given_up(job: Job) -> None:
    """Told, and can be brought in anew."""
    GuideRead.objects.filter(pk__in=job.items, key=job.subject, state=GuideRead.State.READING).update(
        state=GuideRead.State.READY, faults=[asdict(fault) for fault in _unreadable().faults])


@looked_after
def go_on_with_guides(still: timedelta | None = None) -> None:
    """Begin again what no job reads: what was undone and done again, or was stopped."""
    before = timezone.now() - (_STILL if still is not None else timedelta())
    for row in GuideRead.objects.select_related("edition__production").filter(
            state=GuideRead.State.READING, brought__lt=before).exclude(key=""):
        begin_reading(row)


GUIDES = register(JobKind("guide", read_guides, failed=_given_up))
