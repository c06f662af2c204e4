"""The library of sounds: what people brought in or had made, for all of their productions."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone


class LibrarySound(models.Model):
    """A sound that somebody brought in, as 48 kHz FLAC under ``key`` in the store of media, of ``size`` bytes as it was
    sent. Never changed but for what is told about it; what cues are of stays while it is ``retired``, and is offered no
    more. Until it is *ready* its loudness is not known, and nothing can be made of it."""

    class State(models.TextChoices):
        READING = "reading"
        READY = "ready"
        FAILED = "failed"

    # Whoever leaves, what others lay under their voices stays.
    owner = models.ForeignKey(User, models.SET_NULL, null=True, related_name="library_sounds")
    name = models.CharField(max_length=200)
    kind = models.CharField(max_length=20)
    tags = models.JSONField(default=list)
    licence = models.CharField(max_length=300, blank=True)
    key = models.CharField(max_length=60)
    seconds = models.FloatField()
    size = models.BigIntegerField(default=0)
    state = models.CharField(max_length=8, choices=State, default=State.READY)
    fault = models.CharField(max_length=300, blank=True, default="")
    lufs = models.FloatField(null=True)
    true_peak_db = models.FloatField(null=True)
    retired = models.BooleanField(default=False)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name", "id"]


class FavouriteSound(models.Model):
    """A sound that somebody keeps at hand: ``name`` is ``kept/<id>`` of one of the library, or ``shipped/<id>``."""

    user = models.ForeignKey(User, models.CASCADE, related_name="favourite_sounds")
    name = models.CharField(max_length=80)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "name"], name="one_favourite_per_sound")]
