"""What has been decided of the timing of single lines. Placements follow from it, and are nowhere stored."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar

from django.db import models

from janoglot.core.timing.settings import OwnTiming, checked_line_timing
from janoglot.productions.belonging import Cut, belongs
from janoglot.productions.models.lines import Line
from janoglot.productions.models.production import Edition

if TYPE_CHECKING:
    from janoglot.productions.recorder import Recorder


@belongs("line", "edition")
class LineTiming(models.Model):
    """What one line of one edition has of its own: ``own`` holds fields of the core's LineTiming, by name."""

    SCRIPT_JSON_KEY: ClassVar[str] = "timing"

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="line_timings")
    line = models.ForeignKey(Line, models.CASCADE, related_name="timings")
    own = models.JSONField(default=dict)

    class Meta:
        db_table = "timing_linetiming"
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_timing_each")]

    @property
    def core(self) -> OwnTiming:
        return OwnTiming(**self.own)

    def script_json(self) -> dict[str, Any] | None:
        """As it is taken out with its production."""
        return self.own or None

    @classmethod
    def from_script_json(cls, told: dict[str, Any]) -> LineTiming | None:
        """Raises BadInput."""
        own = checked_line_timing(told)
        return cls(own=own) if own else None

    @classmethod
    def when_split(cls, record: Recorder, rows: Sequence[LineTiming], cut: Cut) -> None:
        """Both halves keep the limits that were set; a length is shared, a place and a pause stay with what comes
        first."""
        both = bool(cut.left and cut.right)
        for row in rows:
            behind = {name: value for name, value in row.own.items() if name not in ("at", "pause", "early")}
            if behind.get("mode") == "pinned":
                behind.pop("mode")
            before = dict(row.own)
            if "seconds" in before and both:
                before["seconds"] = max(0.1, round(row.own["seconds"] * cut.share, 3))
                behind["seconds"] = max(0.1, round(row.own["seconds"] - before["seconds"], 3))
            if not both:
                behind.pop("seconds", None)
            if behind:
                record.create(cls(edition_id=row.edition_id, line=cut.new, own=behind))
            record.update(row, own=before)
