"""Take a production away, bring it back, and at last let it go."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from janoglot.productions.models import Production
from janoglot.productions.permissions import Anyone, require_owner


def delete_production(user: Anyone, production: Production) -> None:
    """Nobody sees it any more; for ``KEPT_DAYS`` it can be brought back whole. Raises PermissionDenied."""
    require_owner(user, production)
    Production.objects.filter(pk=production.pk, deleted=None).update(deleted=timezone.now())


def bring_back(user: Anyone, production: Production) -> None:
    """Raises PermissionDenied."""
    require_owner(user, production)
    Production.objects.filter(pk=production.pk).update(deleted=None)


def purge_deleted() -> int:
    """Let those go whose time is over. Gives back how many."""
    since = timezone.now() - timedelta(days=settings.KEPT_DAYS)
    count = 0
    for production in Production.objects.filter(deleted__lt=since):
        with transaction.atomic():
            # Lines hold on to their speakers.
            production.lines.all().delete()
            production.delete()
        count += 1
    return count
