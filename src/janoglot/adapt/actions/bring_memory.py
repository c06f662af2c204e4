"""Bring in a translation memory."""

from __future__ import annotations

from collections.abc import Sequence

from janoglot.adapt.models import MemoryUnit
from janoglot.core.adapt.memory import Unit
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def bring_memory(user: Anyone, edition: Edition, units: Sequence[Unit]) -> int:
    """Those that are not there yet. Gives back how many."""
    with action(user, edition.production, "bring_memory") as record:
        there = set(MemoryUnit.objects.filter(production=edition.production, language=edition.language)
                    .values_list("source", "text"))
        new = [unit for unit in dict.fromkeys(units) if (unit.source, unit.text) not in there]
        record.create_all(MemoryUnit(production=edition.production, source_language=edition.production.source_language,
                                     language=edition.language, source=unit.source, text=unit.text) for unit in new)
        record.details = {"count": len(new), "language": edition.language}
        record.summary = f"{len(new)} units, {edition.language}"
    return len(new)
