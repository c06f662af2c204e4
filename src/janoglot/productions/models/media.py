"""The recording that a production was made from."""

from __future__ import annotations

from django.db import models

from janoglot.productions.belonging import belongs
from janoglot.productions.models.production import Production

MEDIA_STATES = [("making", "making"), ("ready", "ready"), ("failed", "failed")]


@belongs("production", free=("state", "fault"))
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
    brought = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "timing_sourcemedia"

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
