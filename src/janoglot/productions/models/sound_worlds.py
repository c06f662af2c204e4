"""What lies under the voices of a production: one plan for all of its editions."""

from __future__ import annotations

from typing import Any

from django.db import models

from janoglot.core.mix.cues import SoundPlan, plan_as_json, sound_plan_of
from janoglot.productions.belonging import belongs
from janoglot.productions.models.production import Production


@belongs("production", of_editions_whole=True)
class SoundWorld(models.Model):
    """``plan`` as :func:`janoglot.core.mix.cues.sound_plan_of` takes it; lines, parts and speakers go by ``#`` and
    their ids in it."""

    production = models.OneToOneField(Production, models.CASCADE, related_name="sound_world")
    plan = models.JSONField(default=dict)

    @property
    def core(self) -> SoundPlan:
        return sound_plan_of(self.plan)

    @staticmethod
    def columns(plan: SoundPlan) -> dict[str, Any]:
        return {"plan": plan_as_json(plan)}
