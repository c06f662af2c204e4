"""Change what lies under the voices, in all editions or in one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib.auth.models import User

from janoglot.core.mix.cues import SoundPlan, plan_as_json
from janoglot.productions.models import ActionRecord, Production, SoundWorld
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_sounds(user: Anyone, production: Production, plan: SoundPlan,
               check: Callable[[SoundPlan], None] = lambda now: None) -> SoundWorld:
    """Changes of one and the same thing, quickly one after another, are one to undo: a level that is moved by keys.
    ``check`` is given what is there while nobody else can change it, and raises what stands against this."""
    before = SoundWorld.objects.filter(production=production).first()
    what = _changed(plan_as_json(before.core) if before else {}, plan_as_json(plan))
    last = ActionRecord.objects.filter(production=production, user=user if isinstance(user, User) else None).first()
    same = bool(what) and last is not None and last.name == "set_sounds" and last.details.get("what") == what
    with action(user, production, "set_sounds", goes_on=same) as record:
        record.summary = f"{len(plan.cues)} cues"
        record.details = {"count": len(plan.cues), "what": what}
        Production.objects.select_for_update().get(pk=production.pk)
        row = SoundWorld.objects.select_for_update().filter(production=production).first()
        check(row.core if row else SoundPlan())
        if row is None:
            return record.create(SoundWorld(production=production, **SoundWorld.columns(plan)))
        record.update(row, **SoundWorld.columns(plan))
    return row


def _changed(before: Any, after: Any) -> str:
    """The way to the one figure or word that is otherwise; "" where there are several, or something came or went."""
    way: list[str] = []
    while isinstance(before, dict | list) and type(before) is type(after):
        if isinstance(before, list):
            if len(before) != len(after):
                return ""
            before, after = dict(enumerate(before)), dict(enumerate(after))
        keys = [key for key in before.keys() | after.keys() if before.get(key) != after.get(key)]
        if len(keys) != 1:
            return ""
        way.append(str(keys[0]))
        before, after = before.get(keys[0]), after.get(keys[0])
    return "" if isinstance(before, dict | list) or isinstance(after, dict | list) else "/".join(way)
