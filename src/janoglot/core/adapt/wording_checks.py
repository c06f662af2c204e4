"""What is odd about a wording beside its source, each finding leading to its line."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import regex

from janoglot.core.adapt.protecting import names_in, numbers, placeholders
from janoglot.core.adapt.termbase import TermPair, uses
from janoglot.core.languages import primary
from janoglot.core.script.checks import Finding
from janoglot.core.speech.things_said import thing_said

_QUESTIONS = "?؟？;⁇՞"
_FEWEST_SAME = 3
"""Words. One or two may well be the same in two languages: a name, an exclamation."""


@dataclass(frozen=True, slots=True)
class CheckedWording:
    """``over``: seconds that do not fit at any allowed rate. ``names``: what must be found again."""

    id: int
    source: str
    text: str
    over: float = 0.0
    spoken: bool = True


def check_wordings(lines: Sequence[CheckedWording], source_language: str, language: str, names: Sequence[str] = (),
                   terms: Sequence[TermPair] = ()) -> list[Finding]:
    """Every finding, in the order of the lines. Lines whose source is empty are passed over."""
    return [finding for line in lines if line.source.strip()
            for finding in _of(line, source_language, language, names, terms)]


def _of(line: CheckedWording, source_language: str, language: str, names: Sequence[str],
        terms: Sequence[TermPair]) -> list[Finding]:
    found: list[Finding] = []

    def tell(code: str, template: str, **fields: object) -> None:
        found.append(Finding(code, line.id, template, fields))

    if not line.text.strip():
        tell("untranslated", "This line has no words yet.")
        return found
    if _plain(line.text) == _plain(line.source) and len(line.source.split()) >= _FEWEST_SAME \
            and primary(language) != primary(source_language):
        tell("same_as_source", "The words are the source's own.")
    for what, code, template in (
        (placeholders, "placeholder", "“{what}” of the source is missing."),
        (numbers, "number", "The number {what} of the source is missing."),
    ):
        lost = Counter(what(line.source)) - Counter(what(line.text))
        for one in lost:
            if code == "number" and is_spelled_out(one, line.text, language):
                continue
            tell(f"{code}_missing", template, what=one)
    for one in Counter(placeholders(line.text)) - Counter(placeholders(line.source)):
        tell("placeholder_added", "“{what}” does not stand in the source.", what=one)
    for name in names_in(line.source, names):
        if not _name_kept(name, line.text, language):
            tell("name_missing", "The name {what} of the source is missing.", what=name)
    for use in uses(line.source, line.text, terms, source_language, language):
        if use.term.forbidden:
            tell("forbidden_term", "“{what}” must not be said here.", what=line.text[use.at: use.at + use.length])
        elif not use.kept:
            tell("term_missing", "“{source}” is to be said as “{what}”.", source=use.term.source, what=use.term.text)
    asked, asks = _asks(line.source, source_language), _asks(line.text, language)
    if asked and not asks:
        tell("question_lost", "The source asks; the wording does not.")
    elif asks and not asked:
        tell("question_added", "The wording asks; the source does not.")
    if line.over > 0 and line.spoken:
        tell("too_long", "Too long for its slot by {seconds} s, however fast it is said.", seconds=f"{line.over:.1f}")
    return found


_JOINTS = {"y", "e", "et", "und", "and", "en", "och", "i", "و"}
_SMALL = 12
"""Up to here numbers are mostly spelled out; where their words are not known they are not missed."""


def is_spelled_out(number: str, text: str, language: str) -> bool:
    """Whether a number stands in words in ``text``, whatever gender, case or prefix it has there."""
    tokens = [_bare(word, language) for word in regex.findall(r"[\p{L}\p{M}]+", text)]
    if not number.isdecimal() or not tokens:
        return False
    if thing_said("cardinal", number, language) == number:
        return int(number) <= _SMALL
    for kind in ("cardinal", "ordinal"):
        said = thing_said(kind, number, language)
        words = [_bare(word, language) for word in regex.findall(r"[\p{L}\p{M}]+", said)]
        words = [word for word in words if word and word not in _JOINTS]
        if words and all(any(_same_stem(word, token) for token in tokens) for word in words):
            return True
    return False


def _bare(word: str, language: str) -> str:
    """A word without case and marks; in Arabic without what is written on to it."""
    plain = "".join(ch for ch in unicodedata.normalize("NFKD", word.casefold()) if not unicodedata.combining(ch))
    if primary(language) == "ar":
        plain = regex.sub(r"^(?:[وفبلك])?(?:ال)?(?=\p{L}{3})", "", plain).replace("ة", "ه").replace("ى", "ي")
    return plain


def _same_stem(word: str, token: str) -> bool:
    longest_end = 0 if len(word) < 3 else 1 if len(word) < 6 else 2
    return token[:len(word) - longest_end] == word[:len(word) - longest_end] and \
        abs(len(token) - len(word)) <= max(1, longest_end)


def _plain(text: str) -> str:
    return " ".join(regex.findall(r"\w+", text.casefold()))


def _asks(text: str, language: str) -> bool:
    marks = _QUESTIONS if primary(language) in ("el", "hy") else _QUESTIONS.replace(";", "")
    return any(mark in text for mark in marks)


_LATIN = re.compile(r"[A-Za-zÀ-ɏ]")


def _name_kept(name: str, text: str, language: str) -> bool:
    """Inflected it may be (Pells, Marlowovi); in another script it cannot be looked for."""
    if not _LATIN.search(text):
        return True
    return name.casefold()[: max(3, len(name) - 1)] in text.casefold()
