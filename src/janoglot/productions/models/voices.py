"""Voices that people keep."""

from __future__ import annotations

import secrets
from collections.abc import Collection

from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.voices import Voice
from janoglot.productions.models.production import Production


def new_voice_id() -> str:
    return f"kept-{secrets.token_hex(8)}"


class KeptVoice(models.Model):
    """A row of the catalogue that people made: of one of the voices that come with it, set as a speaker had it.

    It belongs to a ``production``, or to its ``owner`` in all of theirs. It is never changed, so that whatever was cast
    with it sounds as it did: keeping the same name again makes another ``version``. One that is ``retired`` is offered
    no more. ``made_of`` is :meth:`janoglot.core.speech.voices.Voice.as_json`.
    """

    id = models.CharField(max_length=40, primary_key=True, default=new_voice_id)
    name = models.CharField(max_length=60, db_collation="utf8mb4_bin")
    version = models.PositiveIntegerField(default=1)
    # Whoever leaves, what others have cast stays as it is.
    owner = models.ForeignKey(User, models.SET_NULL, null=True, related_name="kept_voices")
    production = models.ForeignKey(Production, models.SET_NULL, null=True, related_name="kept_voices")
    made_of = models.JSONField()
    retired = models.BooleanField(default=False)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name", "-version"]

    @property
    def core(self) -> Voice:
        return Voice.from_json({**self.made_of, "id": self.id, "name": self.name, "version": self.version})


def kept_among(ids: Collection[str]) -> dict[str, Voice]:
    """Those of these ids that people keep, whoever may cast them: what is cast is heard by everybody."""
    beyond = set(ids) - catalogue().keys() - {""}
    return {row.pk: row.core for row in KeptVoice.objects.filter(pk__in=beyond)} if beyond else {}
