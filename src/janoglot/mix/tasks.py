"""Mixing in the background."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict
from datetime import timedelta

from celery import shared_task
from django.utils import timezone

from janoglot.core.errors import JanoglotError, NothingToMix
from janoglot.core.mix.programme import Clip, mix_to_file
from janoglot.mix.models import Mix
from janoglot.mix.plan import MixPlan
from janoglot.server.storage import mixes, takes
from janoglot.server.work import BULK, NOW, Work, hand_out, in_hand, looked_after, nothing_waits, standing_still

_FITTING = 0.6
"""The share of the work, at the first mix, that bringing takes to their lengths is."""
_SOON_DONE = 900.0
"""Seconds of a programme. A longer one takes so long to mix that listening would wait for it."""


def begin_mix(mix: Mix, seconds: float) -> None:
    Mix.objects.filter(pk=mix.pk).update(heartbeat=timezone.now())
    hand_out(make_mix, mix.pk, queue=NOW if seconds <= _SOON_DONE else BULK)


@looked_after
def go_on_with_mixes(still: timedelta | None = None) -> None:
    """Hand out again what nobody has in hand any more."""
    for mix in standing_still(Mix.objects.filter(state="making"), still):
        if still is None or (nothing_waits(NOW) and nothing_waits(BULK)):
            begin_mix(mix, _SOON_DONE + 1)


@shared_task(base=Work)
def make_mix(mix_id: int) -> None:
    """Make the mix that the row names, by the plan that was written when it was asked for. Safe to run twice."""
    mix = Mix.objects.filter(pk=mix_id).first()
    if mix is None or mix.state != "making":
        return
    told = 0.0

    def tell(share: float) -> None:
        nonlocal told
        if time.monotonic() - told > 0.3:
            told = time.monotonic()
            Mix.objects.filter(pk=mix_id).update(share=share, heartbeat=timezone.now())

    with in_hand(Mix, mix_id):
        try:
            plan = MixPlan.read(mixes().path(mix.plan_key))
            place = mixes().root / mix.recipe[:2] / mix.key
            place.parent.mkdir(parents=True, exist_ok=True)
            report = mix_to_file(_clips(plan, tell), plan.seconds, place, plan.target,
                                 lambda share: tell(_FITTING + (1 - _FITTING) * share))
        except (JanoglotError, OSError, KeyError, TypeError, ValueError) as error:
            why = str(error) if isinstance(error, JanoglotError) else str(
                NothingToMix("What this mix is made of is not kept any more: have it made again."))
            Mix.objects.filter(pk=mix_id).update(state="failed", fault=why[:400])
            return
    Mix.objects.filter(pk=mix_id).update(state="ready", share=1.0, report={**asdict(report), "sketches": plan.sketches})


def _clips(plan: MixPlan, tell: Callable[[float], None]) -> list[Clip]:
    clips = []
    for number, line in enumerate(plan.lines, 1):
        clips.append(line.clip(takes()))
        tell(_FITTING * number / len(plan.lines))
    return clips
