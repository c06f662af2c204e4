"""Wordings: one line's text in one edition."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.productions.models import Edition, Production
from janoglot.script.models import Line

LONGEST = 4000


ORIGINS = [("", "a person"), ("memory", "translation memory"), ("engine", "drafting engine"), ("captions", "captions"),
           ("file", "a file"), ("edition", "another edition")]


class Wording(models.Model):
    """``text`` as it is spoken; ``state`` says how far it is (empty text is state *empty*).

    ``take`` is the hash of the take chosen last. Whether that still matches is never stored: it is a
    comparison with the hash of what the take would be made from now. ``revision`` counts the edits, so
    that the second of two people is told.

    ``worded_from`` is what the source said when these words were written or approved last. ``origin`` says where they
    came from before anybody touched them. ``doubt`` is what their origin was unsure of: ``words`` that the drafting
    engine did not know, ``score`` of a memory match, ``alignment`` of translated captions.
    ``changed_by`` and ``changed_at``: who gave the wording its present state, and when.
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
    worded_from = models.TextField(blank=True, default="")
    origin = models.CharField(max_length=10, blank=True, default="", choices=ORIGINS)
    doubt = models.JSONField(default=dict)
    changed_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    changed_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["line", "edition"], name="one_wording_each")]
        indexes = [models.Index(fields=["edition", "line"])]


class MemoryUnit(models.Model):
    """A pair of texts that was brought in. What was approved here is remembered from the wordings themselves."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="memory_units")
    source_language = models.CharField(max_length=35)
    language = models.CharField(max_length=35)
    source = models.TextField()
    text = models.TextField()

    class Meta:
        indexes = [models.Index(fields=["production", "language"])]


class Term(models.Model):
    """How a term of the source is to be said in a language, or that a word must not be used there.

    A forbidden word has no ``source``: ``text`` is what is not to be said.
    """

    production = models.ForeignKey(Production, models.CASCADE, related_name="terms")
    language = models.CharField(max_length=35)
    source = models.CharField(max_length=200, blank=True)
    text = models.CharField(max_length=200, blank=True)
    forbidden = models.BooleanField(default=False)
    note = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["source", "text", "id"]
        indexes = [models.Index(fields=["production", "language"])]


class DraftingJob(models.Model):
    """Drafting some lines of an edition in the background. ``reports`` counts lines by what became of them."""

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="drafting_jobs")
    user = models.ForeignKey(User, models.SET_NULL, null=True)
    lines = models.JSONField()
    lines_done = models.PositiveIntegerField(default=0)
    reports = models.JSONField(default=dict)
    state = models.CharField(max_length=10, default="running")
    heartbeat = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
