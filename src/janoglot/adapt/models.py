"""Wordings: one line's text in one edition."""

from __future__ import annotations

from django.db import models

from janoglot.productions.models import Edition
from janoglot.script.models import Line

LONGEST = 4000


class Wording(models.Model):
    """``text`` as it is spoken; ``state`` says how far it is (empty text is state *empty*).

    ``take`` is the hash of the take chosen last. Whether that still matches is never stored: it is a
    comparison with the hash of what the take would be made from now. ``revision`` counts the edits, so
    that the second of two people is told.
    """

    class State(models.TextChoices):
        EMPTY = "empty", "empty"
        DRAFT = "draft", "draft"
        EDITED = "edited", "edited"
        APPROVED = "approved", "approved"

    line = models.ForeignKey(Line, models.CASCADE, related_name="wordings")
    edition = models.ForeignKey(Edition, models.CASCADE, related_name="wordings")
    text = models.TextField(blank=True, max_length=LONGEST)
    state = models.CharField(max_length=10, choices=State.choices, default=State.EMPTY)
    revision = models.PositiveIntegerField(default=1)
    take_id = models.CharField(max_length=40, blank=True, default="")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["line", "edition"], name="one_wording_each")]
        indexes = [models.Index(fields=["edition", "line"])]
