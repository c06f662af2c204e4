"""Saying that a line is right as it sounds."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from janoglot.productions.made import note_made
from janoglot.productions.models import Edition, HeardBack
from janoglot.productions.permissions import Anyone, require_change, signed_in


def say_right(user: Anyone, edition: Edition, line: int, heard: HeardBack, right: bool) -> None:
    """``right`` as it sounds, whatever the recogniser heard; or not after all. It is kept for the sound, and says
    nothing of another."""
    require_change(user, edition.production)
    with transaction.atomic():
        heard.right_by = signed_in(user) if right else None
        heard.right_at = timezone.now() if right else None
        heard.save(update_fields=["right_by", "right_at"])
        note_made(edition, [line])
