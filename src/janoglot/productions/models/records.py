"""The record of what was done."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.productions.models.production import Production


class ActionRecord(models.Model):
    """One named action: who did it, when, and what puts it back.

    ``details`` fills the sentence that says what it was. ``stamp`` is the production's when it was done, undone
    or redone last.

    ``undone_by`` took it back and may do it again, until a new change of theirs: then it is ``abandoned``.

    ``changes`` is a list of ``{"model", "id", "before", "after"}`` in the order in which they were made;
    ``before`` null is a creation, ``after`` null a deletion.
    """

    production = models.ForeignKey(Production, models.CASCADE, related_name="records")
    user = models.ForeignKey(User, models.SET_NULL, null=True)
    undone_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    abandoned = models.BooleanField(default=False)
    name = models.CharField(max_length=60)
    summary = models.CharField(max_length=300)
    details = models.JSONField(default=dict)
    stamp = models.PositiveBigIntegerField(default=0)
    changes = models.JSONField(default=list)
    at = models.DateTimeField(auto_now_add=True)
    undone = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["production", "stamp"])]
