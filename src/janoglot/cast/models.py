"""Voices that somebody keeps at hand."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models


class Favourite(models.Model):
    """A voice that somebody keeps at hand."""

    user = models.ForeignKey(User, models.CASCADE, related_name="favourite_voices")
    voice = models.CharField(max_length=80)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "voice"], name="one_favourite_each")]
