"""Words that somebody could take amiss, by language. The lists are short, and coded so that none is read unasked."""

from __future__ import annotations

import base64
import json
from functools import cache
from pathlib import Path

import regex

from janoglot.core.adapt.termbase import stem
from janoglot.core.languages import primary

_WORD = regex.compile(r"[^\W\d_]+")


@cache
def _listed() -> dict[str, frozenset[str]]:
    content = json.loads(Path(__file__).with_name("rude_words.json").read_text())
    return {language: frozenset(base64.b64decode(word).decode() for word in words)
            for language, words in content.items()}


@cache
def _stems(language: str) -> frozenset[str]:
    # A stem of two letters would be found in innocent words.
    return frozenset(one for one in (stem(word, language) for word in _listed().get(language, ())) if len(one) > 3)


def has_list(language: str) -> bool:
    return primary(language) in _listed()


def rude_words(text: str, language: str) -> list[tuple[int, int]]:
    """Words of ``text`` that are on the list of its language, in any inflection: starts and lengths in characters."""
    code = primary(language)
    words = _listed().get(code, frozenset())
    return [(match.start(), len(match[0])) for match in _WORD.finditer(text)
            if match[0].casefold() in words or stem(match[0], code) in _stems(code)]
