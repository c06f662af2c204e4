"""Jobs: how they are begun, worked on, stopped, and handed out again. One way for every kind.

The rows are the truth and messages only what tells workers of them. A long job is many short pieces, each a task of its
own that is safe to run twice. Where nobody has a job in hand any more its pieces are handed out again; where that has
been done ``MOST_TRIES`` times with nothing done in between, the job has failed: none runs for ever.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from celery import shared_task
from celery.exceptions import SoftTimeLimitExceeded
from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from janoglot.core.errors import JanoglotError
from janoglot.productions.models import Edition, Job, Production
from janoglot.server.work import (
    NOW,
    QUEUES,
    Work,
    hand_out,
    in_hand,
    looked_after,
    nothing_waits,
    require_queue,
    standing_still,
)

log = logging.getLogger(__name__)

MOST_TRIES = 5
_LOOK_EVERY = 0.5
"""Seconds between looks at whether the job was stopped."""
_TELL_EVERY = 0.3


@dataclass(slots=True)
class Piece:
    """A piece of a job while it is worked on."""

    job: Job
    number: int
    items: list[Any]
    faults: dict[str, str] = field(default_factory=dict)
    report: dict[str, int] = field(default_factory=dict)
    _looked: float = field(default_factory=time.monotonic)
    _told: float = 0.0

    def wanted(self, now: bool = False) -> bool:
        """Whether the job still runs: asked of the database now and then, or ``now``."""
        if now or time.monotonic() - self._looked > _LOOK_EVERY:
            self._looked = time.monotonic()
            return Job.objects.filter(pk=self.job.pk, state="running").exists()
        return True

    def tell(self, share: float) -> None:
        """How much of this piece is done, 0 to 1; written a few times a second at most."""
        if time.monotonic() - self._told > _TELL_EVERY:
            self._told = time.monotonic()
            Job.objects.filter(pk=self.job.pk).update(share=share, heartbeat=timezone.now())

    def fault(self, item: Any, why: str) -> None:
        self.faults[str(item)] = why

    def count(self, what: str, by: int = 1) -> None:
        """Add to what the job reports."""
        self.report[what] = self.report.get(what, 0) + by


class Stopped(Exception):
    """The job was stopped while a piece of it was worked on: the piece is not done."""


@dataclass(frozen=True, slots=True)
class JobKind:
    """What one kind of job does. ``work`` makes a piece: it may raise Stopped; a JanoglotError ends the job as failed.
    ``ended``, in the transaction in which a job is done, begins what comes behind it; ``failed`` says what became of
    one that is not."""

    name: str
    work: Callable[[Piece], None]
    ended: Callable[[Job], None] | None = None
    failed: Callable[[Job], None] | None = None


_kinds: dict[str, JobKind] = {}
_behind: dict[str, list[Callable[[Job], None]]] = {}


def register(kind: JobKind) -> JobKind:
    _kinds[kind.name] = kind
    return kind


def behind(kind: str, then: Callable[[Job], None]) -> None:
    """Have ``then`` called whenever a job of a kind has ended, done or failed, in the transaction in which it has: for
    what knows of that kind, and it not of them."""
    _behind.setdefault(kind, []).append(then)


def start(kind: str, queue: str, items: Sequence[Any], *, edition: Edition | None = None,
          production: Production | None = None, subject: str = "", user: Any = None,
          weights: Sequence[float] = (), piece_size: int = 1) -> Job:
    """A job that runs once the transaction is through. Raises QueueAway, with nothing begun."""
    require_queue()
    return start_behind(kind, queue, items, edition=edition, production=production, subject=subject, user=user,
                        weights=weights, piece_size=piece_size)


def start_behind(kind: str, queue: str, items: Sequence[Any], *, edition: Edition | None = None,
                 production: Production | None = None, subject: str = "", user: Any = None,
                 weights: Sequence[float] = (), piece_size: int = 1) -> Job:
    """As :func:`start`, for what nobody waits for: where the queue is away it is handed out later."""
    if production is None and edition is not None:
        production = edition.production
    job = Job.objects.create(
        kind=_kinds[kind].name, queue=queue, items=list(items), weights=list(weights), piece_size=piece_size,
        edition=edition, production=production, subject=subject, user=user if isinstance(user, User) else None)
    transaction.on_commit(lambda: begin(job))
    return job


def running(kind: str, **of: Any) -> Job | None:
    """The newest job of a kind that still runs."""
    return Job.objects.filter(kind=kind, state="running", **of).first()


@dataclass(frozen=True, slots=True)
class Ahead:
    """What workers do before a job: so many ``lines`` (none, where it is work of another kind), of other productions
    alone where ``elsewhere``."""

    lines: int
    elsewhere: bool


_OF_LINES = ("take", "finish", "hear", "prepare", "draft", "guide", "listen", "stress")


def ahead_of(job: Job) -> Ahead | None:
    """Why a job has not begun: what is more urgent, or as urgent and older. None where it has, or nothing is."""
    if job.state != "running" or job.begun is not None or job.queue not in QUEUES:
        return None
    more_urgent = QUEUES[:QUEUES.index(job.queue)] if job.queue != NOW else ()
    before = [other for other in Job.objects.filter(Q(queue__in=[queue for queue in more_urgent if queue != NOW])
                                                    | Q(queue=job.queue, pk__lt=job.pk), state="running")
              if other.pieces_left]
    if not before:
        return None
    lines = sum(len(other.items) - other.items_done for other in before if other.kind in _OF_LINES)
    return Ahead(lines, all(other.production_id != job.production_id for other in before))


def begin(job: Job) -> None:
    """Hand what is left of it to the workers."""
    Job.objects.filter(pk=job.pk).update(heartbeat=timezone.now())
    for number in job.pieces_left:
        hand_out(do_piece, job.pk, number, queue=job.queue)
    if not job.pieces_left:
        end_if_done(job.pk)


def stop(job: Job) -> None:
    """What is done stays done; asking again makes the rest."""
    Job.objects.filter(pk=job.pk, state="running").update(state="stopped", ended=timezone.now())
    job.refresh_from_db()


@looked_after
def go_on_with_jobs(still: timedelta | None = None) -> None:
    """Hand out again what nobody has in hand any more; all that runs, where a worker has just started. What is done is
    not made again."""
    for job in standing_still(Job.objects.filter(state="running"), still):
        if still is not None and not nothing_waits(job.queue):
            continue
        if still is not None:
            job.tries += 1
            Job.objects.filter(pk=job.pk).update(tries=job.tries)
        if job.tries > MOST_TRIES:
            _fail(job.pk, str(GivenUp("This was begun several times and never got any further. Ask for it again; where "
                                      "that does not help, look at what it is made of.")))
            continue
        log.info("going on with a job", extra={"job": job.pk, "kind": job.kind})
        begin(job)


class GivenUp(JanoglotError):
    """A job that nothing came of, however often it was tried."""

    code = "given_up"


@shared_task(base=Work)
def do_piece(job_id: int, number: int) -> None:
    """Work on one piece of a job. Safe to run twice: what is there is not made again."""
    job = _taken_up(job_id, number)
    if job is None:
        return
    piece = Piece(job, number, job.piece(number))
    with in_hand(Job, job_id):
        try:
            _kinds[job.kind].work(piece)
        except Stopped:
            return
        except SoftTimeLimitExceeded:
            _fail(job_id, str(GivenUp("This took longer than {minutes} minutes, and was ended.",
                                      minutes=round(settings.CELERY_TASK_SOFT_TIME_LIMIT / 60))))
            return
        except JanoglotError as error:
            _fail(job_id, str(error))
            return
    _piece_done(piece)


def _taken_up(job_id: int, number: int) -> Job | None:
    """The job, where this piece of it is still to be done."""
    job = Job.objects.select_related("edition__production", "user").filter(pk=job_id).first()
    if job is None or job.state != "running" or number in job.pieces_done or number not in job.pieces:
        return None
    now = timezone.now()
    Job.objects.filter(pk=job_id).update(heartbeat=now, begun=job.begun or now)
    return job


def _piece_done(piece: Piece) -> None:
    with transaction.atomic():
        locked = Job.objects.select_for_update().filter(pk=piece.job.pk).first()
        if locked is None:
            return
        if piece.number not in locked.pieces_done:
            locked.pieces_done.append(piece.number)
            for what, by in piece.report.items():
                locked.report[what] = locked.report.get(what, 0) + by
        locked.faults.update(piece.faults)
        locked.heartbeat, locked.tries, locked.share = timezone.now(), 0, 0.0
        locked.save(update_fields=["faults", "report", "pieces_done", "heartbeat", "tries", "share"])
    end_if_done(piece.job.pk)


def end_if_done(job_id: int) -> None:
    """End a job whose work is done, and begin what comes behind it: who sees the one sees the other."""
    with transaction.atomic():
        job = Job.objects.select_for_update().filter(pk=job_id).first()
        if job is None or job.state != "running" or job.pieces_left:
            return
        job.state, job.ended = "done", timezone.now()
        job.save(update_fields=["state", "ended"])
        _has_ended(job, _kinds[job.kind].ended)


def _fail(job_id: int, why: str) -> None:
    with transaction.atomic():
        job = Job.objects.select_for_update().filter(pk=job_id).first()
        if job is None or job.state != "running":
            return
        job.state, job.ended, job.fault = "failed", timezone.now(), why[:400]
        job.save(update_fields=["state", "ended", "fault"])
        _has_ended(job, _kinds[job.kind].failed)


def _has_ended(job: Job, after: Callable[[Job], None] | None) -> None:
    if after:
        after(job)
    for then in _behind.get(job.kind, ()):
        then(job)
