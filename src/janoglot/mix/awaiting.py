"""Mixes that are wanted as soon as everything of an edition is finished: begun by themselves then."""

from __future__ import annotations

import logging
from datetime import timedelta
from functools import partial
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from janoglot.core.errors import JanoglotError
from janoglot.mix.actions.ask_for_mix import ask_for_mix
from janoglot.mix.models import AwaitedMix
from janoglot.productions.jobs import behind
from janoglot.productions.models import Edition, Job
from janoglot.server.work import AWAY, QueueAway, looked_after

log = logging.getLogger(__name__)
_MADE = ("take", "finish", "prepare")
"""Kinds of jobs that what is mixed comes from."""


def await_mix(edition: Edition, user: Any) -> None:
    """Have the edition mixed as soon as nothing of it is being made any more: at once where nothing is. Raises
    NothingToMix; QueueAway, with nothing begun."""
    if not _being_made(edition):
        ask_for_mix(edition, user)
        return
    AwaitedMix.objects.update_or_create(edition=edition, defaults={"user": user if isinstance(user, User) else None})


def is_awaited(edition: Edition) -> bool:
    return AwaitedMix.objects.filter(edition=edition).exists()


def _being_made(edition: Edition) -> bool:
    return Job.objects.filter(edition=edition, kind__in=_MADE, state="running").exists()


@looked_after
def mix_what_is_awaited(still: timedelta | None = None) -> None:
    for edition in AwaitedMix.objects.values_list("edition", flat=True):
        _mix_of(edition)


def _job_ended(job: Job) -> None:
    if job.edition_id is not None:
        transaction.on_commit(partial(_mix_of, job.edition_id))


def _mix_of(edition: int) -> None:
    for row in AwaitedMix.objects.select_related("edition__production", "user").filter(edition=edition):
        try:
            _mix(row)
        except AWAY as error:
            log.warning("begun later: something is away", extra={"why": str(error)[:200]})
        except QueueAway:
            log.warning("begun later: the queue is away")


def _mix(row: AwaitedMix) -> None:
    """Begin it, where nothing is being made any more. A job that was stopped leaves sketches: these are mixed then."""
    if _being_made(row.edition):
        return
    with transaction.atomic():
        # Two that look after it begin one.
        if not AwaitedMix.objects.filter(pk=row.pk).delete()[0]:
            return
        try:
            ask_for_mix(row.edition, row.user)
        except QueueAway:
            raise
        except JanoglotError as error:
            log.warning("an awaited mix could not be begun", extra={"edition": row.edition_id, "why": str(error)})


for _kind in _MADE:
    behind(_kind, _job_ended)
