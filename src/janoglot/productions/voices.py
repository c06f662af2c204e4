"""The whole catalogue: the voices that come with it, and those that people keep. Who may cast which."""

from __future__ import annotations

from collections.abc import Iterable

from django.db.models import Q, QuerySet

from janoglot.core.speech.catalogue import catalogue, voice_named
from janoglot.core.speech.voices import Voice
from janoglot.productions.models import KeptVoice, Production, kept_among
from janoglot.productions.permissions import Anyone


def voice_cast(voice_id: str) -> Voice | None:
    """The voice that a casting names."""
    return catalogue().get(voice_id) or kept_among([voice_id]).get(voice_id)


def kept_for(user: Anyone, production: Production | None) -> QuerySet[KeptVoice]:
    """What this person may cast in this production beside the catalogue: the production's own, and theirs."""
    of_production = Q(production=production) if production else Q(pk=None)
    mine = Q(owner_id=user.pk, production=None) if user.pk else Q(pk=None)
    return KeptVoice.objects.filter(of_production | mine, retired=False)


def newest(rows: Iterable[KeptVoice]) -> list[Voice]:
    """Of each name the newest version."""
    found: dict[tuple[int | None, int | None, str], KeptVoice] = {}
    for row in rows:
        place = (row.production_id, row.owner_id if row.production_id is None else None, row.name)
        if place not in found or found[place].version < row.version:
            found[place] = row
    return [row.core for row in found.values()]


def offered_voice(user: Anyone, production: Production, voice: str) -> Voice:
    """The voice with this id or name, where this person may cast it here. Raises UnknownVoice."""
    if voice in catalogue():
        return catalogue()[voice]
    rows = kept_for(user, production)
    row = rows.filter(pk=voice).first() or rows.filter(name=voice).order_by("-version").first()
    return row.core if row else voice_named(voice)
