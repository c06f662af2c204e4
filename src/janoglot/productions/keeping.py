"""How much recordings may take, and which of them nothing needs any more."""

from __future__ import annotations

import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from janoglot.core.errors import JanoglotError
from janoglot.productions.models import ActionRecord, Membership, Production, Role, SourceMedia
from janoglot.server.storage import media

_GRACE = 24 * 3600.0
"""Seconds. What is so new may be on its way in."""
_ACTS = ("bring_source_media", "take_out_source_media")


class NoRoom(JanoglotError):
    code = "quota"


def require_room(production: Production, size: int) -> None:
    """Raises NoRoom, before anything is read, where ``size`` bytes more would be over the quota of whoever owns the
    production."""
    owner = Membership.objects.filter(production=production, role=Role.OWNER).values("user")
    rows = SourceMedia.objects.filter(production__memberships__user__in=owner, production__memberships__role=Role.OWNER)
    held = sum(_size(key) for key in set(rows.exclude(production=production).values_list("key", flat=True)))
    if held + size > settings.MEDIA_QUOTA:
        raise NoRoom("Your recordings hold {held:.1f} of {most:.1f} GB; this one has {size:.1f}. Take one out first.",
                     held=held / 1024**3, most=settings.MEDIA_QUOTA / 1024**3, size=size / 1024**3)


def tidy_media(really: bool = True) -> dict[str, int]:
    """Delete recordings, and the copies of them, that no production has and no undo of the last days could bring back.

    Gives the bytes of each; ``really`` False only says what would go.
    """
    needed = set(SourceMedia.objects.values_list("key", flat=True))
    since = timezone.now() - timedelta(days=settings.KEPT_DAYS)
    for changes in ActionRecord.objects.filter(name__in=_ACTS, at__gte=since).values_list("changes", flat=True):
        needed |= {row["key"] for change in changes for row in (change["before"], change["after"])
                   if row and row.get("key")}
    stems = {Path(key).stem for key in needed}
    freed: dict[str, int] = {}
    root = media().root
    for place in root.glob("*/*") if root.is_dir() else []:
        stem = place.stem.removesuffix("-sound").removesuffix("-picture")
        if stem in stems or not place.is_file() or time.time() - place.stat().st_mtime < _GRACE:
            continue
        freed[place.name] = place.stat().st_size
        if really:
            place.unlink(missing_ok=True)
    return freed


def _size(key: str) -> int:
    try:
        return media().path(key).stat().st_size
    except FileNotFoundError:
        return 0
