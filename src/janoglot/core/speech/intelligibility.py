"""How well a recogniser understands a voice, and how native it sounds: errors over sentences of our own.

A recogniser is not a listener, but it has no favourites: a voice that it cannot follow is further from speech than one
that it can. Untold the language, what it takes the speech for is the better ear for an accent.
"""

from __future__ import annotations

import json
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import regex

from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, primary
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Samples, Utterance
from janoglot.core.speech.recogniser import recognise, taken_for
from janoglot.core.speech.voices import Voice

_SENTENCES = Path(__file__).with_name("sentences.json")
_BY_CHARACTER = {"zh", "yue", "ja", "th", "lo", "my", "km"}
"""Languages that write no spaces between words."""
_AT_ONCE = 24.0
"""Seconds of sentences that are heard together: it takes the recogniser as long to hear a word as half a minute."""
_BETWEEN = 0.45
_ONE_BY_EAR = {"hi": ("hi", "ur"), "ur": ("ur", "hi")}
"""Languages that sound the same and are written in different letters: Hindi and Urdu are one in everyday words."""
_SPELLED = {"harbour": "harbor", "grey": "gray"}
"""The recogniser's spelling is American."""


@cache
def sentences(language: str) -> tuple[str, ...]:
    """Sentences of ours in ``language``. Raises BadInput where there are none."""
    every = json.loads(_SENTENCES.read_text(encoding="utf-8"))
    found = every.get(primary(language))
    if not found:
        raise BadInput("There are no sentences to measure {language} with. Known: {known}.",
                       language=english_name(language), known=", ".join(every))
    return tuple(found)


def units_of(text: str, language: str) -> list[str]:
    """What errors are counted in: words without case, marks and spelling, or characters where words have no spaces."""
    plain = unicodedata.normalize("NFKC", text).casefold()
    if primary(language) in _BY_CHARACTER:
        return regex.findall(r"[\p{L}\p{N}]", plain)
    if primary(language) == "ar":
        # Short vowels are written by few.
        plain = regex.sub(r"\p{Mn}", "", plain)
    words = regex.findall(r"[\p{L}\p{M}\p{N}]+(?:[’'][\p{L}\p{M}]+)*", plain.replace("’", "'"))
    return [_SPELLED.get(word, word) for word in words]


def errors_between(said: Sequence[str], heard: Sequence[str]) -> int:
    """Substitutions, insertions and deletions (Levenshtein 1965)."""
    row = list(range(len(heard) + 1))
    for i, one in enumerate(said, 1):
        last, row = row, [i, *[0] * len(heard)]
        for j, other in enumerate(heard, 1):
            row[j] = min(last[j] + 1, row[j - 1] + 1, last[j - 1] + (one != other))
    return row[-1]


def error_rate(said: str, heard: str, language: str = "en") -> float:
    """Errors over the number of words (or characters) said."""
    one = units_of(said, language)
    return errors_between(one, units_of(heard, language)) / max(1, len(one))


@dataclass(frozen=True, slots=True)
class Understood:
    """How a voice was understood: ``error`` over all words or characters, ``native`` the probability that it was taken
    for the language, ``heard`` what was heard of each group of sentences."""

    error: float
    native: float
    heard: tuple[tuple[str, str], ...]


def understood(voice: Voice, language: str, said: Sequence[str] | None = None) -> Understood:
    """Have ``voice`` say sentences of ``language`` and hear them. Raises RecogniserMissing, BadInput."""
    pairs, natives, errors, total = [], [], 0, 0
    for group in _groups([(text, _spoken(voice, text, language)) for text in said or sentences(language)]):
        text = " ".join(words for words, _ in group)
        rate = group[0][1][1]
        quiet = np.zeros(round(_BETWEEN * rate), np.float32)
        sound = np.concatenate([piece for _, (samples, _) in group for piece in (samples, quiet)])
        heard = recognise(sound, rate, language)
        natives.append(taken_as(language, taken_for(sound, rate)))
        units = units_of(text, language)
        errors += errors_between(units, units_of(heard, language))
        total += len(units)
        pairs.append((text, heard))
    return Understood(errors / max(1, total), float(np.mean(natives)), tuple(pairs))


def taken_as(language: str, likely: Mapping[str, float]) -> float:
    """How surely speech was taken for ``language``, of the shares of all languages."""
    tag = primary(language)
    return sum(likely.get(one, 0.0) for one in _ONE_BY_EAR.get(tag, (tag,)))


def _spoken(voice: Voice, words: str, language: str) -> tuple[Samples, int]:
    spoken = engine_named(voice.engine).speak(Utterance(words, voice.base, voice.shaping, language=language))
    return spoken.samples, spoken.rate


def _groups(spoken: Sequence[tuple[str, tuple[Samples, int]]]) -> list[list[tuple[str, tuple[Samples, int]]]]:
    groups: list[list[tuple[str, tuple[Samples, int]]]] = [[]]
    seconds = 0.0
    for one in spoken:
        length = len(one[1][0]) / one[1][1] + _BETWEEN
        if groups[-1] and seconds + length > _AT_ONCE:
            groups.append([])
            seconds = 0.0
        groups[-1].append(one)
        seconds += length
    return groups

