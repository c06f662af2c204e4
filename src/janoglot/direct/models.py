"""The jobs that make takes and finish sounds."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from janoglot.productions.models import Edition

JOB_KINDS = [("take", "take"), ("finish", "finish")]
JOB_STATES = [("running", "running"), ("stopped", "stopped"), ("done", "done")]


class VoicingJob(models.Model):
    """Making the takes of some wordings in the background, or finishing what is sketched.

    ``kind`` "take" makes takes, with sketches of rich voices; "finish" makes the rich sounds, one line at a
    time.

    ``wordings`` are their ids, worked on in pieces of ``piece_size``; ``pieces_done`` numbers those that were, whatever
    became of their lines since: a job ends, though lines are edited or taken out behind it. ``weights``, along the
    wordings, is how much work each is (characters, or seconds of sound). ``urgent``: somebody waits for it.
    ``faults`` holds, by wording id, why one could not be voiced. ``heartbeat`` as of :mod:`janoglot.server.work`.
    """

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="voicing_jobs")
    kind = models.CharField(max_length=6, choices=JOB_KINDS, default="take")
    user = models.ForeignKey(User, models.SET_NULL, null=True)
    wordings = models.JSONField()
    weights = models.JSONField(default=list)
    piece_size = models.PositiveIntegerField(default=1)
    pieces_done = models.JSONField(default=list)
    urgent = models.BooleanField(default=False)
    begun = models.DateTimeField(null=True)
    heartbeat = models.DateTimeField(null=True)
    faults = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=JOB_STATES, default="running")
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    @property
    def pieces(self) -> range:
        return range(-(-len(self.wordings) // self.piece_size))

    def piece(self, number: int) -> list[int]:
        """The ids of a piece's wordings."""
        found: list[int] = self.wordings[number * self.piece_size: (number + 1) * self.piece_size]
        return found

    @property
    def pieces_left(self) -> list[int]:
        done = set(self.pieces_done)
        return [number for number in self.pieces if number not in done]

    @property
    def lines_done(self) -> int:
        return sum(len(self.piece(number)) for number in self.pieces_done)

    @property
    def share(self) -> float:
        """How much of the work is done, 0 to 1."""
        whole = sum(self.weights)
        if not whole:
            return 0.0 if self.pieces_left else 1.0
        left = sum(sum(self.weights[n * self.piece_size: (n + 1) * self.piece_size]) for n in self.pieces_left)
        return max(0.0, 1.0 - float(left) / float(whole))
