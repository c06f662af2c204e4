"""Telling whoever keeps an edition that something was made for its lines, or is not there any more."""

from __future__ import annotations

from collections.abc import Collection

from django.db import transaction
from django.db.models import F

from janoglot.productions.models import Edition, Wording


def note_made(edition: Edition, lines: Collection[int]) -> None:
    """Something was made for these lines behind the page: whoever keeps the edition sees to them again."""
    if not lines:
        return
    with transaction.atomic():
        Edition.objects.filter(pk=edition.pk).update(made=F("made") + 1)
        made = Edition.objects.values_list("made", flat=True).get(pk=edition.pk)
        Wording.objects.filter(edition=edition, line__in=lines).update(made=made)
