"""Add, change and remove terms of a production's termbase."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from janoglot.adapt.models import Term
from janoglot.core.adapt.termbase import TermPair, merged
from janoglot.core.errors import BadInput
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def core_terms(edition: Edition) -> list[TermPair]:
    return [TermPair(term.source, term.text, term.forbidden, term.note)
            for term in Term.objects.filter(production=edition.production_id, language=edition.language)]


def add_terms(user: Anyone, edition: Edition, terms: Sequence[TermPair]) -> int:
    """Those that are not there yet. Gives back how many. Raises BadInput for a term that says nothing."""
    for term in terms:
        if not term.text.strip() or not (term.forbidden or term.source.strip()):
            raise BadInput("A term needs the source's word and how it is said; a forbidden one just what not to say.")
    with action(user, edition.production, "change_terms") as record:
        new = merged(core_terms(edition), terms)
        record.create_all(Term(production=edition.production, language=edition.language, source=term.source[:200],
                               text=term.text[:200], forbidden=term.forbidden, note=term.note[:400]) for term in new)
        record.details = {"count": len(new), "language": edition.language}
        record.summary = f"{len(new)} terms, {edition.language}"
    return len(new)


def change_term(user: Anyone, edition: Edition, term: Term, changes: dict[str, Any] | None) -> None:
    """None removes it."""
    with action(user, edition.production, "change_terms") as record:
        record.details = {"count": 1, "language": edition.language}
        record.summary = f"{term.source or term.text}, {edition.language}"
        if changes is None:
            record.delete(term)
        else:
            record.update(term, **changes)
