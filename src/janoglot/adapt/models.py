"""The translation memory that was brought in, and terms."""

from __future__ import annotations

from django.db import models

from janoglot.productions.belonging import belongs
from janoglot.productions.models import Production


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
