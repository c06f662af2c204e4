"""Mixes: finished tracks under the hash of what they were made from."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.productions.models import Edition


class Mix(models.Model):
    """A mix that was asked for; how far it is, its job tells. ``report`` holds what was measured of the track itself,
    once it is made, by the names of :class:`janoglot.core.mix.blocks.MixReport`; its ``channels``; and how many of its
    lines are heard as ``sketches``."""

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="mixes")
    recipe = models.CharField(max_length=40)
    report = models.JSONField(default=dict)
    asked = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["edition", "recipe"], name="one_mix_per_recipe")]

    @property
    def key(self) -> str:
        """Of what it is of, block by block, in the store of mixes."""
        return f"{self.recipe}.mix"

    @property
    def plan_key(self) -> str:
        """Of what it is made by, in the same store."""
        return f"{self.recipe}.plan"


class AwaitedMix(models.Model):
    """That an edition is to be mixed as soon as everything of it is finished, and who wants it."""

    edition = models.OneToOneField(Edition, models.CASCADE, related_name="awaited_mix")
    user = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
