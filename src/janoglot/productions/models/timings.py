"""What has been decided of the timing of single lines. Placements follow from it, and are nowhere stored."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from django.db import models

from janoglot.core.timing.placing import LineTiming as CoreTiming
from janoglot.productions.belonging import Cut, belongs
from janoglot.productions.models.lines import Line
from janoglot.productions.models.production import Edition

if TYPE_CHECKING:
    from janoglot.productions.recorder import Recorder


@belongs("line", "edition")
class LineTiming(models.Model):
    """What one line of one edition has of its own: ``own`` holds fields of the core's LineTiming, by name."""

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="line_timings")
    line = models.ForeignKey(Line, models.CASCADE, related_name="timings")
    own = models.JSONField(default=dict)

    class Meta:
        db_table = "timing_linetiming"
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_timing_each")]

    @property
    def core(self) -> CoreTiming:
        return CoreTiming(**self.own)

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
