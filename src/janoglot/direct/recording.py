"""Listening to recordings that were brought in, and preparing those that lines have, behind the page."""

from __future__ import annotations

import logging
from dataclasses import asdict
from datetime import timedelta

from celery.exceptions import SoftTimeLimitExceeded
from django.db.models import QuerySet
from django.utils import timezone

from janoglot.core.audio.noise import without_noise
from janoglot.core.errors import JanoglotError
from janoglot.core.speech.engines.base import Samples
from janoglot.core.speech.guide import GuideFault, faults_of
from janoglot.core.speech.heard import compare
from janoglot.core.speech.recogniser import hearable, recognise, recogniser_missing
from janoglot.core.speech.recorded_take import prepared_take
from janoglot.core.speech.takes import read_sound
from janoglot.direct.sent_recordings import LONGEST, decoded
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import JobKind, Piece, Stopped, register, running, start_behind
from janoglot.productions.made import note_made
from janoglot.productions.models import Edition, Job, LineRecording, Take, WaitingRecording
from janoglot.productions.permissions import Anyone
from janoglot.server.storage import media, takes
from janoglot.server.work import NOW, SKETCH, looked_after

log = logging.getLogger(__name__)
OTHER_WORDS = 0.5
"""A recording in which so much of the line's sounds was heard otherwise says other words."""
_AT_ONCE = 4
_FEW = 3
_STILL = timedelta(seconds=20)


def begin_listening(edition: Edition, user: Anyone | None) -> Job | None:
    """Listen to what waits and was not listened to; None where that is nothing, or somebody does."""
    if running("listen", edition=edition):
        return None
    ids = list(WaitingRecording.objects.filter(edition=edition, state=WaitingRecording.State.LISTENING)
               .values_list("id", flat=True))
    return start_behind("listen", SKETCH, ids, edition=edition, user=user, piece_size=_AT_ONCE) if ids else None


def begin_preparing(edition: Edition, user: Anyone | None) -> Job | None:
    """Prepare what lines have and is not prepared; None where that is nothing."""
    ids = list(LineRecording.objects.filter(edition=edition, state=LineRecording.State.READING)
               .values_list("line_id", flat=True))
    if not ids:
        return None
    return start_behind("prepare", NOW if len(ids) <= _FEW else SKETCH, ids, edition=edition, user=user,
                        piece_size=1 if len(ids) <= _FEW else _AT_ONCE)


def listen(piece: Piece) -> None:
    """What is said in some recordings that wait, and what is wrong with them."""
    edition = piece.job.edition
    assert edition is not None
    for row in WaitingRecording.objects.filter(pk__in=piece.items, state=WaitingRecording.State.LISTENING):
        if not piece.wanted():
            raise Stopped
        seconds, heard, faults = _listened(row.key, edition.language)
        WaitingRecording.objects.filter(pk=row.pk, key=row.key).update(
            state=WaitingRecording.State.READY, seconds=seconds, listened=heard is not None, heard=heard or "",
            faults=[asdict(fault) for fault in faults])


def _listened(key: str, language: str) -> tuple[float, str | None, list[GuideFault]]:
    seconds = 0.0
    try:
        samples, rate = read_sound(media(), decoded(key))
        seconds = len(samples) / rate
        faults = faults_of(samples, rate, LONGEST)
        return seconds, _heard(samples, rate, language), faults
    except SoftTimeLimitExceeded:
        raise
    except Exception as error:
        # Whatever it is: one that nothing can be made of holds up none of the others.
        log.warning("a recording could not be listened to", exc_info=error)
        return seconds, None, [GuideFault("unreadable", _why(error))]


def _heard(samples: Samples, rate: int, language: str) -> str | None:
    return recognise(samples, rate, language) if not recogniser_missing() and hearable(language) else None


def prepare(piece: Piece) -> None:
    """Cut and level the recordings of some lines, and find their words."""
    edition = piece.job.edition
    assert edition is not None
    prepared: list[int] = []
    try:
        for row in LineRecording.objects.filter(edition=edition, line__in=piece.items,
                                                state=LineRecording.State.READING):
            if not piece.wanted():
                raise Stopped
            _prepare(edition, row)
            prepared.append(row.line_id)
    finally:
        note_made(edition, prepared)


def _prepare(edition: Edition, row: LineRecording) -> None:
    standing = EditionState.load(edition, [row.line_id]).lines[0]
    mine = LineRecording.objects.filter(pk=row.pk, key=row.key, said=row.said, cleaned=row.cleaned)
    try:
        samples, rate = read_sound(media(), decoded(row.key))
        faults = faults_of(samples, rate, LONGEST)
        heard = row.heard if row.listened else _heard(samples, rate, edition.language)
        if heard is not None and compare(row.said, heard, edition.language).error >= OTHER_WORDS:
            faults.append(GuideFault("other_words", heard))
        if row.cleaned:
            samples = without_noise(samples, rate)
        take = prepared_take(samples, rate, row.said, standing.stand_in, takes())
    except SoftTimeLimitExceeded:
        raise
    except Exception as error:
        log.warning("a recording could not be prepared", extra={"recording": row.pk}, exc_info=error)
        mine.update(state=LineRecording.State.FAILED, faults=[asdict(GuideFault("unreadable", _why(error)))])
        return
    Take.objects.bulk_create([Take.of(take, "")], ignore_conflicts=True)
    mine.update(state=LineRecording.State.READY, take=take.hash, listened=heard is not None,
                heard=heard or "", faults=[asdict(fault) for fault in faults])


def _why(error: Exception) -> str:
    """What a person can be told of it: of what nobody foresaw, that alone."""
    return str(error) if isinstance(error, JanoglotError) else "Nothing could be made of this recording."


def _given_up(job: Job) -> None:
    """What is left of a job that nothing came of is not begun again and again: it is told, and can be sent anew."""
    told = [asdict(GuideFault("unreadable", "Nothing could be made of this recording."))]
    WaitingRecording.objects.filter(edition=job.edition, pk__in=job.items if job.kind == "listen" else [],
                                    state=WaitingRecording.State.LISTENING).update(
        state=WaitingRecording.State.READY, listened=False, faults=told)
    LineRecording.objects.filter(
        edition=job.edition, line__in=job.items if job.kind == "prepare" else [], state=LineRecording.State.READING,
    ).update(state=LineRecording.State.FAILED, faults=told)


@looked_after
def go_on_with_recordings(still: timedelta | None = None) -> None:
    """Begin again what nobody has in hand: what was undone and done again, or was lost on its way."""
    before = timezone.now() - (_STILL if still is not None else timedelta())
    for kind, rows, begin in (
            ("listen", WaitingRecording.objects.filter(state=WaitingRecording.State.LISTENING), begin_listening),
            ("prepare", LineRecording.objects.filter(state=LineRecording.State.READING), begin_preparing)):
        for edition in _editions(rows.filter(brought__lt=before)):
            if not running(kind, edition=edition):
                begin(edition, None)


def _editions(rows: QuerySet[WaitingRecording] | QuerySet[LineRecording]) -> QuerySet[Edition]:
    return Edition.objects.select_related("production").filter(pk__in=set(rows.values_list("edition", flat=True)))


LISTENING = register(JobKind("listen", listen, failed=_given_up))
PREPARING = register(JobKind("prepare", prepare, failed=_given_up))
