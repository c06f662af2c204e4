"""Productions, their editions and their members."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib.auth.models import User
from django.db import models

from janoglot.productions.belonging import belongs

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager

    from janoglot.productions.models.lines import Part


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
    commercial = models.BooleanField(default=False)
    """Whether it is to be used commercially, so that every voice has to allow that."""
    cast_from = models.CharField(max_length=10, blank=True, default="",
                                 choices=[("", "as measured"), ("natives", "natives"), ("rich", "rich")])
    """Whom to cast where no rich voice is at home (:data:`janoglot.core.speech.casting.CastFrom`)."""
    fps = models.FloatField(default=25.0)
    """Frames a second of the picture."""
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    archived = models.BooleanField(default=False)
    """Out of the way, and otherwise as it was."""
    deleted = models.DateTimeField(null=True)
    """When its owner took it away: kept for a while, and brought back at will."""
    stamp = models.PositiveBigIntegerField(default=0)
    """Counts every change, undone and redone ones too: who knows one stamp is told what came after it."""
    members = models.ManyToManyField(User, through="Membership", related_name="productions")

    if TYPE_CHECKING:
        editions: RelatedManager[Edition]
        parts: RelatedManager[Part]
        memberships: RelatedManager[Membership]

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    production = models.ForeignKey(Production, models.CASCADE, related_name="memberships")
    user = models.ForeignKey(User, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "user"], name="one_membership_each")]


ADDRESSES = [("", "as it comes"), ("formal", "formal"), ("informal", "informal")]


@belongs("production", free=("made",), of_editions_whole=True)
class Edition(models.Model):
    """The production in one language; the source is one too.

    ``timing`` holds what was set of :class:`janoglot.core.timing.placing.TimingSettings`, by name; beside them
    ``speakers``: by speaker id, the rates of that voice alone. ``address`` is how people are addressed, a note
    that travels with the wordings; ``brief`` is what else whoever adapts should know.
    """

    production = models.ForeignKey(Production, models.CASCADE, related_name="editions")
    language = models.CharField(max_length=35)
    position = models.PositiveIntegerField(default=0)
    timing = models.JSONField(default=dict)
    address = models.CharField(max_length=10, blank=True, default="", choices=ADDRESSES)
    brief = models.TextField(blank=True, default="", max_length=2000)
    made = models.PositiveBigIntegerField(default=0)
    """Counts what was made for it behind the page: who knows one count is told what came after it."""

    class Meta:
        ordering = ["position", "id"]
        constraints = [models.UniqueConstraint(fields=["production", "language"], name="one_edition_per_language")]

    def __str__(self) -> str:
        return f"{self.production} · {self.language}"

    @property
    def is_source(self) -> bool:
        return self.language == self.production.source_language
