"""Links that are given away, remarks that come back by them, and approvals."""

from __future__ import annotations

import secrets

from django.contrib.auth.models import User
from django.core.signing import Signer
from django.db import models
from django.utils import timezone

from janoglot.productions.models import Edition, Line, Production

_SIGNER = Signer(salt="review-link")


def new_nonce() -> str:
    return secrets.token_urlsafe(24)


class ReviewLink(models.Model):
    """An address that opens some editions of a production for whoever has it, and nothing else. ``purpose`` is to
    review or to listen; ``name`` says for whom it is; ``interface`` the language of its page. ``passphrase`` is hashed
    as passwords are, "" where none is asked for. The address holds a ``nonce`` that nobody can guess, signed."""

    class Purpose(models.TextChoices):
        REVIEW = "review"
        LISTEN = "listen"

    production = models.ForeignKey(Production, models.CASCADE, related_name="review_links")
    purpose = models.CharField(max_length=8, choices=Purpose, default=Purpose.REVIEW)
    name = models.CharField(max_length=120)
    languages = models.JSONField(default=list)
    lines = models.JSONField(default=list)
    """Ids of the lines that are to be looked at; [] for all of them."""
    interface = models.CharField(max_length=35, default="en")
    nonce = models.CharField(max_length=40, unique=True, default=new_nonce)
    passphrase = models.CharField(max_length=200, blank=True, default="")
    download = models.BooleanField(default=False)
    expires = models.DateTimeField()
    withdrawn = models.DateTimeField(null=True)
    opened = models.DateTimeField(null=True)
    """When it was opened last."""
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]

    @property
    def token(self) -> str:
        return _SIGNER.sign(self.nonce).replace(":", "~")

    @property
    def open(self) -> bool:
        """Whether it still leads anywhere."""
        return self.withdrawn is None and self.expires > timezone.now() and self.production.deleted is None

    @classmethod
    def by_token(cls, token: str) -> ReviewLink | None:
        """The link of an address; None for one that was made up, has expired or was withdrawn. What is not signed here
        is never looked for."""
        from django.core.signing import BadSignature

        try:
            nonce = _SIGNER.unsign(token.replace("~", ":"))
        except BadSignature:
            return None
        found = cls.objects.select_related("production").filter(nonce=nonce).first()
        return found if found and found.open else None


class Remark(models.Model):
    """What a reviewer says of a line, at a moment of it (seconds of the programme), or of the whole.

    ``proposed`` is a better wording, ``sound`` names a spoken remark in the store of what is handed over, where it
    stays (``unreadable`` where nothing can be made of it); ``heard`` is what the recogniser understood of that, in the
    language ``heard_in``. What became of it:
    ``state``, an ``answer``, and who gave it.
    """

    class Kind(models.TextChoices):
        FINE = "fine"
        WORDS = "words"
        DELIVERY = "delivery"
        NAME = "name"
        TIMING = "timing"
        SOUND = "sound"
        WHOLE = "whole"
        """Of no line."""

    class State(models.TextChoices):
        OPEN = "open"
        TAKEN = "taken"
        DONE = "done"

    link = models.ForeignKey(ReviewLink, models.CASCADE, related_name="remarks")
    # What is taken out of a production can be brought back under its number: what was said of it waits.
    edition = models.ForeignKey(Edition, models.DO_NOTHING, related_name="remarks", db_constraint=False)
    line = models.ForeignKey(Line, models.DO_NOTHING, null=True, related_name="remarks", db_constraint=False)
    kind = models.CharField(max_length=10, choices=Kind)
    at = models.FloatField(default=0.0)
    text = models.TextField(blank=True, default="", max_length=2000)
    proposed = models.TextField(blank=True, default="", max_length=2000)
    sound = models.CharField(max_length=64, blank=True, default="")
    unreadable = models.BooleanField(default=False)
    heard = models.TextField(blank=True, default="", max_length=2000)
    heard_in = models.CharField(max_length=35, blank=True, default="")
    recipe = models.CharField(max_length=40, blank=True, default="")
    """The mix that was heard."""
    about = models.TextField(blank=True, default="")
    """What the line said when it was made."""
    state = models.CharField(max_length=6, choices=State, default=State.OPEN)
    answer = models.TextField(blank=True, default="", max_length=2000)
    answered_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    made = models.DateTimeField(default=timezone.now)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["id"]


class Approval(models.Model):
    """A reviewer's yes to an edition as the mix of ``recipe`` had it."""

    link = models.ForeignKey(ReviewLink, models.CASCADE, related_name="approvals")
    edition = models.ForeignKey(Edition, models.DO_NOTHING, related_name="approvals", db_constraint=False)
    recipe = models.CharField(max_length=40)
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["link", "edition"], name="one_approval_per_link")]
