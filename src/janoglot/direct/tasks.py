"""Voicing in the background."""

from __future__ import annotations

import logging

from celery import shared_task
from django.db import transaction
from django.db.models import F
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

CHUNK = 12
"""Lines in one task: short enough that a line asked for now waits under half a second."""


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
    for state in _states(job.edition, wording_ids):
        if VoicingJob.objects.filter(pk=job_id, state="stopped").exists():
            return
        _voice(job, state)
    finish_if_done(job_id)


def _states(edition: Edition, wording_ids: list[int]) -> list[LineState]:
    wordings = list(Wording.objects.filter(pk__in=wording_ids))
    lines = Line.objects.filter(pk__in=[w.line_id for w in wordings]).select_related("speaker", "part")
    return EditionState(edition, lines, wordings, edition.castings.all()).lines


def _voice(job: VoicingJob, state: LineState) -> None:
    assert state.wording is not None
    fault = ""
    if state.recipe is not None:
        try:
            voice_now(state)
        except EngineError as error:
            fault = str(error)
    with transaction.atomic():
        locked = VoicingJob.objects.select_for_update().get(pk=job.pk)
        if fault:
            locked.faults[str(state.wording.pk)] = fault
        locked.characters_done = F("characters_done") + len(state.words)
        locked.save(update_fields=["faults", "characters_done"])


def voice_now(state: LineState) -> None:
    """The take that ``state`` wants, made where it is missing, and chosen. Raises EngineError."""
    assert state.recipe is not None
    assert state.wording is not None
    store = takes()
    if not Take.objects.filter(pk=state.wanted).exists() or not store.has(f"{state.wanted}.wav"):
        made = make_take(state.recipe, store)
        row = Take.of(made, state.recipe.voice.id)
        Take.objects.bulk_create([row], ignore_conflicts=True)
    # Only the choice of take: the words may have been edited meanwhile, and then this one is out of date.
    Wording.objects.filter(pk=state.wording.pk).update(take_id=state.wanted)


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
