"""Takes, and the jobs that make them."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.core.speech.takes import Take as CoreTake
from janoglot.core.speech.takes import WordMark
from janoglot.productions.models import Edition

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

    @classmethod
    def of(cls, take: CoreTake, voice: str) -> Take:
        return cls(hash=take.hash, seconds=take.seconds, rate=take.rate, lufs=take.lufs, voice=voice,
                   words=[[m.start, m.end, m.at, m.length] for m in take.words])

    def core(self) -> CoreTake:
        return CoreTake(self.hash, self.seconds, self.rate, self.lufs, tuple(WordMark(*mark) for mark in self.words))


class VoicingJob(models.Model):
    """Making the takes of some wordings in the background.

    ``wordings`` are their ids; which of them are done is seen by their takes, so a job that was cut off
    goes on by itself. ``faults`` holds, by wording id, why one could not be voiced.
    """

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="voicing_jobs")
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
