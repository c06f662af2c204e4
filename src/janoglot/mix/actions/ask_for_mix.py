"""Have the mix of an edition made as it stands now."""

from __future__ import annotations

from django.db import transaction

from janoglot.core.errors import NothingToMix
from janoglot.editions.state import EditionState
from janoglot.mix.models import Mix
from janoglot.mix.plan import plan_of
from janoglot.mix.tasks import begin_mix
from janoglot.productions.models import Edition
from janoglot.server.storage import mixes, takes
from janoglot.server.work import require_queue

_KEPT = 3


def ask_for_mix(edition: Edition) -> Mix:
    """The mix for how the edition stands, being made where it is missing. Raises NothingToMix; QueueAway, with nothing
    begun."""
    state = EditionState.load(edition)
    recipe = state.mix_recipe
    if not recipe:
        raise NothingToMix("There is nothing to mix: no line of this edition has been voiced.")
    with transaction.atomic():
        mix, new = Mix.objects.select_for_update().get_or_create(edition=edition, recipe=recipe)
        lost = mix.state == "ready" and not mixes().has(mix.key)
        if new or lost or mix.state == "failed":
            require_queue()
            mixes().write(mix.plan_key, plan_of(state, takes()).write)
            mix.state, mix.share, mix.fault = "making", 0.0, ""
            mix.save()
            transaction.on_commit(lambda: begin_mix(mix, state.seconds))
            _drop_old(edition, mix)
    return mix


def _drop_old(edition: Edition, newest: Mix) -> None:
    """Mixes are big and quickly made again: the last few of an edition are kept."""
    for old in Mix.objects.filter(edition=edition).exclude(pk=newest.pk).exclude(state="making").order_by(
            "-id")[_KEPT:]:
        if not Mix.objects.filter(recipe=old.recipe).exclude(pk=old.pk).exists():
            for key in (old.key, old.plan_key, *(f"{old.recipe}.{ending}" for ending in ("flac", "mp3"))):
                mixes().remove(key)
        old.delete()
