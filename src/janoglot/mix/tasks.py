"""Mixing behind the page."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path

from janoglot.core.edition.plan import MixPlan
from janoglot.core.edition.sound_world import mix_of_plan
from janoglot.core.errors import NothingToMix
from janoglot.core.mix.blocks import KeptBlocks
from janoglot.mix.awaiting import mix_what_is_awaited
from janoglot.mix.library import sound_library
from janoglot.mix.models import Mix
from janoglot.mix.sound_reading import SOUNDS
from janoglot.productions.jobs import JobKind, Piece, register
from janoglot.server.storage import mixes, takes


def make_mix(piece: Piece) -> None:
    """Make a mix by the plan that was written when it was asked for. Raises NothingToMix."""
    mix = Mix.objects.filter(edition=piece.job.edition, recipe=piece.job.subject).first()
    if mix is None or mix.report:
        return
    try:
        plan = MixPlan.read(mixes().path(mix.plan_key))
        library = sound_library(make_beds=True)
        made, blocks, count = mix_of_plan(
            plan, takes(), library, lambda channels: KeptBlocks(mixes(), channels), piece.tell
        )
        if not all(blocks.has(key) for key in made.blocks):
            # Gone while it was put together, with a mix that nobody needed any more.
            made, blocks, count = mix_of_plan(plan, takes(), library, lambda channels: KeptBlocks(mixes(), channels))
        told = json.dumps(made.as_json())
        mixes().write(mix.key, lambda place: _write(place, told))
    except (OSError, KeyError, TypeError, ValueError) as error:
        raise NothingToMix("What this mix is made of is not kept any more: have it made again.") from error
    Mix.objects.filter(pk=mix.pk).update(report={**asdict(made.report), "channels": made.channels, "blocks_made": count,
                                                 "blocks": len(made.blocks), "sketches": plan.sketches})


def _write(place: Path, told: str) -> None:
    place.write_text(told)


__all__ = ["MIXING", "SOUNDS", "mix_what_is_awaited"]
"""Found here by the workers."""
MIXING = register(JobKind("mix", make_mix))
