"""Cast every edition at once, so that a speaker is the same person in all of them."""

from __future__ import annotations

from django.db import transaction

from janoglot.cast.actions.cast_the_rest import cast_the_rest
from janoglot.core.errors import BadInput
from janoglot.productions.models import Production
from janoglot.productions.permissions import Anyone, require_change


def cast_all(user: Anyone, production: Production) -> dict[str, int]:
    """How many were cast, by language. The source comes first, and the others are cast to be near it, in sound and
    age; what has been chosen already stays. A language that no voice speaks is passed over.

    Raises BadInput where no voice speaks any of them.
    """
    require_change(user, production)
    editions = sorted(production.editions.all(), key=lambda edition: not edition.is_source)
    counts: dict[str, int] = {}
    with transaction.atomic():
        for edition in editions:
            edition.production = production
            try:
                counts[edition.language] = len(cast_the_rest(user, edition))
            except BadInput as error:
                last = error
    if not counts:
        raise last
    return counts
