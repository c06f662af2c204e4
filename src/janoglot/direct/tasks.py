"""Voicing behind the page: takes with their sketches, and then the finished sound of what was sketched."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction

from janoglot.core.edition.standing import LineStanding
from janoglot.core.errors import EngineError
from janoglot.core.speech.takes import make_rendition, make_sketch, make_take, sketch_key
from janoglot.direct.clip_making import CLIPS
from janoglot.direct.guiding import GUIDES
from janoglot.direct.hearing import hear_back
from janoglot.direct.recording import LISTENING, PREPARING
from janoglot.direct.stress_finding import STRESSES
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import JobKind, Piece, Stopped, register, running, start_behind
from janoglot.productions.made import note_made
from janoglot.productions.models import Edition, Job, Sound, Take, Wording
from janoglot.server.storage import takes
from janoglot.server.work import FINISH, SOON

CHUNK = 24
"""At most so many lines in one task: short enough that a line asked for now waits about half a second."""
_LEAST_CHUNK = 4
_STEPS = 16
"""A job is told of in about so many steps, where it is not so long that they would be too big."""
FINISHED_AT_ONCE = 6.0
"""Seconds of sound in one task of finishing. Where lines lie is worked out once for each."""
ASKED_NOW = 3
"""At most so many lines go before everything else."""


def chunk_of(count: int) -> int:
    """Lines in one task of a job of ``count``."""
    return min(CHUNK, max(_LEAST_CHUNK, count // _STEPS))


@dataclass(slots=True)
class _Batch:
    """What a task has made and not written yet."""

    voiced: list[LineStanding] = field(default_factory=list)
    made: list[Take] = field(default_factory=list)
    sketched: list[Sound] = field(default_factory=list)


def voice_lines(piece: Piece) -> None:
    """Make the takes of some lines. A take that is there is not made again."""
    edition = piece.job.edition
    assert edition is not None
    batch = _Batch()
    try:
        for line in EditionState.load(edition, piece.items).lines:
            if not piece.wanted():
                raise Stopped
            try:
                take = _take(line)
                batch.made += [take] if take else []
                batch.sketched += _sketch(line, take)
                batch.voiced.append(line)
            except EngineError as error:
                piece.fault(line.id, str(error))
    finally:
        # What was made is kept, whether the job goes on or not.
        _keep(edition, batch)


def _take(line: LineStanding) -> Take | None:
    """The take that is wanted, where it is not there already. Raises EngineError."""
    if line.recipe is None:
        return None
    there = line.take is not None and line.take.hash == line.wanted
    if there and (line.recipe.voice.is_rich or takes().has(f"{line.wanted}.wav")):
        return None
    return Take.of(make_take(line.recipe, takes()), line.recipe.voice.id)


def _sketch(line: LineStanding, made: Take | None) -> list[Sound]:
    """The sketch of a rich voice's take at its natural length, where it is missing."""
    take = made.core() if made else line.take
    if line.recipe is None or take is None or not line.recipe.voice.is_rich or take.hash != line.wanted:
        return []
    key = sketch_key(line.recipe, take.seconds)
    if takes().has(key) and not made:
        return []
    make_sketch(line.recipe, take.seconds, takes())
    return [Sound(key=key, take_id=take.hash, seconds=take.seconds, quality="sketch")]


def _keep(edition: Edition, batch: _Batch) -> None:
    """Write what a task made, in one transaction and few statements: voicing is faster than a database."""
    with transaction.atomic():
        Take.objects.bulk_create(batch.made, ignore_conflicts=True)
        Sound.objects.bulk_create(batch.sketched, ignore_conflicts=True)
        # Only the choice of take: the words may have been edited meanwhile, and then it is out of date.
        chosen = {line.id: line.wanted for line in batch.voiced if line.recipe and line.line.chosen != line.wanted}
        rows = list(Wording.objects.filter(edition=edition, line__in=chosen).only("id", "line_id"))
        for row in rows:
            row.take_id = chosen[row.line_id]
        Wording.objects.bulk_update(rows, ["take_id"])
        note_made(edition, [line.id for line in batch.voiced])


def _voiced(job: Job) -> None:
    """What was sketched is finished behind it."""
    if not settings.FINISH_BEHIND or job.edition is None:
        return
    if len(job.items) <= ASKED_NOW:
        # Somebody waits for these: they do not queue behind the rest.
        finish_sketches(job.edition, job.user, job.items, now=True)
    finish_sketches(job.edition, job.user)


def finish_sketches(edition: Edition, user: User | None, line_ids: Collection[int] | None = None,
                    tried: Job | None = None, now: bool = False) -> Job | None:
    """Begin a job that finishes the edition's sketches, the longest first; None where there are none to finish.

    One such job runs in an edition at a time; ``now`` is for lines that somebody waits for. Lines of
    ``tried`` that could not be finished are left.
    """
    if not now and running("finish", edition=edition):
        return None
    lengths = {line.id: line.take.seconds for line in EditionState.load(edition).sketches() if line.take
               and (line_ids is None or line.id in line_ids) and (tried is None or str(line.id) not in tried.faults)}
    if not lengths:
        return None
    order = sorted(lengths, key=lambda pk: (-lengths[pk], pk))
    weights = [round(lengths[pk], 2) for pk in order]
    size = 1 if now else max(1, round(FINISHED_AT_ONCE / max(1.0, sum(weights) / len(order))))
    return start_behind("finish", SOON if now else FINISH, order, edition=edition, user=user, weights=weights,
                        piece_size=size)


def finish_lines(piece: Piece) -> None:
    """Make the finished sounds of some lines at the places that they have now. What is moved while it runs is a sketch
    again, and is made by the job that comes behind."""
    assert piece.job.edition is not None
    state = EditionState.load(piece.job.edition)
    finished: list[int] = []
    try:
        for line_id in piece.items:
            if not piece.wanted(now=True):
                raise Stopped
            line, placement = state.by_id.get(line_id, (None, None))
            if line is None or placement is None or not line.take or not line.recipe \
                    or state.quality(line) != "sketch":
                continue
            finished.append(line_id)
            try:
                key = make_rendition(line.recipe, placement.seconds, line.take.seconds, takes())
                Sound.objects.get_or_create(key=key, defaults={
                    "take_id": line.take.hash, "seconds": placement.seconds, "quality": "finish"})
            except EngineError as error:
                piece.fault(line_id, str(error))
    finally:
        # What is finished is seen, whether the job goes on or not.
        note_made(piece.job.edition, finished)


def _finished(job: Job) -> None:
    """What moved while it was being finished is finished again; what is finished is heard."""
    if settings.FINISH_BEHIND and job.edition is not None:
        finish_sketches(job.edition, job.user, tried=job)
    if job.edition is not None:
        hear_back(job.edition, job.user)


__all__ = ["CLIPS", "GUIDES", "LISTENING", "PREPARING", "STRESSES"]
"""Found here by the workers."""
TAKE = register(JobKind("take", voice_lines, _voiced))
FINISHING = register(JobKind("finish", finish_lines, _finished))
