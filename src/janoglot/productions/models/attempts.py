"""What somebody asked to be made, under a key of their own: asked again after a lost answer, it is made once."""

from __future__ import annotations

from django.db import models
from django.utils import timezone


class Attempt(models.Model):
    """``key`` is the hash of who asked, where, and under which key; ``status`` and ``body`` are what was answered, once
    it was."""

    key = models.CharField(max_length=64, primary_key=True)
    status = models.PositiveSmallIntegerField(null=True)
    body = models.TextField(blank=True, default="")
    made = models.DateTimeField(default=timezone.now, db_index=True)
