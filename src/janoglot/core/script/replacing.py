"""Find and replace in many wordings: what would change, shown before it does."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import regex

from janoglot.core.errors import BadInput

_LONGEST_PATTERN = 300
SECONDS = 2.0
"""For looking through a whole edition. A sensible expression takes some thousandths."""


@dataclass(frozen=True, slots=True)
class Hit:
    """One line that holds what was looked for: ``spans`` are its places, from and to, in ``text``."""

    line: int
    text: str
    spans: tuple[tuple[int, int], ...]
    replaced: str


def pattern(find: str, regular: bool = False, exact_case: bool = False, whole_words: bool = False
            ) -> regex.Pattern[str]:
    """Raises BadInput for nothing to look for, and for a regular expression that is none."""
    if not find:
        raise BadInput("Say what to look for.")
    if len(find) > _LONGEST_PATTERN:
        raise BadInput("What to look for may have {most} characters at most.", most=_LONGEST_PATTERN)
    source = find if regular else regex.escape(find)
    if whole_words:
        source = rf"(?<!\w)(?:{source})(?!\w)"
    try:
        found = regex.compile(source, 0 if exact_case else regex.IGNORECASE)
    except regex.error as error:
        raise BadInput("“{find}” is no regular expression: {why}.", find=find[:60], why=str(error)) from error
    if regular and _may_run_away(find):
        raise BadInput("“{find}” repeats what is repeated already, which can take for ever. Write it with one "
                       "repetition.", find=find[:60])
    return found


def _may_run_away(find: str) -> bool:
    """Whether a repeated group holds a repetition: what makes a search take for ever."""
    return regex.search(r"\([^()]*[*+}][^()]*\)\s*[*+{]", find) is not None


class Search:
    """An expression that is looked for in many texts, within :data:`SECONDS` for all of them."""

    def __init__(self, search: regex.Pattern[str]) -> None:
        self._search = search
        self._left = SECONDS

    def holds(self, text: str) -> bool:
        """Whether it is found in ``text``. Raises BadInput where it takes too long."""
        began = time.monotonic()
        try:
            return self._search.search(text, timeout=max(0.001, self._left)) is not None
        except TimeoutError as error:
            raise took_too_long(self._search) from error
        finally:
            self._left -= time.monotonic() - began


def _left(until: float) -> float:
    return max(0.001, until - time.monotonic())


def took_too_long(search: regex.Pattern[str]) -> BadInput:
    return BadInput("“{find}” took over {seconds:g} seconds to look for. Write it with fewer repetitions.",
                    find=search.pattern[:60], seconds=SECONDS)


def hits(texts: Iterable[tuple[int, str]], search: regex.Pattern[str], replacement: str, regular: bool
         ) -> Iterator[Hit]:
    """For each (line, text) that holds it. ``replacement`` may name groups (``\\1``) of a regular expression.

    Raises BadInput for a group that the expression does not have, and for one that takes longer than
    :data:`SECONDS` in all.
    """
    until = time.monotonic() + SECONDS
    for line, text in texts:
        try:
            spans = tuple(match.span() for match in search.finditer(text, timeout=_left(until))
                          if match.end() > match.start())
            if not spans:
                continue
            replaced = search.sub(replacement if regular else lambda _: replacement, text, timeout=_left(until))
        except TimeoutError as error:
            raise took_too_long(search) from error
        except (regex.error, IndexError) as error:
            raise BadInput("The replacement names a group that is not there: {why}.", why=str(error)) from error
        yield Hit(line, text, spans, replaced)
