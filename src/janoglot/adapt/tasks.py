"""Drafting in the background."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta
from typing import Any

from celery import shared_task
from django.contrib.auth.models import AnonymousUser
from django.db import transaction
from django.utils import timezone
from rest_framework.exceptions import PermissionDenied

from janoglot.adapt.actions.write_wordings import write_wordings
from janoglot.adapt.models import DraftingJob
from janoglot.adapt.remembering import memory_for
from janoglot.core.adapt.drafting import drafting_engine
from janoglot.core.adapt.memory import Memory
from janoglot.core.errors import EngineError, JanoglotError
from janoglot.productions.models import Edition, Speaker, Wording
from janoglot.productions.permissions import Anyone
from janoglot.productions.writing import NewWords, source_words
from janoglot.server.work import BULK, Work, hand_out, in_hand, looked_after, nothing_waits, standing_still

CHUNK = 60
"""Lines that are drafted and kept together: what is done stays done when the job is stopped."""


def begin_drafting(job: DraftingJob) -> None:
    DraftingJob.objects.filter(pk=job.pk).update(heartbeat=timezone.now())
    hand_out(draft_lines, job.pk, queue=BULK)


@looked_after
def go_on_with_drafting(still: timedelta | None = None) -> None:
    """Hand out again what nobody has in hand any more."""
    for job in standing_still(DraftingJob.objects.filter(state="running"), still):
        if still is None or nothing_waits(BULK):
            begin_drafting(job)


@shared_task(base=Work)
def draft_lines(job_id: int) -> None:
    """Fill the job's lines that are still empty, or still a machine's draft. Safe to run twice."""
    job = DraftingJob.objects.select_related("edition__production", "user").filter(pk=job_id).first()
    if job is None or job.state != "running":
        return
    with in_hand(DraftingJob, job_id):
        _draft(job, job.user or AnonymousUser())


def _draft(job: DraftingJob, user: Anyone) -> None:
    edition, job_id = job.edition, job.pk
    memory = memory_for(user, edition)
    sources = source_words(edition.production)
    names = list(Speaker.objects.filter(production=edition.production).values_list("name", flat=True))
    for at in range(job.lines_done, len(job.lines), CHUNK):
        if not DraftingJob.objects.filter(pk=job_id, state="running").exists():
            return
        ids = job.lines[at: at + CHUNK]
        touched = set(Wording.objects.filter(edition=edition, line_id__in=ids).exclude(
            state__in=(Wording.State.EMPTY, Wording.State.DRAFT)).values_list("line_id", flat=True))
        reports: Counter[str] = Counter()
        words: list[NewWords] = []
        try:
            words = _drafted({pk: sources.get(pk, "") for pk in ids if pk not in touched}, memory, names, edition,
                             reports)
            write_wordings(user, edition, words, "draft_lines")
        except (JanoglotError, PermissionDenied) as error:
            _end(job_id, "failed", str(error))
            return
        with transaction.atomic():
            locked = DraftingJob.objects.select_for_update().get(pk=job_id)
            locked.lines_done = min(len(locked.lines), at + CHUNK)
            told: Counter[str] = Counter(locked.reports)
            locked.reports = dict(told + reports)
            locked.save(update_fields=["lines_done", "reports"])
    _end(job_id, "done")


def _end(job_id: int, state: str, why: str = "") -> None:
    with transaction.atomic():
        job = DraftingJob.objects.select_for_update().get(pk=job_id)
        if job.state == "running":
            job.state, job.ended = state, timezone.now()
            if why:
                job.reports = {**job.reports, "fault": why[:300]}
            job.save(update_fields=["state", "ended", "reports"])


def _drafted(texts: dict[int, str], memory: Memory, names: list[str], edition: Edition,
             reports: Counter[str]) -> list[NewWords]:
    """First the very same from the memory, then the nearly same, then the engine. ``reports`` counts how."""
    found: list[NewWords] = []
    left: list[int] = []
    for line, text in texts.items():
        matches = memory.find(text, most=1)
        if not text.strip():
            continue
        if matches:
            match = matches[0]
            doubt: dict[str, Any] = {"score": match.score}
            if match.score < 1:
                doubt["difference"] = [list(part) for part in match.difference]
            found.append(NewWords(line, match.unit.text, Wording.State.DRAFT, "memory", doubt))
            reports["exact" if match.score == 1 else "fuzzy"] += 1
        else:
            left.append(line)
    engine, source = drafting_engine(), edition.production.source_language
    if not left:
        return found
    if engine.route(source, edition.language) is None:
        reports["no_engine"] += len(left)
        return found
    try:
        drafts = engine.draft([texts[line] for line in left], source, edition.language, names)
    except EngineError:
        reports["failed"] += len(left)
        return found
    for line, draft in zip(left, drafts, strict=True):
        doubt = {}
        if draft.unknown:
            doubt["words"] = list(draft.unknown)
        if draft.lost:
            doubt["lost"] = list(draft.lost)
        found.append(NewWords(line, draft.text, Wording.State.DRAFT, "engine", doubt))
        reports["drafted"] += 1
    return found
