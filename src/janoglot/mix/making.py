"""How far a mix is: by its job, and by whether the track is there."""

from __future__ import annotations

from dataclasses import dataclass

from janoglot.mix.block_files import is_kept
from janoglot.mix.models import Mix
from janoglot.productions.models import Edition, Job
from janoglot.server.storage import mixes

MIX_STATES = [(state, state) for state in ("absent", "making", "ready", "failed")]
SOON_DONE = 900.0
"""Seconds of a programme. A longer one takes so long to mix that listening would wait for it."""


@dataclass(frozen=True, slots=True)
class MixProgress:
    mix: Mix | None
    state: str
    share: float = 0.0
    fault: str = ""


def mix_progress(edition: Edition, recipe: str) -> MixProgress:
    """*absent* where nobody has asked for a mix of that recipe, or it is not kept any more."""
    mix = Mix.objects.filter(edition=edition, recipe=recipe).first() if recipe else None
    if mix is None:
        return MixProgress(None, "absent")
    if mix.report:
        return MixProgress(mix, "ready", 1.0) if is_kept(mix, mixes()) else MixProgress(mix, "absent")
    job = Job.objects.filter(kind="mix", edition=edition, subject=recipe).first()
    if job is None or job.state == "stopped":
        return MixProgress(mix, "absent")
    if job.state == "failed":
        return MixProgress(mix, "failed", 0.0, job.fault)
    return MixProgress(mix, "making", job.done_share)
