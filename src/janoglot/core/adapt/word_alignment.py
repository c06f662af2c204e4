"""Which words of a translation say which words of its source, learnt from the lines of one production alone.

Source: the model of Dyer, Chahuneau and Smith, "A Simple, Fast, and Effective Reparameterization of IBM Model 2"
(NAACL 2013): a word says one that often stands opposite it, the more so the nearer both are to the diagonal. Words
that look alike (names, numbers, cousins) are taken for each other from the first.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import regex
from rapidfuzz.distance import JaroWinkler

_ROUNDS = 6
_TENSION = 4.0
"""How strongly words keep to the diagonal."""
_NOBODY = 0.08
"""The share of words that say none of the other language's."""
_ALIKE = 0.84
_LIKENESS = 6.0
"""How much oftener words that look alike are taken to stand opposite each other at first."""
_SURE = 0.45


@dataclass(frozen=True, slots=True)
class WordPair:
    """Word ``target`` says word ``source`` (both counted from 0); ``sure`` is how likely that is, 0 to 1."""

    source: int
    target: int
    sure: float


def plain_words(text: str) -> list[str]:
    """The words of a line, one for each that stands between spaces, without what stands around them."""
    return [regex.sub(r"^[^\p{L}\p{M}\p{N}]+|[^\p{L}\p{M}\p{N}]+$", "", word).casefold() or word
            for word in text.split()]


def align_words(pairs: Sequence[tuple[str, str]], least: float = _SURE) -> list[list[WordPair]]:
    """For each pair of a source and its translation, which word of the one a word of the other says, where both ways of
    looking agree; what is less sure than ``least`` is left out."""
    split = [(plain_words(source), plain_words(target)) for source, target in pairs]
    there = _one_way(split, least)
    back = _one_way([(target, source) for source, target in split], least)
    return [[one for one in rows if any((other.target, other.source) == (one.source, one.target) for other in others)]
            for rows, others in zip(there, back, strict=True)]


def _one_way(split: Sequence[tuple[list[str], list[str]]], least: float) -> list[list[WordPair]]:
    table = _learnt(split)
    found = []
    for source, target in split:
        rows = []
        for at, word in enumerate(target):
            shares = _shares(source, word, at, len(target), table)
            if not shares:
                continue
            best = max(range(len(shares)), key=lambda place: shares[place])
            if shares[best] >= least:
                rows.append(WordPair(best, at, round(shares[best], 3)))
        found.append(rows)
    return found


Table = dict[str, dict[str, float]]


def _learnt(split: Sequence[tuple[list[str], list[str]]]) -> Table:
    """How likely each word of the source is said by each of the translation's, by expectation and maximisation."""
    table: Table = defaultdict(dict)
    for source, target in split:
        for one in source:
            for other in target:
                table[one][other] = _LIKENESS if _look_alike(one, other) else 1.0
    often = Counter(word for _, target in split for word in target)
    for row in table.values():
        # A word that stands everywhere says nothing of any.
        for word in row:
            row[word] /= math.sqrt(often[word])
        _to_one(row)
    for _ in range(_ROUNDS):
        counts: Table = defaultdict(lambda: defaultdict(float))
        for source, target in split:
            for at, word in enumerate(target):
                for one, share in zip(source, _shares(source, word, at, len(target), table), strict=False):
                    counts[one][word] += share
        table = {one: {word: count + (0.5 if _look_alike(one, word) else 0.02) for word, count in row.items()}
                 for one, row in counts.items()}
        for row in table.values():
            _to_one(row)
    return table


def _to_one(row: dict[str, float]) -> None:
    total = sum(row.values()) or 1.0
    for word in row:
        row[word] /= total


def _shares(source: Sequence[str], word: str, at: int, count: int, table: Table) -> list[float]:
    """How likely each word of the source is what ``word``, at its place, says; what is left says none of them."""
    if not source:
        return []
    # A name or a number is itself wherever it stands.
    near = [1.0 if one == word and len(word) > 2 else math.exp(-_TENSION * abs(place / len(source) - at / count))
            for place, one in enumerate(source)]
    total = sum(near)
    weights = [(1 - _NOBODY) * share / total * table.get(one, {}).get(word, 1e-6)
               for one, share in zip(source, near, strict=True)]
    whole = sum(weights) + _NOBODY * 0.02
    return [weight / whole for weight in weights]


def _look_alike(one: str, other: str) -> bool:
    return len(one) > 2 and len(other) > 2 and JaroWinkler.similarity(one, other) >= _ALIKE
