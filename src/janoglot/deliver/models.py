"""What was handed over, or is about to be."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.productions.models import Edition, Production


class HandOver(models.Model):
    """A file that was asked for: ``deliverable`` names what it is (of the core's registry), ``key`` the file in the
    store of what is handed over, by everything that is in it; ``name`` what it is called when it is saved. How far it
    is, the store and its job tell. ``report`` holds what was measured of it once it is made."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="hand_overs")
    edition = models.ForeignKey(Edition, models.CASCADE, null=True, related_name="hand_overs")
    deliverable = models.CharField(max_length=24)
    key = models.CharField(max_length=60)
    name = models.CharField(max_length=200)
    report = models.JSONField(default=dict)
    user = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    asked = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-asked", "-id"]
        constraints = [models.UniqueConstraint(fields=["production", "key", "name"], name="one_hand_over_of_a_file")]

    @property
    def order_key(self) -> str:
        """Of what it is made by, in the same store."""
        return f"{self.key.partition('.')[0]}.order"
