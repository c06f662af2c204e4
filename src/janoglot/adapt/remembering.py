"""The translation memory of an edition: what was approved in any production that its reader sees, and what was
brought in."""

from __future__ import annotations

from django.db.models import F

from janoglot.adapt.models import MemoryUnit
from janoglot.core.adapt.memory import Memory, Unit
from janoglot.core.languages import primary
from janoglot.productions.models import Edition, Production, Wording
from janoglot.productions.permissions import Anyone, visible_productions


def memory_for(user: Anyone, edition: Edition) -> Memory:
    """Units of this language pair. What is nearer counts more: brought in, then approved elsewhere, then approved
    here; of the country before others."""
    return Memory(units_for(user, edition))


def units_for(user: Anyone, edition: Edition, only_here: bool = False) -> list[Unit]:
    source = primary(edition.production.source_language)
    seen = Production.objects.filter(pk=edition.production_id) if only_here else visible_productions(user)
    units: list[tuple[tuple[bool, bool], Unit]] = []
    for language, text, said in MemoryUnit.objects.filter(
            production__in=seen, language__startswith=primary(edition.language),
            source_language__startswith=source).values_list("language", "source", "text"):
        units.append(((False, language == edition.language), Unit(text, said)))
    approved = Wording.objects.filter(
        edition__production__in=seen, state=Wording.State.APPROVED,
        edition__language__startswith=primary(edition.language),
        edition__production__source_language__startswith=source).exclude(
            edition__language=F("edition__production__source_language")).exclude(worded_from="")
    rows = approved.order_by("changed_at", "id").values_list("edition__production_id", "edition__production__name",
                                                              "edition__language", "worded_from", "text")
    for production, name, language, text, said in rows:
        units.append(((production == edition.production_id, language == edition.language), Unit(text, said, name)))
    return [unit for _, unit in sorted(units, key=lambda one: one[0])]
