"""Takes, and the sounds that were made of them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from janoglot.core.speech.takes import Take as CoreTake
from janoglot.core.speech.takes import WordMark

QUALITIES = [("sketch", "sketch"), ("finish", "finish")]


class Take(models.Model):
    """One spoken version of one wording, under the hash of what it was made from. Never changed."""

    hash = models.CharField(max_length=40, primary_key=True)
    seconds = models.FloatField()
    rate = models.PositiveIntegerField()
    lufs = models.FloatField()
    words = models.JSONField()
    """``[[start, end, at, length], …]``: seconds, seconds, characters, characters."""
    voice = models.CharField(max_length=80)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "direct_take"

    @property
    def lengths_only(self) -> bool:
        """Whether it is a rich voice's, whose sounds are kept apart, one for each length."""
        return self.rate == 0

    @classmethod
    def of(cls, take: CoreTake, voice: str) -> Take:
        return cls(hash=take.hash, seconds=take.seconds, rate=take.rate, lufs=take.lufs, voice=voice,
                   words=[[m.start, m.end, m.at, m.length] for m in take.words])

    def core(self) -> CoreTake:
        return CoreTake(self.hash, self.seconds, self.rate, self.lufs, tuple(WordMark(*mark) for mark in self.words))


class Sound(models.Model):
    """A sound of a take whose lengths were known before it: as a sketch, or finished, at one played length.

    ``key`` is the store's, made from everything that the sound was.
    """

    key = models.CharField(max_length=44, primary_key=True)
    take = models.ForeignKey(Take, models.CASCADE, related_name="sounds")
    seconds = models.FloatField()
    quality = models.CharField(max_length=6, choices=QUALITIES)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "direct_sound"


class HeardBack(models.Model):
    """What the recogniser understood of a finished sound, once for each; what a person said of it stays with it.

    ``key`` is the sound's. ``otherwise`` has the words that were heard otherwise: ``[[at, length, heard], …]``.
    """

    key = models.CharField(max_length=44, primary_key=True)
    take = models.ForeignKey(Take, models.CASCADE, related_name="heard")
    language = models.CharField(max_length=40)
    text = models.TextField()
    error = models.FloatField()
    """The share of its sounds that were heard otherwise."""
    otherwise = models.JSONField()
    version = models.CharField(max_length=60)
    """Of the recogniser and of how it is held against the words."""
    right_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    """Who has said that it is right as it sounds."""
    right_at = models.DateTimeField(null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "direct_heard_back"
