"""Finding what is in a guide read, behind the page."""

from __future__ import annotations

import logging
from dataclasses import asdict
from datetime import timedelta

from celery import shared_task
from celery.exceptions import SoftTimeLimitExceeded
from django.core.cache import cache
from django.utils import timezone

from janoglot.core.errors import JanoglotError
from janoglot.core.speech.guide import LONGEST, GuideFault, GuideFound, read_guide
from janoglot.core.speech.recogniser import hearable, recognise, recogniser_missing
from janoglot.core.speech.takes import read_sound
from janoglot.direct.sent_recordings import decoded
from janoglot.editions.state import EditionState
from janoglot.productions.made import note_made
from janoglot.productions.models import GuideRead
from janoglot.server.storage import media
from janoglot.server.work import NOW, Work, hand_out, looked_after, nothing_waits

log = logging.getLogger(__name__)
_MOST_TRIES = 4


def begin_reading(row: GuideRead) -> None:
    hand_out(read_guide_of, row.pk, row.key, queue=NOW)


@shared_task(base=Work)
def read_guide_of(guide: int, key: str) -> None:
    """Find a guide's words, melody and levels, and what is wrong with it. Safe to run twice; where another recording
    has taken its place meanwhile, nothing is done."""
    row = GuideRead.objects.select_related("edition__production").filter(pk=guide, key=key).first()
    if row is None:
        return
    found = _found(row)
    GuideRead.objects.filter(pk=guide, key=key).update(
        state=GuideRead.State.READY, words=[asdict(word) for word in found.words], by_word=found.by_word,
        heard=found.heard, faults=[asdict(fault) for fault in found.faults])
    note_made(row.edition, [row.line_id])


def _found(row: GuideRead) -> GuideFound:
    standing = EditionState.load(row.edition, [row.line_id]).lines[0]
    try:
        samples, rate = read_sound(media(), decoded(row.key))
        if standing.recipe is None:
            return GuideFound((), False, "", (GuideFault("unreadable", "This speaker has no voice yet."),))
        language = row.language or row.edition.language
        heard = None
        if not recogniser_missing() and hearable(language) and len(samples) <= LONGEST * rate:
            heard = recognise(samples, rate, language)
        return read_guide(samples, rate, standing.recipe, heard, row.language)
    except SoftTimeLimitExceeded:
        return _unreadable()
    except Exception as error:
        # One that nothing can be made of is told, whatever it is, and not tried for ever.
        log.warning("a guide could not be read", extra={"guide": row.pk}, exc_info=error)
        return _unreadable(str(error) if isinstance(error, JanoglotError) else "")


def _unreadable(why: str = "") -> GuideFound:
    return GuideFound((), False, "", (GuideFault("unreadable", why or "Nothing could be made of this recording."),))


@looked_after
def go_on_with_guides(still: timedelta | None = None) -> None:
    """Have read what nobody reads any more: its message was lost, or whoever had it fell. A few times, then it is told
    that nothing could be made of it."""
    before = timezone.now() - (still or timedelta())
    for row in GuideRead.objects.filter(state=GuideRead.State.READING, brought__lt=before).exclude(key=""):
        if still is not None and not nothing_waits(NOW):
            return
        name = f"guide/{row.pk}/{row.key}"
        cache.add(name, 0, 3_600)
        if cache.incr(name) <= _MOST_TRIES:
            begin_reading(row)
            continue
        GuideRead.objects.filter(pk=row.pk, key=row.key).update(
            state=GuideRead.State.READY, faults=[asdict(fault) for fault in _unreadable().faults])
