"""Terms: how they are to be said, what must not be said, and whether a wording keeps to it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import regex
import snowballstemmer

from janoglot.core.languages import primary

_STEMMED = {
    "ar": "arabic", "ca": "catalan", "da": "danish", "de": "german", "el": "greek", "en": "english", "es": "spanish",
    "eu": "basque", "fi": "finnish", "fr": "french", "ga": "irish", "hi": "hindi", "hu": "hungarian", "hy": "armenian",
    "id": "indonesian", "it": "italian", "lt": "lithuanian", "nb": "norwegian", "ne": "nepali", "nl": "dutch",
    "no": "norwegian", "pt": "portuguese", "ro": "romanian", "ru": "russian", "sr": "serbian", "sv": "swedish",
    "ta": "tamil", "tr": "turkish", "yi": "yiddish",
}
_UNSPACED = {"ja", "zh", "yue", "th", "lo", "km", "my"}
_WORD = regex.compile(r"[^\W_]+(?:[-'’][^\W_]+)*")


@dataclass(frozen=True, slots=True)
class TermPair:
    """``source`` is to be said as ``text``. ``forbidden``: ``text`` must not be said, whatever the source says."""

    source: str
    text: str
    forbidden: bool = False
    note: str = ""


@dataclass(frozen=True, slots=True)
class TermUse:
    """A term in a line: where it stands in the source (or, of a forbidden one, in the wording), in characters."""

    term: TermPair
    at: int
    length: int
    kept: bool
    """Whether the wording says it as it should; of a forbidden one never."""


@lru_cache(maxsize=32)
def _stemmer(language: str) -> Any:
    name = _STEMMED.get(language)
    return snowballstemmer.stemmer(name) if name else None


@lru_cache(maxsize=50_000)
def stem(word: str, language: str) -> str:
    """``word`` without its inflection, as far as the Snowball algorithms know the language (Porter 2001)."""
    stemmer = _stemmer(primary(language))
    low = word.casefold()
    return str(stemmer.stemWord(low)) if stemmer else low


def find_term(term: str, text: str, language: str) -> list[tuple[int, int]]:
    """Where ``term`` stands in ``text``, its words in any inflection: starts and lengths in characters."""
    if not term.strip():
        return []
    if primary(language) in _UNSPACED:
        return [(match.start(), len(term)) for match in re.finditer(re.escape(term.casefold()), text.casefold())]
    wanted = [match[0] for match in _WORD.finditer(term)]
    have = list(_WORD.finditer(text))
    found = []
    for first in range(len(have) - len(wanted) + 1):
        some = have[first: first + len(wanted)]
        if wanted and all(_same_word(one, other[0], language) for one, other in zip(wanted, some, strict=True)):
            found.append((some[0].start(), some[-1].end() - some[0].start()))
    return found


def _same_word(term: str, word: str, language: str) -> bool:
    one, other = term.casefold(), word.casefold()
    if one == other or stem(one, language) == stem(other, language):
        return True
    # What the stemmer does not undo: an ending of up to three letters on a long common beginning.
    common = 0
    while common < min(len(one), len(other)) and one[common] == other[common]:
        common += 1
    return common >= max(4, len(one) - 2) and len(other) - common <= 3


def uses(source: str, text: str, terms: Iterable[TermPair], source_language: str, language: str) -> list[TermUse]:
    """Every term that this line is about, whether it is kept to or not, by where it stands."""
    found: list[TermUse] = []
    for term in terms:
        if term.forbidden:
            found += [TermUse(term, at, length, False) for at, length in find_term(term.text, text, language)]
            continue
        places = find_term(term.source, source, source_language)
        if places:
            kept = bool(find_term(term.text, text, language)) if term.text.strip() else True
            found += [TermUse(term, at, length, kept) for at, length in places]
    return sorted(found, key=lambda use: (use.term.forbidden, use.at))


def merged(have: Sequence[TermPair], coming: Sequence[TermPair]) -> list[TermPair]:
    """What of ``coming`` is new beside ``have``; a term that is there by source and text is not doubled."""
    there = {(term.source.casefold(), term.text.casefold(), term.forbidden) for term in have}
    new = []
    for term in coming:
        key = (term.source.casefold(), term.text.casefold(), term.forbidden)
        if key not in there:
            there.add(key)
            new.append(term)
    return new
