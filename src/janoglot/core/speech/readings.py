"""What words of a line are read as: other words, sounds in IPA, or a kind of thing (a date, a telephone number).

The words that are seen never change. What an engine is given are the words that are *spoken*, and every place in the
one has its place in the other.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal, get_args

import regex

from janoglot.core.errors import BadInput
from janoglot.core.languages import primary
from janoglot.core.speech.things_said import ThingKind, thing_said

ReadingKind = Literal[
    "alias", "ipa", "cardinal", "ordinal", "digits", "characters", "telephone", "date", "time", "currency", "unit"]
READING_KINDS: tuple[ReadingKind, ...] = get_args(ReadingKind)
LONGEST_READING = 200
_IPA = regex.compile(r"[\p{Ll}\p{Lo}\p{Lm}\p{M}ˈˌːˑ.‿|ǀǁǂǃ()̩\s\p{Sk}]+")


@dataclass(frozen=True, slots=True)
class Reading:
    """How ``length`` characters from ``at`` on are read. ``said``: the other words of an *alias*, the sounds of an
    *ipa*; nothing for a kind of thing, whose words follow from what is written."""

    at: int
    length: int
    kind: ReadingKind
    said: str = ""


def checked_said(kind: ReadingKind, said: str) -> str:
    """``said`` in its normal form. Raises BadInput where there is nothing, too much, or what is no IPA."""
    plain = unicodedata.normalize("NFC", " ".join(said.split()))
    if kind not in ("alias", "ipa"):
        return ""
    if kind == "ipa":
        plain = plain.strip("/[] ").replace("'", "ˈ").replace(":", "ː").replace("g", "ɡ")
    if not plain:
        raise BadInput("Write how it is to be said.")
    if len(plain) > LONGEST_READING:
        raise BadInput("A reading has {most} characters at most.", most=LONGEST_READING)
    if kind == "ipa" and not _IPA.fullmatch(plain):
        wrong = regex.sub(_IPA, "", plain)[:1]
        raise BadInput("“{sign}” is no sign of the phonetic alphabet.", sign=wrong)
    return plain


@dataclass(frozen=True, slots=True)
class Respelled:
    """``words`` as an engine gets them, with the sounds that are told: start, length and IPA, in those words.

    ``pieces``: of each stretch that is read otherwise, where it is in the line and where in ``words`` (start, length).
    """

    words: str
    phonemes: tuple[tuple[int, int, str], ...]
    pieces: tuple[tuple[int, int, int, int], ...]

    def there(self, at: int, length: int = 0) -> tuple[int, int]:
        """A stretch of the line as a stretch of the spoken words; what lies inside a piece is all of it."""
        start, end = self._to(at, False), self._to(at + length, True) if length else 0
        return (start, max(0, end - start)) if length else (start, 0)

    def _to(self, at: int, ends: bool) -> int:
        moved = 0
        for begin, length, to, size in self.pieces:
            if at < begin or (at == begin and ends):
                break
            if at < begin + length or (ends and at == begin + length):
                return to + size if ends else to
            moved = to + size - begin - length
        return at + moved

    def back(self, at: int, length: int) -> tuple[int, int]:
        """A stretch of the spoken words as one of the line: any part of a piece is all of it."""
        start = end = -1
        moved = 0
        last = at + length
        for begin, size, to, spoken in self.pieces:
            if start < 0 and at < to + spoken:
                start = at - moved if at < to else begin
            if end < 0 and last <= to + spoken:
                end = last - moved if last <= to else begin + size
            moved = to + spoken - begin - size
        start = at - moved if start < 0 else start
        end = last - moved if end < 0 else end
        return start, max(0, end - start)


@lru_cache(maxsize=20_000)
def respelled(words: str, readings: Sequence[Reading], language: str) -> Respelled:
    """``words`` with these readings; where two overlap the earlier one holds. What engines read wrongly by themselves
    is read right where nobody has said otherwise."""
    readings = [*(_with_clock(one, words, language) for one in readings), *_times(words, readings, language)]
    if not readings:
        return Respelled(words, (), ())
    text, at = "", 0
    phonemes: list[tuple[int, int, str]] = []
    pieces: list[tuple[int, int, int, int]] = []
    for one in sorted(readings, key=lambda reading: (reading.at, -reading.length)):
        if one.at < at or not 0 < one.length <= len(words) - one.at:
            continue
        written = words[one.at: one.at + one.length]
        spoken = written if one.kind == "ipa" else one.said if one.kind == "alias" else _thing(
            one.kind, written, language)
        text += words[at: one.at]
        if one.kind == "ipa":
            phonemes.append((len(text), one.length, one.said))
        elif spoken != written:
            pieces.append((one.at, one.length, len(text), len(spoken)))
        text += spoken
        at = one.at + one.length
    return Respelled(text + words[at:], tuple(phonemes), tuple(pieces))


_CLOCK = regex.compile(r"(?<![\d.:])(?:[01]?\d|2[0-4])[:.][0-5]\d\s*Uhr\b")
_CLOCK_BEHIND = regex.compile(r"\s*Uhr\b")
"""The engines say "Uhr" for the colon already."""


def _times(words: str, readings: Sequence[Reading], language: str) -> list[Reading]:
    """Times of day with their own word for the clock, which would be said twice ("18:45 Uhr")."""
    if primary(language) != "de":
        return []
    found = [Reading(one.start(), one.end() - one.start(), "time") for one in _CLOCK.finditer(words)]
    return [one for one in found if not any(
        other.at < one.at + one.length and one.at < other.at + other.length for other in readings)]


def _with_clock(reading: Reading, words: str, language: str) -> Reading:
    """A time that somebody has marked, with the word for the clock behind it."""
    behind = _CLOCK_BEHIND.match(words, reading.at + reading.length)
    if reading.kind != "time" or primary(language) != "de" or not behind:
        return reading
    return replace(reading, length=behind.end() - reading.at)


def _thing(kind: ThingKind, written: str, language: str) -> str:
    return thing_said(kind, written, language) or written
