"""Mixing in the background."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict

from celery import shared_task

from janoglot.core.errors import JanoglotError
from janoglot.core.mix.programme import Clip, mix_to_file
from janoglot.direct.state import EditionState
from janoglot.mix.clips import line_clip
from janoglot.mix.models import Mix
from janoglot.server.storage import mixes, takes

_FITTING = 0.6
"""The share of the work, at the first mix, that bringing takes to their lengths is."""


@shared_task
def make_mix(mix_id: int) -> None:
    """Make the mix that the row names, or do nothing where the edition has moved on since."""
    mix = Mix.objects.select_related("edition__production").get(pk=mix_id)
    state = EditionState.load(mix.edition)
    if mix.state != "making" or state.mix_recipe != mix.recipe:
        # Words or voices have changed since: that mix can be made no more, and nobody waits for it.
        Mix.objects.filter(pk=mix_id, state="making").delete()
        return
    told = 0.0

    def tell(share: float) -> None:
        nonlocal told
        if time.monotonic() - told > 0.3:
            told = time.monotonic()
            Mix.objects.filter(pk=mix_id).update(share=share)

    try:
        clips = _clips(state, tell)
        place = mixes().root / mix.recipe[:2] / mix.key
        place.parent.mkdir(parents=True, exist_ok=True)
        report = mix_to_file(clips, state.seconds, place, mix.edition.production.target_lufs,
                             lambda share: tell(_FITTING + (1 - _FITTING) * share))
    except (JanoglotError, OSError) as error:
        Mix.objects.filter(pk=mix_id).update(state="failed", fault=str(error)[:400])
        return
    Mix.objects.filter(pk=mix_id).update(state="ready", share=1.0, report=asdict(report))


def _clips(state: EditionState, tell: Callable[[float], None]) -> list[Clip]:
    store = takes()
    clips = []
    voiced = [(s, p) for s, p in zip(state.lines, state.placements, strict=True) if s.take]
    for number, (line, placement) in enumerate(voiced):
        clip = line_clip(state, line, placement, store)
        clips += [clip] if clip else []
        tell(_FITTING * (number + 1) / len(voiced))
    return clips
