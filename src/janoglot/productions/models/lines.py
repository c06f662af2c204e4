"""What a script is made of: parts, speakers, lines."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.db import models

from janoglot.productions.belonging import belongs
from janoglot.productions.models.production import Production

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager

    from janoglot.productions.models.wordings import Wording


@belongs("production", of_editions_whole=True)
class Part(models.Model):
    """A chapter or scene: a run of lines. ``start_ms`` and ``end_ms``: where it is fixed in the picture.

    ``may_grow``: its picture may be held longer rather than its speech be hurried.
    """

    production = models.ForeignKey(Production, models.CASCADE, related_name="parts")
    name = models.CharField(max_length=120)
    position = models.PositiveIntegerField()
    start_ms = models.PositiveIntegerField(null=True)
    end_ms = models.PositiveIntegerField(null=True)
    may_grow = models.BooleanField(default=False)

    class Meta:
        db_table = "script_part"
        ordering = ["position", "id"]


@belongs("production", of_editions_whole=True)
class Speaker(models.Model):
    """A person in the script."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="speakers")
    # Told apart by case and accents: whether "PILOT" is Pilot is for a person to say.
    name = models.CharField(max_length=120, db_collation="utf8mb4_bin")
    position = models.PositiveIntegerField()
    note = models.CharField(max_length=500, blank=True, default="")
    """Who they are, for whoever casts them."""

    class Meta:
        db_table = "script_speaker"
        ordering = ["position", "id"]
        constraints = [models.UniqueConstraint(fields=["production", "name"], name="one_speaker_per_name")]

    def __str__(self) -> str:
        return self.name


@belongs("production")
class Line(models.Model):
    """One speaker's place in the script; its words are the wordings of the editions.

    ``position`` is a place of :mod:`janoglot.core.script.order`. ``start_ms`` and ``end_ms`` are the slot in
    milliseconds, both or neither. A line *on screen* is read there: translated, and never voiced. ``in_sight``:
    whether the camera sees the mouth; None where nobody has said.
    """

    class Kind(models.TextChoices):
        SPOKEN = "spoken", "spoken"
        ON_SCREEN = "on_screen", "on screen"

    production = models.ForeignKey(Production, models.CASCADE, related_name="lines")
    part = models.ForeignKey(Part, models.SET_NULL, null=True, related_name="lines")
    speaker = models.ForeignKey(Speaker, models.PROTECT, related_name="lines")
    position = models.CharField(max_length=255, db_collation="utf8mb4_bin")
    kind = models.CharField(max_length=10, choices=Kind.choices, default=Kind.SPOKEN)
    in_sight = models.BooleanField(null=True, default=None)
    start_ms = models.PositiveIntegerField(null=True)
    end_ms = models.PositiveIntegerField(null=True)
    notes = models.TextField(blank=True, default="")

    if TYPE_CHECKING:
        wordings: RelatedManager[Wording]

    class Meta:
        db_table = "script_line"
        ordering = ["position", "id"]
        indexes = [models.Index(fields=["production", "position"])]

    @property
    def number(self) -> int:
        """In the script, from 1. Asks the database."""
        earlier = Line.objects.filter(production_id=self.production_id)
        return earlier.filter(models.Q(position__lt=self.position)
                              | models.Q(position=self.position, id__lt=self.pk)).count() + 1

    @property
    def slot(self) -> tuple[float, float] | None:
        """Seconds."""
        if self.start_ms is None or self.end_ms is None:
            return None
        return self.start_ms / 1000, self.end_ms / 1000


def line_numbers(production_id: int) -> dict[int, int]:
    """By line id, its number in the script, from 1."""
    ids = Line.objects.filter(production_id=production_id).values_list("id", flat=True)
    return {pk: number for number, pk in enumerate(ids, 1)}
