"""Finding what is in a guide read, behind the page."""

from __future__ import annotations

import logging
from dataclasses import asdict

from celery import shared_task

from janoglot.core.errors import BadInput, EngineError
from janoglot.core.speech.guide import LONGEST, GuideFault, GuideFound, read_guide
from janoglot.core.speech.recogniser import hearable, recognise, recogniser_missing
from janoglot.core.speech.takes import read_sound
from janoglot.editions.keeping import note_made
from janoglot.editions.state import EditionState
from janoglot.productions.models import GuideRead
from janoglot.server.storage import media
from janoglot.server.work import NOW, Work, hand_out

log = logging.getLogger(__name__)


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
        samples, rate = read_sound(media(), row.key)
        if standing.recipe is None:
            return GuideFound((), False, "", (GuideFault("unreadable", "This speaker has no voice yet."),))
        language = row.language or row.edition.language
        heard = None
        if not recogniser_missing() and hearable(language) and len(samples) <= LONGEST * rate:
            heard = recognise(samples, rate, language)
        return read_guide(samples, rate, standing.recipe, heard, row.language)
    except (BadInput, EngineError, OSError) as error:
        log.info("a guide could not be read", extra={"guide": row.pk, "why": str(error)})
        return GuideFound((), False, "", (GuideFault("unreadable", str(error)),))
