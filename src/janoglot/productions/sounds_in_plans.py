"""Whose sounds may lie under a production's voices: the one check that every way into a plan goes through.

A sound of somebody's library goes by its number, and whoever sees a production may hear what lies in it. So a number
counts only where the one who puts it there may have that sound: brought in, put by hand, laid over for one edition.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet

from janoglot.core.errors import BadInput
from janoglot.productions.models import LibrarySound, Membership, SoundWorld
from janoglot.productions.permissions import Anyone

Told = dict[str, Any]


def kept_in(told: Any) -> set[int]:
    """Numbers of the library's sounds anywhere in a plan as JSON: of all editions', and of one's alone."""
    if isinstance(told, Mapping):
        own = told.get("kept")
        found = {own} if isinstance(own, int) and not isinstance(own, bool) else set()
        return found.union(*(kept_in(one) for one in told.values()))
    if isinstance(told, list | tuple):
        return set().union(*(kept_in(one) for one in told))
    return set()


def known_sounds(user: Anyone) -> QuerySet[LibrarySound]:
    """Those that a user may have: their own, and whatever lies in a production that they can see. Of nobody none."""
    if not isinstance(user, User):
        return LibrarySound.objects.none()
    seen = Membership.objects.filter(user=user, production__deleted=None).values("production")
    used: set[int] = set().union(*(kept_in(world.plan) for world in SoundWorld.objects.filter(production__in=seen)))
    return LibrarySound.objects.filter(Q(owner=user, retired=False) | Q(pk__in=used))


def foreign_to(user: Anyone, told: Any) -> set[int]:
    """Numbers in a plan of sounds that a user may not have, or that are none."""
    wanted = kept_in(told)
    if not wanted:
        return set()
    return wanted - set(known_sounds(user).filter(pk__in=wanted).values_list("pk", flat=True))


def require_own_sounds(user: Anyone, told: Mapping[str, Any]) -> None:
    """Raises BadInput for a plan, as JSON, with a sound that this user may not have."""
    foreign = foreign_to(user, told)
    if not foreign:
        return
    for number, cue in enumerate(told.get("cues") or [], 1):
        if kept_in(cue) & foreign:
            raise BadInput("Cue {number}: that sound is not in the library any more.", number=number)
    raise BadInput("A sound that is laid under one edition is not in the library any more.")


def without_foreign_sounds(user: Anyone, told: Mapping[str, Any]) -> tuple[Told, int]:
    """A plan that somebody brings in, without the cues whose sounds they may not have; and how many those are."""
    foreign = foreign_to(user, told)
    if not foreign:
        return dict(told), 0
    gone = {str(cue.get("id")) for cue in told.get("cues") or [] if isinstance(cue, dict) and kept_in(cue) & foreign}
    left = [cue for cue in told.get("cues") or [] if not kept_in(cue) & foreign]
    count = len(told.get("cues") or []) - len(left)
    made = {**told, "cues": left}
    if isinstance(told.get("editions"), Mapping):
        editions: Told = {}
        for tag, own in told["editions"].items():
            rows = own.get("cues") if isinstance(own, Mapping) else None
            if not isinstance(rows, Mapping):
                editions[tag] = own
                continue
            kept = {name: cue for name, cue in rows.items() if name not in gone and not kept_in(cue) & foreign}
            count += sum(1 for name, cue in rows.items() if name not in gone and kept_in(cue) & foreign)
            editions[tag] = {**own, "cues": kept}
        made["editions"] = editions
    return made, count
