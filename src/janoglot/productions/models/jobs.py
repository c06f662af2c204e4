"""Work in the background: one kind of row, whatever is done."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

from janoglot.productions.models.production import Edition, Production

JOB_STATES = [("running", "running"), ("stopped", "stopped"), ("done", "done"), ("failed", "failed")]


class Job(models.Model):
    """Something that is made behind the page: takes, finished sounds, drafts, a mix, copies of a recording, measures,
    packages. What each ``kind`` does is registered with :mod:`janoglot.productions.jobs`.

    ``items`` are what it works on (ids of lines, names of voices), in pieces of ``piece_size``, each a task of its own;
    ``pieces_done`` numbers those that were worked on, whatever became of their items since: a job ends, though lines
    are edited or taken out behind it. ``weights``, along the items, is how much work each is, and so what the job
    costs. ``share`` is how much of a single piece is done, for work that cannot be cut. ``faults`` holds, by item, why
    one could not be made, ``fault`` why nothing could; ``report`` what came of it. ``subject`` names what it is about
    where that is not its items. ``queue`` is its priority. ``tries`` counts how often it was handed out again with
    nothing done in between. ``heartbeat`` as of :mod:`janoglot.server.work`.
    """

    kind = models.CharField(max_length=12)
    production = models.ForeignKey(Production, models.CASCADE, null=True, related_name="jobs")
    edition = models.ForeignKey(Edition, models.CASCADE, null=True, related_name="jobs")
    subject = models.CharField(max_length=120, blank=True, default="")
    user = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    queue = models.CharField(max_length=8)
    items = models.JSONField(default=list)
    weights = models.JSONField(default=list)
    piece_size = models.PositiveIntegerField(default=1)
    pieces_done = models.JSONField(default=list)
    share = models.FloatField(default=0.0)
    faults = models.JSONField(default=dict)
    fault = models.CharField(max_length=400, blank=True, default="")
    report = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=JOB_STATES, default="running")
    tries = models.PositiveSmallIntegerField(default=0)
    heartbeat = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    begun = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["state", "kind"]), models.Index(fields=["kind", "subject"])]

    @property
    def pieces(self) -> range:
        return range(-(-len(self.items) // self.piece_size))

    def piece(self, number: int) -> list[Any]:
        """A piece's items."""
        found: list[Any] = self.items[number * self.piece_size: (number + 1) * self.piece_size]
        return found

    @property
    def pieces_left(self) -> list[int]:
        done = set(self.pieces_done)
        return [number for number in self.pieces if number not in done]

    @property
    def items_done(self) -> int:
        return sum(len(self.piece(number)) for number in self.pieces_done)

    @property
    def cost(self) -> float:
        """How much work it is in all, in the kind's own measure."""
        return float(sum(self.weights)) if self.weights else float(len(self.items))

    @property
    def done_share(self) -> float:
        """How much of the work is done, 0 to 1."""
        left = self.pieces_left
        if not left:
            return 1.0
        weights: Sequence[float] = self.weights or [1.0] * len(self.items)
        of_pieces = [sum(weights[n * self.piece_size: (n + 1) * self.piece_size]) for n in left]
        undone = sum(of_pieces) - (of_pieces[0] * self.share if len(left) == 1 else 0.0)
        return max(0.0, 1.0 - undone / self.cost) if self.cost else 0.0

    def seconds_left(self, now: datetime | None = None) -> float | None:
        """By how long it took so far; None before anything can be said."""
        share = self.done_share
        if self.state != "running" or not share or self.begun is None:
            return None
        return ((now or timezone.now()) - self.begun).total_seconds() * (1 - share) / share
