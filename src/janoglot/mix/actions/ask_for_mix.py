"""Have the mix of an edition made as it stands now."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from janoglot.core.edition.plan import plan_of
from janoglot.core.errors import NothingToMix
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.mix.block_files import block_mix, drop_blocks, is_kept
from janoglot.mix.making import SOON_DONE
from janoglot.mix.models import Mix
from janoglot.productions.jobs import running, start
from janoglot.productions.models import Edition
from janoglot.server.storage import mixes, takes
from janoglot.server.work import BULK, NOW

_KEPT = 3


def ask_for_mix(edition: Edition, user: Any = None) -> Mix:
    """The mix for how the edition stands, being made where it is missing. Raises NothingToMix; QueueAway, with nothing
    begun."""
    state = EditionState.load(edition)
    recipe = state.mix_recipe
    if not recipe:
        raise NothingToMix("There is nothing to mix: no line of this edition has been voiced.")
    with transaction.atomic():
        mix, _ = Mix.objects.select_for_update().get_or_create(edition=edition, recipe=recipe)
        if mix.report and is_kept(mix, mixes()):
            return mix
        if not running("mix", edition=edition, subject=recipe):
            start("mix", NOW if state.seconds <= SOON_DONE else BULK, [recipe], edition=edition, subject=recipe,
                  user=user, weights=[round(state.seconds, 1)])
            mixes().write(mix.plan_key, plan_of(state, lambda line: kept_sound(line, takes())).write)
            mix.report = {}
            mix.save()
            _drop_old(edition, mix)
    return mix


def _drop_old(edition: Edition, newest: Mix) -> None:
    """Mixes are big and quickly made again: the last few of an edition are kept."""
    for old in Mix.objects.filter(edition=edition).exclude(pk=newest.pk).exclude(report={}).order_by("-id")[_KEPT:]:
        if not Mix.objects.filter(recipe=old.recipe).exclude(pk=old.pk).exists():
            # Of every production: copies have the same sounds, and so the same blocks.
            others = Mix.objects.exclude(pk=old.pk).exclude(report={})
            if mixes().has(old.key):
                drop_blocks(block_mix(old, mixes()),
                            (block_mix(one, mixes()) for one in others if mixes().has(one.key)), mixes())
            for key in (old.key, old.plan_key):
                mixes().remove(key)
        old.delete()
