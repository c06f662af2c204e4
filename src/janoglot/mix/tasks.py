"""Mixing behind the page."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict

from janoglot.core.edition.plan import MixPlan
from janoglot.core.errors import NothingToMix
from janoglot.core.mix.programme import Clip, MixReport, mix_to_file
from janoglot.mix.models import Mix
from janoglot.productions.jobs import JobKind, Piece, register
from janoglot.server.storage import mixes, takes

_FITTING = 0.6
"""The share of the work, at the first mix, that bringing takes to their lengths is."""
SOON_DONE = 900.0
"""Seconds of a programme. A longer one takes so long to mix that listening would wait for it."""


def make_mix(piece: Piece) -> None:
    """Make a mix by the plan that was written when it was asked for. Raises NothingToMix."""
    mix = Mix.objects.filter(edition=piece.job.edition, recipe=piece.job.subject).first()
    if mix is None or mix.report:
        return
    try:
        plan = MixPlan.read(mixes().path(mix.plan_key))
        clips = _clips(plan, piece.tell)
        reports: list[MixReport] = []
        mixes().write(mix.key, lambda place: reports.append(mix_to_file(
            clips, plan.seconds, place, plan.target,
            lambda share: piece.tell(_FITTING + (1 - _FITTING) * share))))
        report = reports[0]
    except (OSError, KeyError, TypeError, ValueError) as error:
        raise NothingToMix("What this mix is made of is not kept any more: have it made again.") from error
    Mix.objects.filter(pk=mix.pk).update(report={**asdict(report), "sketches": plan.sketches})


def _clips(plan: MixPlan, tell: Callable[[float], None]) -> list[Clip]:
    clips = []
    for number, line in enumerate(plan.lines, 1):
        clips.append(line.clip(takes()))
        tell(_FITTING * number / len(plan.lines))
    return clips


MIXING = register(JobKind("mix", make_mix))
