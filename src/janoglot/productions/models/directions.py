"""What was directed of single lines: which take is chosen, and marks on its words."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, ClassVar

from django.db import models

from janoglot.core.edition.from_script import variant_of
from janoglot.core.speech.directing import DirectionMark, marks_of
from janoglot.productions.belonging import belongs
from janoglot.productions.models.lines import Line
from janoglot.productions.models.production import Edition


@belongs("line", "edition")
class LineDirection(models.Model):
    """``variant`` is the take that the producer has chosen of those that the words could have; ``names`` what they
    call takes, by number. ``marks`` are those of :mod:`janoglot.core.speech.directing`, on the words of ``said``: they
    follow their words from there to whatever the line says now.
    """

    SCRIPT_JSON_KEY: ClassVar[str] = "direction"

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="line_directions")
    line = models.ForeignKey(Line, models.CASCADE, related_name="directions")
    variant = models.PositiveIntegerField(default=0)
    names = models.JSONField(default=dict)
    marks = models.JSONField(default=list)
    said = models.TextField(blank=True, default="")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_direction_each")]

    @property
    def core_marks(self) -> tuple[DirectionMark, ...]:
        return tuple(DirectionMark(**mark) for mark in self.marks)

    @property
    def empty(self) -> bool:
        return not (self.variant or self.names or self.marks)

    def script_json(self) -> dict[str, Any] | None:
        """As it is taken out with its production; None where there is nothing to tell."""
        found = {"variant": self.variant, "names": self.names, "marks": self.marks, "said": self.said}
        return {name: value for name, value in found.items() if value} or None

    @classmethod
    def from_script_json(cls, told: dict[str, Any]) -> LineDirection | None:
        """Raises BadInput."""
        said = str(told.get("said", ""))
        marks = marks_of(told.get("marks", []), said)
        names = {str(number): str(name)[:60] for number, name in dict(told.get("names", {})).items()}
        row = cls(variant=variant_of({"direction": told}), names=names, marks=[asdict(one) for one in marks], said=said)
        return None if row.empty else row

    def for_other_edition(self, language: str) -> LineDirection | None:
        """Words of another language have takes of their own."""
        return None
