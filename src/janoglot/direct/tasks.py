"""Voicing in the background."""

from __future__ import annotations

import logging
import time
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import timedelta

from celery import shared_task
from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from janoglot.core.errors import EngineError
from janoglot.core.speech.takes import make_rendition, make_sketch, make_take, sketch_key
from janoglot.core.timing.placing import Placement
from janoglot.direct.models import VoicingJob
from janoglot.editions.state import EditionState, LineState
from janoglot.productions.models import Edition, Line, Sound, Take, Wording
from janoglot.server.storage import takes
from janoglot.server.work import (
    FINISH,
    NOW,
    SKETCH,
    SOON,
    Work,
    hand_out,
    in_hand,
    looked_after,
    nothing_waits,
    standing_still,
)

log = logging.getLogger(__name__)

CHUNK = 24
"""At most so many lines in one task: short enough that a line asked for now waits about half a second."""
_LEAST_CHUNK = 4
_STEPS = 16
"""A job is told of in about so many steps, where it is not so long that they would be too big."""
FINISHED_AT_ONCE = 6.0
"""Seconds of sound in one task of finishing. Where lines lie is worked out once for each."""
ASKED_NOW = 3
"""At most so many lines go before everything else."""
_LOOK_EVERY = 0.5
"""Seconds between looks at whether the job was stopped."""


def chunk_of(count: int) -> int:
    """Lines in one task of a job of ``count``."""
    return min(CHUNK, max(_LEAST_CHUNK, count // _STEPS))


def begin(job: VoicingJob) -> None:
    """Hand what is left of the job to the workers: takes in chunks, in the script's order; what is to be finished in
    smaller ones, in the order of the job."""
    task, queue = (finish_lines, SOON if job.urgent else FINISH) if job.kind == "finish" else (
        voice_lines, NOW if job.urgent else SKETCH)
    VoicingJob.objects.filter(pk=job.pk).update(heartbeat=timezone.now())
    for number in job.pieces_left:
        hand_out(task, job.pk, number, queue=queue)


@looked_after
def go_on_with_running_jobs(still: timedelta | None = None) -> None:
    """Hand out again what nobody has in hand any more; all that runs, where a worker has just started. What is done
    is not made again."""
    for kind, queues in (("take", (NOW, SKETCH)), ("finish", (SOON, FINISH))):
        for job in standing_still(VoicingJob.objects.filter(state="running", kind=kind), still):
            if still is None or all(map(nothing_waits, queues)):
                log.info("going on with a job", extra={"job": job.pk})
                begin(job)
                finish_if_done(job.pk)


@shared_task(base=Work)
def voice_lines(job_id: int, number: int) -> None:
    """Make the takes of a piece of a job. Safe to run twice: a take that is there is not made again."""
    job = _in_hand(job_id, number)
    if job is None:
        return
    batch = _Batch()
    looked = time.monotonic()
    with in_hand(VoicingJob, job_id):
        for state in _states(job.edition, job.piece(number)):
            if time.monotonic() - looked > _LOOK_EVERY:
                looked = time.monotonic()
                # What is kept is not made again when a worker dies.
                batch = _keep(batch)
                if not VoicingJob.objects.filter(pk=job_id, state="running").exists():
                    return
            assert state.wording is not None
            try:
                take = _take(state)
                batch.made += [take] if take else []
                batch.sketched += _sketch(state, take)
                batch.voiced.append(state)
            except EngineError as error:
                batch.faults[str(state.wording.pk)] = str(error)
        _keep(batch)
    _piece_done(job_id, number, batch.faults)


def _in_hand(job_id: int, number: int) -> VoicingJob | None:
    """The job, where this piece of it is still to be done."""
    job = VoicingJob.objects.select_related("edition__production").filter(pk=job_id).first()
    if job is None or job.state != "running" or number in job.pieces_done:
        return None
    now = timezone.now()
    VoicingJob.objects.filter(pk=job_id).update(heartbeat=now, begun=job.begun or now)
    return job


def _piece_done(job_id: int, number: int, faults: dict[str, str]) -> None:
    with transaction.atomic():
        locked = VoicingJob.objects.select_for_update().filter(pk=job_id).first()
        if locked is None:
            return
        if number not in locked.pieces_done:
            locked.pieces_done.append(number)
        locked.faults.update(faults)
        locked.heartbeat = timezone.now()
        locked.save(update_fields=["faults", "pieces_done", "heartbeat"])
    finish_if_done(job_id)


@dataclass(slots=True)
class _Batch:
    """What a task has made and not written yet."""

    voiced: list[LineState] = field(default_factory=list)
    made: list[Take] = field(default_factory=list)
    sketched: list[Sound] = field(default_factory=list)
    faults: dict[str, str] = field(default_factory=dict)


def _take(state: LineState) -> Take | None:
    """The take that ``state`` wants, where it is not there already. Raises EngineError."""
    if state.recipe is None:
        return None
    there = state.take is not None and state.take.hash == state.wanted
    if there and (state.recipe.voice.is_rich or takes().has(f"{state.wanted}.wav")):
        return None
    return Take.of(make_take(state.recipe, takes()), state.recipe.voice.id)


def _sketch(state: LineState, made: Take | None) -> list[Sound]:
    """The sketch of a rich voice's take at its natural length, where it is missing."""
    take = made or state.take
    if state.recipe is None or take is None or not state.recipe.voice.is_rich or take.hash != state.wanted:
        return []
    key = sketch_key(state.recipe, take.seconds)
    if takes().has(key) and not made:
        return []
    make_sketch(state.recipe, take.seconds, takes())
    return [Sound(key=key, take_id=take.hash, seconds=take.seconds, quality="sketch")]


def _keep(batch: _Batch) -> _Batch:
    """Write what a task made, in one transaction and few statements: voicing is faster than a database.

    Gives an empty batch to go on with, that still knows the faults.
    """
    # Only the choice of take: the words may have been edited meanwhile, and then it is out of date.
    chosen = [Wording(pk=state.wording.pk, take_id=state.wanted) for state in batch.voiced
              if state.recipe and state.wording]
    with transaction.atomic():
        Take.objects.bulk_create(batch.made, ignore_conflicts=True)
        Sound.objects.bulk_create(batch.sketched, ignore_conflicts=True)
        Wording.objects.bulk_update(chosen, ["take_id"])
    return _Batch(faults=batch.faults)


def _states(edition: Edition, wording_ids: list[int]) -> list[LineState]:
    wordings = list(Wording.objects.filter(pk__in=wording_ids))
    lines = Line.objects.filter(pk__in=[w.line_id for w in wordings]).prefetch_related("speaker", "part")
    return EditionState(edition, lines, wordings, edition.castings.all(), edition.line_castings.all()).lines


def finish_if_done(job_id: int) -> None:
    """End a job whose work is done, and begin what comes behind it: who sees the one sees the other."""
    with transaction.atomic():
        job = VoicingJob.objects.select_for_update().filter(pk=job_id).first()
        if job is None or job.state != "running" or job.pieces_left:
            return
        job.state, job.ended = "done", timezone.now()
        job.save(update_fields=["state", "ended"])
        if not settings.FINISH_BEHIND:
            return
        if job.kind == "take" and len(job.wordings) <= ASKED_NOW:
            # Somebody waits for these: they do not queue behind the rest.
            lines = job.edition.wordings.filter(pk__in=job.wordings).values_list("line_id", flat=True)
            finish_sketches(job.edition, job.user, list(lines), now=True)
        # What was sketched is finished behind it; what moved while it was being finished, again.
        finish_sketches(job.edition, job.user, tried=job)


def finish_sketches(edition: Edition, user: User | None, line_ids: Collection[int] | None = None,
                    tried: VoicingJob | None = None, now: bool = False) -> VoicingJob | None:
    """Begin a job that finishes the edition's sketches, the longest first; None where there are none to finish.

    One such job runs in an edition at a time; ``now`` is for lines that somebody waits for. Lines of
    ``tried`` that could not be finished are left.
    """
    if not now and edition.voicing_jobs.filter(kind="finish", state="running").exists():
        return None
    state = EditionState.load(edition)
    lengths = {s.wording.pk: s.take.seconds for s in state.sketches() if s.wording and s.take
               and (line_ids is None or s.line.pk in line_ids)}
    if tried and tried.kind == "finish":
        lengths = {pk: seconds for pk, seconds in lengths.items() if str(pk) not in tried.faults}
    if not lengths:
        return None
    order = sorted(lengths, key=lambda pk: (-lengths[pk], pk))
    weights = [round(lengths[pk], 2) for pk in order]
    size = 1 if now else max(1, round(FINISHED_AT_ONCE / max(1.0, sum(weights) / len(order))))
    job = VoicingJob.objects.create(edition=edition, user=user, kind="finish", wordings=order, weights=weights,
                                    piece_size=size, urgent=now)
    transaction.on_commit(lambda: begin(job))
    return job


@shared_task(base=Work)
def finish_lines(job_id: int, number: int) -> None:
    """Make the finished sounds of a piece's lines at the places that they have now. Safe to run twice.

    What is moved while it runs is a sketch again, and is made by the job that comes behind.
    """
    job = _in_hand(job_id, number)
    if job is None:
        return
    faults: dict[str, str] = {}
    with in_hand(VoicingJob, job_id):
        state = EditionState.load(job.edition)
        at = {line.wording.pk: (line, placement) for line, placement in zip(state.lines, state.placements, strict=True)
              if line.wording}
        for wording_id in job.piece(number):
            if not VoicingJob.objects.filter(pk=job_id, state="running").exists():
                return
            fault = _finish(state, *at[wording_id]) if wording_id in at else ""
            if fault:
                faults[str(wording_id)] = fault
    _piece_done(job_id, number, faults)


def _finish(state: EditionState, line: LineState, placement: Placement) -> str:
    """Make one line's finished sound where it is a sketch; gives what was wrong."""
    if line.take is not None and state.quality(line) == "sketch" and line.recipe:
        try:
            key = make_rendition(line.recipe, placement.seconds, line.take.seconds, takes())
            Sound.objects.get_or_create(key=key, defaults={
                "take": line.take, "seconds": placement.seconds, "quality": "finish"})
        except EngineError as error:
            return str(error)
    return ""
