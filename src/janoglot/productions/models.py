"""Productions, their editions, their members, and the record of what was done."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib.auth.models import User
from django.db import models

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


class Role(models.TextChoices):
    """What a member may do: everything; change the work; read and listen."""

    OWNER = "owner", "owner"
    EDITOR = "editor", "editor"
    READER = "reader", "reader"


class Production(models.Model):
    """One script and all its languages."""

    name = models.CharField(max_length=200)
    source_language = models.CharField(max_length=35)
    target_lufs = models.FloatField(default=-16.0)
    created = models.DateTimeField(auto_now_add=True)
    members = models.ManyToManyField(User, through="Membership", related_name="productions")

    if TYPE_CHECKING:
        editions: RelatedManager[Edition]
        memberships: RelatedManager[Membership]

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    production = models.ForeignKey(Production, models.CASCADE, related_name="memberships")
    user = models.ForeignKey(User, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "user"], name="one_membership_each")]


class Edition(models.Model):
    """The production in one language; the source is one too. Rates are multiples of the natural speed."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="editions")
    language = models.CharField(max_length=35)
    position = models.PositiveIntegerField(default=0)
    comfortable_fast = models.FloatField(default=1.15)
    hard_fast = models.FloatField(default=1.35)
    pace = models.FloatField(default=1.0)

    class Meta:
        ordering = ["position", "id"]
        constraints = [models.UniqueConstraint(fields=["production", "language"], name="one_edition_per_language")]

    def __str__(self) -> str:
        return f"{self.production} · {self.language}"

    @property
    def is_source(self) -> bool:
        return self.language == self.production.source_language


class ActionRecord(models.Model):
    """One named action: who did it, when, and what puts it back.

    ``changes`` is a list of ``{"model", "id", "before", "after"}`` in the order in which they were made;
    ``before`` null is a creation, ``after`` null a deletion.
    """

    production = models.ForeignKey(Production, models.CASCADE, related_name="records")
    user = models.ForeignKey(User, models.SET_NULL, null=True)
    name = models.CharField(max_length=60)
    summary = models.CharField(max_length=300)
    changes = models.JSONField(default=list)
    at = models.DateTimeField(auto_now_add=True)
    undone = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
