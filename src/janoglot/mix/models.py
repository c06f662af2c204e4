"""Mixes: finished tracks under the hash of what they were made from."""

from __future__ import annotations

from django.db import models

from janoglot.productions.models import Edition

MIX_STATES = [("making", "making"), ("ready", "ready"), ("failed", "failed")]


class Mix(models.Model):
    """``report`` holds what was measured of the track itself: seconds, lufs, true_peak_db, short_term; and how many
    of its lines are heard as ``sketches``. ``heartbeat`` as of :mod:`janoglot.server.work`."""

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="mixes")
    recipe = models.CharField(max_length=40)
    state = models.CharField(max_length=10, choices=MIX_STATES, default="making")
    share = models.FloatField(default=0.0)
    report = models.JSONField(default=dict)
    fault = models.CharField(max_length=400, blank=True)
    asked = models.DateTimeField(auto_now=True)
    heartbeat = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["edition", "recipe"], name="one_mix_per_recipe")]

    @property
    def key(self) -> str:
        return f"{self.recipe}.wav"

    @property
    def plan_key(self) -> str:
        """Of what it is made by, in the same store."""
        return f"{self.recipe}.plan"
