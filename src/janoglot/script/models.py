"""Drafts of scripts on their way in."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models


class ImportDraft(models.Model):
    """A file that was brought in and not yet made a production, with what its owner said about it."""

    user = models.ForeignKey(User, models.CASCADE, related_name="import_drafts")
    filename = models.CharField(max_length=255, blank=True)
    content = models.BinaryField()
    hints = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)
