"""The translation memory that was brought in, terms, and drafting in the background."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.productions.belonging import belongs
from janoglot.productions.models import Edition, Production


@belongs("production")
class MemoryUnit(models.Model):
    """A pair of texts that was brought in. What was approved here is remembered from the wordings themselves."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="memory_units")
    source_language = models.CharField(max_length=35)
    language = models.CharField(max_length=35)
    source = models.TextField()
    text = models.TextField()

    class Meta:
        indexes = [models.Index(fields=["production", "language"])]


@belongs("production")
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
