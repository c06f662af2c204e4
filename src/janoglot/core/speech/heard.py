"""Heard back: what a recogniser understood of a finished line, held against its words by their sounds.

What is compared are the sounds of both texts, as the language says them: so numbers and names written otherwise, case,
spelling and homophones count nothing, and a wrong, a lost or an invented word does.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import regex

from janoglot.core.errors import EngineError
from janoglot.core.languages import primary
from janoglot.core.speech.engines import engine_named, formant_engine
from janoglot.core.speech.engines.formant import FormantEngine, SaidWord
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.readings import Respelled

VERSION = 1
LIMIT = 0.2
"""From this share of the sounds on a line is not heard right, where nothing was measured for its language."""
LIMITS = {"en": 0.085, "es": 0.085, "it": 0.085, "pt": 0.085, "fr": 0.1, "zh": 0.1, "de": 0.15, "ja": 0.15, "hi": 0.45,
          "ar": 0.45}
"""By language, so that of good lines some 5 % are over it and of lines with a fault 95 % (``docs/voices.md``). Hindi
and Arabic are heard too badly for that: there only what is quite wrong is told."""
_BY_WORD = {"fr"}
"""Where a word that was heard otherwise tells more than the share of sounds: half the letters are silent."""
_WORD_OTHERWISE, _ADDED = 0.5, 0.7
"""Of a word's sounds."""
_SHADES = regex.compile(r"[\p{Mn}ˈˌːˑʰʲʷˠˤʼ͡_\s→↗↓↘|-]")
_ALIKE = {"r": "ɹɾʁɻʀ", "a": "ɐɑæʌ", "o": "ɒɔ", "i": "ɪᵻɨ", "u": "ʊɯ", "e": "ɛɜəɚ", "g": "ɡɣ", "l": "ɫ", "b": "β",
          "d": "ðɖ", "t": "ʈ", "n": "ɳɲŋ", "m": "ɱ", "v": "ʋ", "h": "ħɦ", "ʃ": "ɕʂ", "ʒ": "ʑʐ", "": "ʔ"}
_NEAR = {ord(sound): plain for plain, sounds in _ALIKE.items() for sound in sounds}
"""Sounds that recognisers and accents take for one another."""
_ARABIC = regex.compile(r"\p{Arabic}")


@dataclass(frozen=True, slots=True)
class Otherwise:
    """A word of the line (``length`` characters from ``at`` on) that was heard otherwise; ``heard`` what stood in its
    place, "" where nothing did. Without a word of the line (``length`` 0): what was heard beside them."""

    at: int
    length: int
    heard: str


@dataclass(frozen=True, slots=True)
class HeardBack:
    """``error`` is the share of the line's sounds that were heard otherwise, lost or added."""

    text: str
    error: float
    otherwise: tuple[Otherwise, ...]


def limit_of(language: str) -> float:
    return LIMITS.get(primary(language), LIMIT)


def is_heard_right(error: float, otherwise: Sequence[object], language: str) -> bool:
    """Whether a line of which this was heard otherwise may pass for right."""
    return error < limit_of(language) and not (otherwise and primary(language) in _BY_WORD)


def compare_said(spoken: Respelled | None, words: str, heard: str, language: str) -> HeardBack:
    """``words`` against what was ``heard`` of them: what is read as something else was right where that was
    heard (``spoken``); places are those of the written words."""
    if spoken is None or not spoken.pieces:
        return compare(words, heard, language)
    found = compare(spoken.words, heard, language)
    return replace(found, otherwise=tuple(
        replace(one, at=(place := spoken.back(one.at, one.length))[0], length=place[1]) for one in found.otherwise))


def compare(words: str, heard: str, language: str) -> HeardBack:
    """``words`` against what was ``heard`` of them, by the sounds of ``language``."""
    said = _sounds(words, language)
    # Hindi is often written down in Urdu's letters: the sounds are the same.
    other = _sounds(heard, "ur" if primary(language) == "hi" and _ARABIC.search(heard) else language)
    steps = _aligned([sound for sound, _ in said], [sound for sound, _ in other])
    wrong = sum(one is None or two is None or said[one][0] != other[two][0] for one, two in steps)
    return HeardBack(heard, wrong / max(1, len(said)), _otherwise(words, heard, said, other, steps))


@lru_cache(maxsize=20_000)
def sounds_heard(text: str, language: str) -> tuple[str, ...]:
    """The sounds of a text as they are compared here: those that are taken for one another are the same."""
    spoken = "ur" if primary(language) == "hi" and _ARABIC.search(text) else language
    return tuple(sound for sound, _ in _sounds(text, spoken))


def _sounds(words: str, language: str) -> list[tuple[str, SaidWord]]:
    """Each sound with the word that it is in; none of what cannot be read at all, as a recogniser hears into noise."""
    engine = _reader()
    found = []
    try:
        said = engine.said(words, language) if words.strip() else []
    except EngineError:
        said = []
    for word in said:
        plain = _SHADES.sub("", unicodedata.normalize("NFD", word.ipa)).translate(_NEAR)
        found += [(sound, word) for sound in plain]
    return found


def _reader() -> RichEngine | _Plain:
    from janoglot.core.speech.engines.neural_graph import RichVoicesMissing

    try:
        engine = engine_named(RichEngine.id)
        assert isinstance(engine, RichEngine)
        return engine
    except RichVoicesMissing:
        return _Plain(formant_engine())


@dataclass(frozen=True, slots=True)
class _Plain:
    """Words as the formant engine reads them, where there are no rich voices."""

    engine: FormantEngine

    def said(self, words: str, language: str) -> list[SaidWord]:
        from janoglot.core.languages import distance

        base = min(self.engine.bases(), key=lambda one: (distance(language, one.locale), one.id))
        return self.engine.transcribe(words, base.id)


Step = tuple[int | None, int | None]


def _aligned(said: Sequence[str], heard: Sequence[str]) -> list[Step]:
    """The cheapest way from one to the other (Levenshtein 1965), as pairs of places; None where one has nothing."""
    width = len(heard) + 1
    table = [list(range(width))]
    for i, one in enumerate(said, 1):
        last, row = table[-1], [i]
        for j, other in enumerate(heard, 1):
            row.append(min(last[j] + 1, row[j - 1] + 1, last[j - 1] + (one != other)))
        table.append(row)
    steps: list[Step] = []
    i, j = len(said), len(heard)
    while i or j:
        if i and j and table[i][j] == table[i - 1][j - 1] + (said[i - 1] != heard[j - 1]):
            i, j = i - 1, j - 1
            steps.append((i, j))
        elif i and table[i][j] == table[i - 1][j] + 1:
            i -= 1
            steps.append((i, None))
        else:
            j -= 1
            steps.append((None, j))
    return steps[::-1]


def _otherwise(words: str, heard: str, said: Sequence[tuple[str, SaidWord]], other: Sequence[tuple[str, SaidWord]],
               steps: Sequence[Step]) -> tuple[Otherwise, ...]:
    """By word: which were heard otherwise, and as what."""
    right: dict[int, int] = {}
    total: dict[int, int] = {}
    instead: dict[int, list[SaidWord]] = {}
    added: dict[int, int] = {}
    for one, two in steps:
        if two is not None:
            place = other[two][1]
            if one is None:
                added[id(place)] = added.get(id(place), 0) + 1
        if one is None:
            continue
        word = said[one][1]
        total[word.at] = total.get(word.at, 0) + 1
        right[word.at] = right.get(word.at, 0) + (two is not None and said[one][0] == other[two][0])
        if two is not None and other[two][1] not in instead.setdefault(word.at, []):
            instead[word.at].append(other[two][1])
    found = []
    for word in {one.at: one for _, one in said}.values():
        if 1 - right.get(word.at, 0) / total[word.at] > _WORD_OTHERWISE:
            there = [heard[one.at: one.at + one.length] for one in instead.get(word.at, [])]
            found.append(Otherwise(word.at, word.length, " ".join(there)))
    sizes: dict[int, int] = {}
    for _, word in other:
        sizes[id(word)] = sizes.get(id(word), 0) + 1
    for word in {id(one): one for _, one in other}.values():
        if sizes[id(word)] > 1 and added.get(id(word), 0) >= _ADDED * sizes[id(word)]:
            found.append(Otherwise(len(words), 0, heard[word.at: word.at + word.length]))
    return tuple(found)
