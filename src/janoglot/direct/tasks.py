"""Voicing in the background."""

from __future__ import annotations

import logging
import time

from celery import shared_task
from django.db import transaction
from django.utils import timezone

from janoglot.adapt.models import Wording
from janoglot.core.errors import EngineError
from janoglot.core.speech.takes import make_take
from janoglot.direct.models import Take, VoicingJob
from janoglot.direct.state import EditionState, LineState
from janoglot.productions.models import Edition
from janoglot.script.models import Line
from janoglot.server.storage import takes

log = logging.getLogger(__name__)

CHUNK = 24
"""Lines in one task: short enough that a line asked for now waits about half a second."""
_LOOK_EVERY = 0.5
"""Seconds between looks at whether the job was stopped."""


def begin(job: VoicingJob, now: bool = False) -> None:
    """Hand the job's lines to the workers in chunks, in the script's order."""
    ids = list(job.wordings)
    size = 1 if now else CHUNK
    for at in range(0, len(ids), size):
        voice_lines.apply_async((job.pk, ids[at: at + size]), queue="now" if now else "bulk")


def go_on_with_running_jobs() -> None:
    """Hand out again what a worker had in hand when it was killed. What is done is not made again."""
    for job in VoicingJob.objects.filter(state="running"):
        log.info("going on with a job", extra={"job": job.pk})
        begin(job)


@shared_task
def voice_lines(job_id: int, wording_ids: list[int]) -> None:
    """Make the takes of some wordings. Safe to run twice: a take that is there is not made again."""
    job = VoicingJob.objects.select_related("edition__production").filter(pk=job_id).first()
    if job is None or job.state != "running":
        return
    voiced: list[LineState] = []
    made: list[Take] = []
    faults: dict[str, str] = {}
    looked = time.monotonic()
    for state in _states(job.edition, wording_ids):
        if time.monotonic() - looked > _LOOK_EVERY:
            looked = time.monotonic()
            if not VoicingJob.objects.filter(pk=job_id, state="running").exists():
                break
        assert state.wording is not None
        try:
            take = _take(state)
            made += [take] if take else []
        except EngineError as error:
            faults[str(state.wording.pk)] = str(error)
        voiced.append(state)
    _keep(job, voiced, made, faults)
    finish_if_done(job_id)


def _take(state: LineState) -> Take | None:
    """The take that ``state`` wants, where it is not there already. Raises EngineError."""
    if state.recipe is None:
        return None
    there = state.take is not None and state.take.hash == state.wanted
    if there and takes().has(f"{state.wanted}.wav"):
        return None
    return Take.of(make_take(state.recipe, takes()), state.recipe.voice.id)


def _keep(job: VoicingJob, voiced: list[LineState], made: list[Take], faults: dict[str, str]) -> None:
    """Write what a task made, in one transaction and few statements: voicing is faster than a database."""
    chosen = []
    for state in voiced:
        if state.recipe and state.wording and str(state.wording.pk) not in faults:
            # Only the choice of take: the words may have been edited meanwhile, and then it is out of date.
            chosen.append(Wording(pk=state.wording.pk, take_id=state.wanted))
    with transaction.atomic():
        Take.objects.bulk_create(made, ignore_conflicts=True)
        Wording.objects.bulk_update(chosen, ["take_id"])
        locked = VoicingJob.objects.select_for_update().get(pk=job.pk)
        locked.faults.update(faults)
        locked.characters_done += sum(len(state.words) for state in voiced)
        locked.lines_done = min(len(locked.wordings), locked.lines_done + len(voiced))
        locked.save(update_fields=["faults", "characters_done", "lines_done"])


def _states(edition: Edition, wording_ids: list[int]) -> list[LineState]:
    wordings = list(Wording.objects.filter(pk__in=wording_ids))
    lines = Line.objects.filter(pk__in=[w.line_id for w in wordings]).select_related("speaker", "part")
    return EditionState(edition, lines, wordings, edition.castings.all()).lines


def remaining(job: VoicingJob) -> list[int]:
    """Ids of the job's wordings that still have no take for what they say now."""
    states = _states(job.edition, list(job.wordings))
    return [
        s.wording.pk for s in states
        if s.wording and s.state in ("unvoiced", "out_of_date") and str(s.wording.pk) not in job.faults
    ]


def finish_if_done(job_id: int) -> None:
    job = VoicingJob.objects.select_related("edition__production").get(pk=job_id)
    if job.state == "running" and job.characters_done >= job.characters and not remaining(job):
        VoicingJob.objects.filter(pk=job_id, state="running").update(state="done", ended=timezone.now())
