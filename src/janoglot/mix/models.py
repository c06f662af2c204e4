"""Mixes: finished tracks under the hash of what they were made from."""

from __future__ import annotations

from django.db import models

from janoglot.productions.models import Edition

MIX_STATES = [("making", "making"), ("ready", "ready"), ("failed", "failed")]


class Mix(models.Model):
    """``report`` holds what was measured of the track itself: seconds, lufs, true_peak_db, short_term."""

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="mixes")
    recipe = models.CharField(max_length=40)
    state = models.CharField(max_length=10, choices=MIX_STATES, default="making")
    share = models.FloatField(default=0.0)
    report = models.JSONField(default=dict)
    fault = models.CharField(max_length=400, blank=True)
    asked = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["edition", "recipe"], name="one_mix_per_recipe")]

    @property
    def key(self) -> str:
        return f"{self.recipe}.wav"
