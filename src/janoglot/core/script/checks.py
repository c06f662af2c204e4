"""What is odd about a script's lines: found while it is written, each finding leading to its line."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cache, lru_cache
from itertools import pairwise
from typing import Any

import langcodes

from janoglot.core.errors import Template
from janoglot.core.languages import english_name, primary
from janoglot.core.script.formats.base import UNNAMED

LONG = 400
"""Characters: about half a minute of speech. A line so long is better in two."""
FASTEST = 26.0
"""Letters a second in an alphabet. Nobody says more so that it is understood: fast speech has about 18."""
FASTEST_SYLLABIC = 11.0
"""The same in scripts that write a syllable or a word with one sign."""
_SYLLABIC = ("Jpan", "Hans", "Hant", "Kore")
_SURE = 0.98
_LETTERS_TO_BE_SURE = 24
_PAIRS = {"(": ")", "[": "]", "{": "}", "“": "”", "«": "»", "「": "」", "『": "』", "（": "）"}


@dataclass(frozen=True, slots=True)
class CheckedLine:
    """What the checks know of a line. ``slot`` in seconds; ``natural``: its take's length, where it has one."""

    id: int
    speaker: str
    words: str
    slot: tuple[float, float] | None = None
    spoken: bool = True
    natural: float | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """``code`` names the check; ``template`` and ``fields`` say it."""

    code: str
    line: int
    template: Template
    fields: dict[str, Any] = field(default_factory=dict)


def check(lines: Sequence[CheckedLine], language: str, others: Sequence[str] = ()) -> list[Finding]:
    """Every finding in ``lines``, in their order. ``others``: the languages of the other editions, which wording
    may have come from by mistake."""
    found: dict[int, list[Finding]] = {line.id: [] for line in lines}
    counts = Counter(line.speaker for line in lines if line.spoken)
    for line in lines:
        found[line.id] += _of_words(line, language)
        if line.spoken and line.speaker == UNNAMED:
            found[line.id].append(Finding("no_speaker", line.id, "Nobody is named for this line."))
        elif line.spoken and counts[line.speaker] == 1 and len(lines) > 5:
            found[line.id].append(Finding("single_line", line.id, "{speaker} has this line alone.",
                                          {"speaker": line.speaker}))
        if line.slot and line.spoken:
            found[line.id] += _of_time(line, language)
    for finding in _overlaps(lines):
        found[finding.line].append(finding)
    for line in lines:
        other = wrong_language(line.words, language, tuple(others))
        if other:
            found[line.id].append(Finding("other_language", line.id, "This looks like {other}.",
                                          {"other": english_name(other)}))
    return [finding for line in lines for finding in found[line.id]]


def _of_words(line: CheckedLine, language: str) -> Iterator[Finding]:
    words = line.words
    if not words.strip():
        yield Finding("empty", line.id, "There are no words here.")
        return
    doubled = doubled_word(words)
    if doubled:
        yield Finding("doubled_word", line.id, "“{word}” stands twice in a row.", {"word": doubled})
    if re.search(r"\S[ \u00a0]{2,}\S", words):
        yield Finding("doubled_space", line.id, "There are two spaces in a row.")
    bracket = unpaired(words)
    if bracket:
        yield Finding("unpaired", line.id, "“{bracket}” has no partner.", {"bracket": bracket})
    if len(words) > LONG:
        yield Finding("long", line.id, "{count} characters in one line: better in two.", {"count": len(words)})
    if line.spoken:
        strange = unspeakable(words, language)
        if strange:
            yield Finding("unspeakable", line.id, "No voice of this language says {signs}.",
                          {"signs": " ".join(strange[:5])})


def _of_time(line: CheckedLine, language: str) -> Iterator[Finding]:
    assert line.slot
    start, end = line.slot
    if end <= start:
        yield Finding("backwards", line.id, "It ends before it begins.")
        return
    letters = sum(ch.isalnum() for ch in line.words)
    fastest = FASTEST_SYLLABIC if _script(language) in _SYLLABIC else FASTEST
    rate = letters / (end - start)
    if rate > fastest:
        yield Finding("too_fast", line.id, "{count} letters in {seconds:.1f} s: nobody can say that.",
                      {"count": letters, "seconds": end - start})


def _overlaps(lines: Sequence[CheckedLine]) -> Iterator[Finding]:
    timed = sorted((line for line in lines if line.slot and line.spoken), key=lambda line: line.slot or (0, 0))
    for one, other in pairwise(timed):
        assert one.slot
        assert other.slot
        over = one.slot[1] - other.slot[0]
        if over > 0.001:
            yield Finding("overlap", other.id, "It begins {seconds:.1f} s before {speaker} ends.",
                          {"seconds": over, "speaker": one.speaker})
    order = {line.id: at for at, line in enumerate(lines)}
    latest = -1.0
    for line in sorted((line for line in lines if line.slot), key=lambda line: order[line.id]):
        assert line.slot
        if line.slot[0] < latest - 0.001:
            yield Finding("out_of_order", line.id, "In time it comes before the lines above it.")
        latest = max(latest, line.slot[0])


_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*")
# Said twice on purpose, in English and elsewhere: no slip.
_TWICE = frozenset(("had", "that", "no", "yes", "bye", "very", "ha", "hey", "now", "there", "well", "so", "non", "oui",
                    "si", "sí", "ja", "nein", "nous", "vous", "sehr", "muy", "sie", "die", "der"))


def doubled_word(text: str) -> str | None:
    """A word that stands twice in a row with nothing but space between, as slips do ("the the"); None.

    Capitals tell a name or a sentence's start from a slip; words that are often said twice are let be.
    """
    for one, other in pairwise(_WORD.finditer(text)):
        between = text[one.end(): other.start()]
        if between.isspace() and one[0].casefold() == other[0].casefold() and one[0].casefold() not in _TWICE:
            return other[0]
    return None


def unpaired(text: str) -> str | None:
    """The first bracket or quotation mark without its partner; None. Marks that open and close alike are not
    looked at, nor ones that a numbered list closes alone."""
    open_marks: list[str] = []
    closing = {close: mark for mark, close in _PAIRS.items()}
    for at, character in enumerate(text):
        if character in _PAIRS:
            # In German a word is quoted „so“: what closes there opens elsewhere.
            if character == "“" and "„" in text[:at]:
                continue
            open_marks.append(character)
        elif character in closing:
            if character == ")" and re.search(r"(?:^|\s)(?:\d{1,2}|[a-z])$", text[:at]) and "(" not in text[:at]:
                continue
            if character == "”" and "„" in text[:at]:
                continue
            if not open_marks or open_marks[-1] != closing[character]:
                return character
            open_marks.pop()
    return open_marks[-1] if open_marks else None


def unspeakable(text: str, language: str) -> list[str]:
    """Signs that a voice of ``language`` has no way to say: pictures, private and broken characters, and letters
    of a script that the language is not written in. Latin is read everywhere."""
    allowed = {"LATIN", *_LETTER_NAMES.get(_script(language), ())}
    found: dict[str, None] = {}
    for character in text:
        category = unicodedata.category(character)
        letter = category[0] == "L" and category != "Lm" and character not in "ªº"
        picture = category in ("Co", "Cn", "Cs", "So") and character not in "°©®™№"
        if picture or (letter and not any(unicodedata.name(character, "").startswith(name) for name in allowed)):
            found[character] = None
    if "\ufffd" in text:
        found["\ufffd"] = None
    return list(found)


_CJK = ("CJK", "HIRAGANA", "KATAKANA", "BOPOMOFO", "FULLWIDTH", "HALFWIDTH", "IDEOGRAPHIC")
_LETTER_NAMES: dict[str, tuple[str, ...]] = {
    "Cyrl": ("CYRILLIC",), "Grek": ("GREEK",), "Arab": ("ARABIC",), "Hebr": ("HEBREW",), "Deva": ("DEVANAGARI",),
    "Jpan": _CJK, "Hans": _CJK, "Hant": _CJK, "Kore": ("HANGUL", *_CJK), "Thai": ("THAI",), "Geor": ("GEORGIAN",),
    "Armn": ("ARMENIAN",), "Beng": ("BENGALI",), "Taml": ("TAMIL",), "Telu": ("TELUGU",), "Gujr": ("GUJARATI",),
    "Guru": ("GURMUKHI",), "Knda": ("KANNADA",), "Mlym": ("MALAYALAM",), "Sinh": ("SINHALA",), "Ethi": ("ETHIOPIC",),
    "Orya": ("ORIYA",), "Mymr": ("MYANMAR",), "Khmr": ("KHMER",), "Laoo": ("LAO",),
}


@cache
def _script(language: str) -> str:
    return str(langcodes.Language.get(language).maximize().script or "Latn")


@lru_cache(maxsize=100_000)
def wrong_language(text: str, language: str, others: tuple[str, ...]) -> str | None:
    """The language that ``text`` is in, where that is surely one of ``others`` and not ``language``; else None.

    By the letter sequences of the words (Lui and Baldwin 2012), among the languages of the production alone:
    a short line could be in a hundred languages, but hardly in one of these by chance.
    """
    if sum(ch.isalpha() for ch in text) < _LETTERS_TO_BE_SURE:
        return None
    tags = {primary(tag): tag for tag in others}
    tags.pop(primary(language), None)
    identifier = _identifier()
    known = {tag for tag in (*tags, primary(language)) if tag in identifier.labels}
    if primary(language) not in known or len(known) < 2:
        return None
    ranked = [(str(tag), float(score)) for tag, score in identifier.rank(text) if tag in known]
    best, second = ranked[0], ranked[1]
    # The scores are logarithms of probabilities, up to a constant.
    sure = 1 / (1 + 2.718281828 ** (second[1] - best[1]))
    return tags[best[0]] if best[0] != primary(language) and sure > _SURE else None


@cache
def _identifier() -> Any:
    from py3langid import langid

    return langid.LanguageIdentifier.from_model_file(langid.MODEL_FILE)
