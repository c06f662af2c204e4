"""What has been decided of the timing of single lines, and the recording that it goes by.

Placements follow from the one, and are nowhere stored.
"""

from __future__ import annotations

from django.db import models

from janoglot.core.timing.placing import LineTiming as CoreTiming
from janoglot.productions.models import Edition, Production
from janoglot.script.models import Line

MEDIA_STATES = [("making", "making"), ("ready", "ready"), ("failed", "failed")]


class LineTiming(models.Model):
    """What one line of one edition has of its own: ``own`` holds fields of the core's LineTiming, by name."""

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="line_timings")
    line = models.ForeignKey(Line, models.CASCADE, related_name="timings")
    own = models.JSONField(default=dict)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_timing_each")]

    @property
    def core(self) -> CoreTiming:
        return CoreTiming(**self.own)


class SourceMedia(models.Model):
    """The recording or video that a production was made from. Copies to play and to draw lie under ``key``.

    ``facts`` are those of :class:`janoglot.core.media.source.MediaFacts`.
    """

    production = models.OneToOneField(Production, models.CASCADE, related_name="source_media")
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=255)
    facts = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=MEDIA_STATES, default="making")
    fault = models.CharField(max_length=400, blank=True)
    heartbeat = models.DateTimeField(null=True)
    brought = models.DateTimeField(auto_now_add=True)

    @property
    def stem(self) -> str:
        return self.key.rpartition(".")[0]

    @property
    def sound_key(self) -> str:
        """Of the copy to play and draw: never the original's own name, which may end in .flac or .mp4 too."""
        return f"{self.stem}-sound.flac"

    @property
    def picture_key(self) -> str:
        return f"{self.stem}-picture.mp4"
