"""The translation memory of an edition: what was approved in any production that its reader sees, and what was
brought in. Kept in each process until something of one of them changes."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Any

from django.db.models import F

from janoglot.adapt.models import MemoryUnit
from janoglot.core.adapt.memory import Memory, Unit
from janoglot.core.languages import primary
from janoglot.productions.models import Edition, Production, Wording
from janoglot.productions.permissions import Anyone, visible_productions

_MOST_MEMORIES = 12
_MOST_PRODUCTIONS = 300


class _Kept:
    """The latest used of what was worked out, by what it was worked out from."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._found: OrderedDict[Hashable, Any] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> Any:
        with self._lock:
            if key in self._found:
                self._found.move_to_end(key)
            return self._found.get(key)

    def put(self, key: Hashable, value: Any) -> None:
        with self._lock:
            self._found[key] = value
            while len(self._found) > self._most:
                self._found.popitem(last=False)


_memories, _productions = _Kept(_MOST_MEMORIES), _Kept(_MOST_PRODUCTIONS)
_Ranked = tuple[bool, float, Unit]
"""Whether it is of the very country, when it was approved (0: brought in), and the unit."""


def memory_for(user: Anyone, edition: Edition) -> Memory:
    """Units of this language pair. What is nearer counts more: brought in, then approved elsewhere, then approved
    here; of the country before others."""
    seen = tuple(visible_productions(user).order_by("id").values_list("id", "stamp"))
    key = (edition.production_id, edition.language, primary(edition.production.source_language), seen)
    memory: Memory | None = _memories.get(key)
    if memory is None:
        memory = Memory(_in_order(edition, seen))
        _memories.put(key, memory)
    return memory


def units_for(user: Anyone, edition: Edition, only_here: bool = False) -> list[Unit]:
    productions = Production.objects.filter(pk=edition.production_id) if only_here else visible_productions(user)
    return _in_order(edition, tuple(productions.order_by("id").values_list("id", "stamp")))


def _in_order(edition: Edition, seen: tuple[tuple[int, int], ...]) -> list[Unit]:
    source, language = primary(edition.production.source_language), edition.language
    ranked: list[tuple[tuple[bool, bool, float], Unit]] = []
    for production, stamp in seen:
        brought, approved = _units_of(production, stamp, source, language)
        ranked += [((False, exact, when), unit) for exact, when, unit in brought]
        ranked += [((production == edition.production_id, exact, when), unit) for exact, when, unit in approved]
    return [unit for _, unit in sorted(ranked, key=lambda one: one[0])]


def _units_of(production: int, stamp: int, source: str, language: str) -> tuple[list[_Ranked], list[_Ranked]]:
    """What was brought into a production, and what was approved in it, in the order of time. It stands until the
    production's stamp moves."""
    key = (production, stamp, source, language)
    found: tuple[list[_Ranked], list[_Ranked]] | None = _productions.get(key)
    if found is not None:
        return found
    brought = [(said_in == language, 0.0, Unit(text, said)) for said_in, text, said in MemoryUnit.objects.filter(
        production=production, language__startswith=primary(language),
        source_language__startswith=source).values_list("language", "source", "text")]
    rows = Wording.objects.filter(
        edition__production=production, state=Wording.State.APPROVED, edition__language__startswith=primary(language),
        edition__production__source_language__startswith=source).exclude(
            edition__language=F("edition__production__source_language")).exclude(worded_from="")
    approved = [(said_in == language, when.timestamp() if when else 0.0, Unit(text, said, name))
                for when, name, said_in, text, said in rows.order_by("changed_at", "id").values_list(
                    "changed_at", "edition__production__name", "edition__language", "worded_from", "text")]
    _productions.put(key, (brought, approved))
    return brought, approved
