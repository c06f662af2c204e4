"""Takes, and the jobs that make them."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.core.speech.takes import Take as CoreTake
from janoglot.core.speech.takes import WordMark
from janoglot.productions.models import Edition

QUALITIES = [("sketch", "sketch"), ("finish", "finish")]
JOB_KINDS = [("take", "take"), ("finish", "finish")]
JOB_STATES = [("running", "running"), ("stopped", "stopped"), ("done", "done")]


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


class VoicingJob(models.Model):
    """Making the takes of some wordings in the background, or finishing what is sketched.

    ``kind`` "take" makes takes, with sketches of rich voices; "finish" makes the rich sounds, one line at a
    time. ``seconds`` is how much finished sound that will be, ``seconds_done`` how much is there.

    ``wordings`` are their ids; which of them are done is seen by their takes, so a job that was cut off
    goes on by itself. ``faults`` holds, by wording id, why one could not be voiced.
    """

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="voicing_jobs")
    kind = models.CharField(max_length=6, choices=JOB_KINDS, default="take")
    seconds = models.FloatField(default=0)
    seconds_done = models.FloatField(default=0)
    user = models.ForeignKey(User, models.SET_NULL, null=True)
    wordings = models.JSONField()
    characters = models.PositiveIntegerField(default=0)
    characters_done = models.PositiveIntegerField(default=0)
    lines_done = models.PositiveIntegerField(default=0)
    faults = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=JOB_STATES, default="running")
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
