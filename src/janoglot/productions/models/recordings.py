"""A person's own takes: those that wait in an edition to be given to their lines, and those that lines have."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from janoglot.core.edition.model import RecordedTake
from janoglot.productions.belonging import belongs
from janoglot.productions.models.lines import Line
from janoglot.productions.models.production import Edition
from janoglot.productions.models.takes import Take


@belongs("edition", free=("seconds", "state", "listened", "heard", "faults"), media=("key",))
class WaitingRecording(models.Model):
    """A recording that was brought in with others and is no line's yet. ``key`` names it in the store of media.
    ``heard`` is what the recogniser understood of it, where it has ``listened``."""

    class State(models.TextChoices):
        LISTENING = "listening"
        READY = "ready"

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="waiting_recordings")
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=255)
    seconds = models.FloatField(default=0.0)
    state = models.CharField(max_length=10, choices=State, default=State.LISTENING)
    listened = models.BooleanField(default=False)
    heard = models.TextField(blank=True, default="")
    faults = models.JSONField(default=list)
    brought = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]

    def for_other_edition(self, language: str) -> WaitingRecording | None:
        """Nobody has said another language's words in it."""
        return None


@belongs("line", "edition", free=("state", "listened", "heard", "faults", "take_id"), media=("key",))
class LineRecording(models.Model):
    """A person's own take of a line, used as it is. ``key`` names the recording in the store of media; ``take`` is what
    was prepared of it for the words that it ``said`` then. ``stretch``: it may be played quicker or slower to fit.
    ``cleaned``: its steady noise is taken down."""

    class State(models.TextChoices):
        READING = "reading"
        READY = "ready"
        FAILED = "failed"

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="line_recordings")
    line = models.ForeignKey(Line, models.CASCADE, related_name="recordings")
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=255, blank=True, default="")
    said = models.TextField(blank=True, default="")
    stretch = models.BooleanField(default=False)
    cleaned = models.BooleanField(default=False)
    take = models.ForeignKey(Take, models.SET_NULL, null=True, related_name="+")
    state = models.CharField(max_length=8, choices=State, default=State.READING)
    listened = models.BooleanField(default=False)
    heard = models.TextField(blank=True, default="")
    faults = models.JSONField(default=list)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    brought = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_recording_each")]

    @property
    def core(self) -> RecordedTake:
        return RecordedTake(self.take_id or "", self.said, self.stretch)

    def script_json(self) -> dict[str, Any] | None:
        """A script tells of no sounds."""
        return None

    def for_other_edition(self, language: str) -> LineRecording | None:
        """Nobody has said another language's words in it."""
        return None

    @staticmethod
    def when_split(record: Any, rows: Any, cut: Any) -> None:
        """Who cuts before the first word or behind the last has moved all of them: their recording goes along. What was
        said in one go is no take of either half otherwise; it waits in its edition, to be given to one of them."""
        if cut.left and cut.right:
            record.create_all([WaitingRecording(
                edition=row.edition, key=row.key, name=row.name or f"{cut.line.number}",
                state=WaitingRecording.State.READY, listened=row.listened, heard=row.heard, faults=row.faults)
                for row in rows])
        if cut.left and not cut.right:
            return
        moved = [LineRecording(edition=row.edition, line=cut.new, key=row.key, name=row.name, said=row.said,
                               stretch=row.stretch, cleaned=row.cleaned, take_id=row.take_id, state=row.state,
                               listened=row.listened, heard=row.heard, faults=row.faults, by_id=row.by_id,
                               brought=row.brought) for row in rows] if cut.right and not cut.left else []
        record.delete_all(list(rows))
        record.create_all(moved)
