"""Translation memory: pairs of texts that were approved before, found again exactly or nearly."""

from __future__ import annotations

import difflib
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import regex
from rapidfuzz import fuzz, process

FUZZY = 0.7
"""A match below this helps nobody."""


@dataclass(frozen=True, slots=True)
class Unit:
    """A source text, how it was said, and where that is from."""

    source: str
    text: str
    origin: str = ""


@dataclass(frozen=True, slots=True)
class MemoryMatch:
    """``score`` 1 is the very same text; ``difference`` shows what the unit's source has otherwise."""

    unit: Unit
    score: float
    difference: tuple[tuple[str, str], ...] = ()


class Memory:
    """Units to look in. Of several for one source the newest counts, which is the last."""

    def __init__(self, units: Iterable[Unit]) -> None:
        self._by_key: dict[str, Unit] = {}
        for unit in units:
            if unit.source.strip() and unit.text.strip():
                self._by_key[_key(unit.source)] = unit
        self._keys = list(self._by_key)

    def __len__(self) -> int:
        return len(self._keys)

    def find(self, text: str, least: float = FUZZY, most: int = 3) -> list[MemoryMatch]:
        """The nearest units, the best first. Exact is: the same words, whatever the spaces."""
        key = _key(text)
        if not key:
            return []
        exact = self._by_key.get(key)
        if exact:
            return [MemoryMatch(exact, 1.0)]
        found = process.extract(key, self._keys, scorer=fuzz.ratio, score_cutoff=100 * least, limit=most)
        # Nearly the same is not the same: it is never given out as exact.
        return [MemoryMatch(self._by_key[other], min(0.99, round(score / 100, 3)),
                            difference(self._by_key[other].source, text)) for other, score, _ in found]

    def holding(self, phrase: str, in_text: bool, most: int = 5) -> list[Unit]:
        """Units in which ``phrase`` stands: in what was said, or in the source."""
        wanted = _key(phrase)
        if not wanted:
            return []
        pattern = regex.compile(rf"(?<!\w){regex.escape(wanted)}(?!\w)")
        found = [unit for unit in self._by_key.values() if pattern.search(_key(unit.text if in_text else unit.source))]
        return sorted(found, key=lambda unit: len(unit.source))[:most]


def _key(text: str) -> str:
    return " ".join(unicodedata.normalize("NFC", text).split()).casefold()


_WORDS = regex.compile(r"\s+|\w+(?:['’]\w+)*|[^\w\s]")


def difference(before: str, now: str) -> tuple[tuple[str, str], ...]:
    """From ``before`` to ``now`` word by word: ("same", …), ("gone", …), ("new", …)."""
    one, other = _WORDS.findall(before), _WORDS.findall(now)
    parts: list[tuple[str, str]] = []
    for what, a, b, c, d in difflib.SequenceMatcher(None, one, other, autojunk=False).get_opcodes():
        if what == "equal":
            parts.append(("same", "".join(one[a:b])))
            continue
        if b > a:
            parts.append(("gone", "".join(one[a:b])))
        if d > c:
            parts.append(("new", "".join(other[c:d])))
    return tuple(parts)


def joined(parts: Sequence[tuple[str, str]], *kinds: str) -> str:
    return "".join(text for kind, text in parts if kind in kinds)
