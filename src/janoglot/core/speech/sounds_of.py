"""The sounds of a language, each with a word that has it: what a person picks from who writes in IPA."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import regex

from janoglot.core.languages import distance
from janoglot.core.speech.engines.formant import FormantEngine
from janoglot.core.speech.engines.formant_sounds import split_sounds

_MOST_WORDS = 1_500
_MARKS = "ˈˌː."
_VOWEL = regex.compile(r"[aeiouyæøœɐɑɒɔəɘɚɛɜɝɞɤɨɪɯɵɶʉʊʌʏ]")


@dataclass(frozen=True, slots=True)
class Sound:
    """``word`` is one that has it; ``vowel`` whether it can be said by itself."""

    ipa: str
    word: str
    vowel: bool


def sounds_of(language: str, texts: Iterable[str], engine: FormantEngine) -> list[Sound]:
    """The sounds that words of ``language`` in ``texts`` are made of, vowels first, the most frequent before others.

    Raises EngineError where nothing here reads the language.
    """
    base = min(engine.bases(), key=lambda one: (distance(language, one.locale), one.id)).id
    known = list(engine.sounds(base))
    words: dict[str, None] = {}
    for text in texts:
        words.update(dict.fromkeys(regex.findall(r"[\p{L}\p{M}]+(?:['’][\p{L}\p{M}]+)*", text)))
        if len(words) >= _MOST_WORDS:
            break
    examples: dict[str, str] = {}
    counted: dict[str, int] = {}
    for word in list(words)[:_MOST_WORDS]:
        ipa = "".join(said.ipa for said in engine.transcribe(word, base))
        for sound, is_known in split_sounds(ipa, known):
            if is_known and sound not in _MARKS:
                counted[sound] = counted.get(sound, 0) + 1
                # The shortest word shows it best.
                if len(word) < len(examples.get(sound, "x" * 99)) and len(word) > 1:
                    examples[sound] = word
    order = sorted(counted, key=lambda sound: (not _VOWEL.match(sound), -counted[sound], sound))
    return [Sound(sound, examples.get(sound, ""), bool(_VOWEL.match(sound))) for sound in order]


def unknown_sounds(ipa: str, language: str, engine: FormantEngine) -> list[str]:
    """Signs of ``ipa`` that no sound of this language's voice is written with."""
    base = min(engine.bases(), key=lambda one: (distance(language, one.locale), one.id)).id
    return [sound for sound, known in split_sounds(ipa, list(engine.sounds(base))) if not known]
