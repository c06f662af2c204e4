"""The recordings of a production."""

from __future__ import annotations

from django.db import models
from django.utils import timezone

from janoglot.productions.belonging import belongs
from janoglot.productions.models.production import Production


@belongs("production", media=("key",))
class Media(models.Model):
    """A recording or video that was brought in. ``key`` names the original in the store of media, by what is in it:
    several rows may refer to the same. The copies that a page plays have names of their own.

    ``facts`` are those of :class:`janoglot.core.media.source.MediaFacts`, ``size`` the original's bytes. How far its
    copies are, the store and the job that makes them tell. Of a production's recordings for one ``purpose``,
    one is ``played``.
    """

    class Purpose(models.TextChoices):
        SOURCE = "source"
        """What the script was written down from."""
        BED = "bed"
        """The source's music and effects without its voices."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="media")
    purpose = models.CharField(max_length=10, choices=Purpose, default=Purpose.SOURCE)
    played = models.BooleanField(default=True)
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=255)
    facts = models.JSONField(default=dict)
    size = models.PositiveBigIntegerField(default=0)
    offset = models.FloatField(null=True)
    """Of a bed: how many seconds later it is than the source's recording, once that is found."""
    sure = models.FloatField(default=0.0)
    """… and how sure that is, 0 to 1."""
    by_hand = models.BooleanField(default=False)
    """Whether somebody has said so: then nothing that is found overrules it."""
    brought = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]

    @property
    def stem(self) -> str:
        return self.key.rpartition(".")[0]

    @property
    def copies(self) -> dict[str, str]:
        """The store's keys of its copies, by what they hold: never the original's own name, which may end in .flac or
        .mp4 too."""
        keys = {}
        if self.facts.get("has_sound"):
            keys["sound"] = f"{self.stem}{COPIES['sound']}"
        if self.facts.get("has_picture"):
            keys["picture"] = f"{self.stem}{COPIES['picture']}"
        return keys


COPIES = {"sound": "-sound.flac", "picture": "-picture.mp4"}
"""What a copy is named by, behind the stem of its original's name."""


SENT = ".sent"
"""The end of the name of a recording as it was sent, until it is decoded."""


def original_stem(key: str) -> str:
    """The stem of the original that a file of the store is, or is made of."""
    stem = key.rpartition(".")[0]
    for ending in COPIES.values():
        stem = stem.removesuffix(ending.rpartition(".")[0])
    return stem
