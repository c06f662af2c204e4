"""Guide reads: how a person said a line, for the cast voice to follow."""

from __future__ import annotations

from typing import Any, ClassVar

from django.db import models
from django.utils import timezone

from janoglot.core.edition.from_script import guide_told
from janoglot.core.speech.engines.base import Guide
from janoglot.core.speech.recipe_json import guide_from_json
from janoglot.productions.belonging import belongs
from janoglot.productions.models.lines import Line
from janoglot.productions.models.production import Edition


@belongs("line", "edition", free=("words", "by_word", "heard", "faults", "state"), media=("key",))
class GuideRead(models.Model):
    """``key`` names the recording in the store of media, "" where it was deleted; it is never handed over. ``words``:
    what was found in it (:class:`janoglot.core.speech.engines.base.GuideWord`), for the words that the line ``said``
    then. ``timing``, ``melody`` and ``energy``: how much of each is followed, 0 to 1.
    """

    SCRIPT_JSON_KEY: ClassVar[str] = "guide"

    class State(models.TextChoices):
        READING = "reading"
        READY = "ready"

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="guides")
    line = models.ForeignKey(Line, models.CASCADE, related_name="guides")
    key = models.CharField(max_length=64, blank=True, default="")
    name = models.CharField(max_length=255, blank=True, default="")
    language = models.CharField(max_length=35, blank=True, default="")
    """BCP 47, of the recording; "" is the edition's own."""
    state = models.CharField(max_length=8, choices=State, default=State.READING)
    words = models.JSONField(default=list)
    by_word = models.BooleanField(default=False)
    heard = models.TextField(blank=True, default="")
    faults = models.JSONField(default=list)
    said = models.TextField(blank=True, default="")
    timing = models.FloatField(default=1.0)
    melody = models.FloatField(default=1.0)
    energy = models.FloatField(default=1.0)
    brought = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_guide_each")]

    def core_for(self, words: str) -> Guide:
        """What a line that says ``words`` follows: nothing where they are others than then."""
        if " ".join(words.split()) != " ".join(self.said.split()):
            return Guide()
        return guide_from_json({"words": self.words, "timing": self.timing, "melody": self.melody,
                                "energy": self.energy})

    def script_json(self) -> dict[str, Any] | None:
        """As it is taken out with its production: what is followed, without the person's own sound."""
        if not self.words:
            return None
        return {"words": self.words, "said": self.said, "timing": self.timing, "melody": self.melody,
                "energy": self.energy, "by_word": self.by_word}

    @classmethod
    def from_script_json(cls, told: dict[str, Any]) -> GuideRead | None:
        """Raises BadInput."""
        said = str(told.get("said", ""))
        guide = guide_told({"guide": told}, said)
        if not guide.words:
            return None
        return cls(words=told["words"], said=said, timing=guide.timing, melody=guide.melody, energy=guide.energy,
                   by_word=told.get("by_word") is True, state=cls.State.READY)

    def for_other_edition(self, language: str) -> GuideRead | None:
        """Another language's words are not where these are."""
        return None

    @staticmethod
    def when_split(record: Any, rows: Any, cut: Any) -> None:
        """What was said in one go is no guide for either half."""
        record.delete_all(list(rows))
