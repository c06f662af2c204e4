"""Who may see and change what. Every query for a production's things starts here."""

from __future__ import annotations

from django.contrib.auth.models import AnonymousUser, User
from django.db.models import QuerySet
from django.http import Http404
from rest_framework.exceptions import PermissionDenied

from janoglot.productions.models import Edition, Membership, Production, Role

Anyone = User | AnonymousUser
_MAY_CHANGE = {Role.OWNER, Role.EDITOR}


def visible_productions(user: Anyone) -> QuerySet[Production]:
    """Every production that ``user`` is a member of, but those that were deleted."""
    if not user.is_authenticated:
        return Production.objects.none()
    return Production.objects.filter(memberships__user=user, deleted=None)


def deleted_productions(user: Anyone) -> QuerySet[Production]:
    """Those that ``user`` may bring back."""
    if not user.is_authenticated:
        return Production.objects.none()
    # In one call: both are to hold of one and the same membership.
    return Production.objects.filter(memberships__user=user, memberships__role=Role.OWNER, deleted__isnull=False)


def production_for(user: Anyone, production_id: int, change: bool = False) -> Production:
    """The production. Raises Http404 for a stranger, PermissionDenied for a reader who wants to change it."""
    production = visible_productions(user).filter(pk=production_id).first()
    if production is None:
        raise Http404
    if change:
        require_change(user, production)
    return production


def edition_for(user: Anyone, production_id: int, language: str, change: bool = False) -> Edition:
    """The edition with its production. Raises as :func:`production_for`."""
    edition = (
        Edition.objects.select_related("production")
        .filter(production__in=visible_productions(user), production_id=production_id, language=language)
        .first()
    )
    if edition is None:
        raise Http404
    if change:
        require_change(user, edition.production)
    return edition


def signed_in(user: Anyone) -> User:
    """The user behind a request that only somebody signed in can make. Raises PermissionDenied."""
    if not isinstance(user, User):
        raise PermissionDenied("Sign in first.")
    return user


def role_of(user: Anyone, production: Production) -> Role | None:
    found = Membership.objects.filter(production=production, user=signed_in(user)).first()
    return Role(found.role) if found else None


def require_owner(user: Anyone, production: Production) -> None:
    if role_of(user, production) != Role.OWNER:
        raise PermissionDenied("Only who owns this production may do that.")


def require_change(user: Anyone, production: Production) -> None:
    if role_of(user, production) not in _MAY_CHANGE:
        raise PermissionDenied("You may read this production, not change it.")
