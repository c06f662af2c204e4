"""How words sound, in IPA, in any language that the formant engine reads: to count and compare, not to speak."""

from __future__ import annotations

from functools import lru_cache

from janoglot.core.errors import EngineError
from janoglot.core.languages import distance
from janoglot.core.speech.engines import formant_engine
from janoglot.core.speech.engines.formant import SaidWord

VOWELS = frozenset("iyɨʉɯuɪʏʊᵻeøɘɵɤoəɚɛœɜɝɞʌɔæɐaɶɑɒ")
# Two signs, one nucleus. Elsewhere two vowels beside each other are two syllables: glides have signs of their own.
_DIPHTHONGS = ("aɪ", "aʊ", "ɔɪ", "ɔø", "ɔʏ", "eɪ", "əʊ", "oʊ", "ɪə", "eə", "ʊə", "iə", "uə", "ɛɪ", "œy", "ʌʊ", "ʌɪ",
               "ai", "au", "ei", "oi", "eu", "ɑi", "iɛ", "uo", "yø", "ɐɪ", "ɐʊ")


@lru_cache(maxsize=512)
def _base(language: str) -> str:
    return min(formant_engine().bases(), key=lambda one: (distance(language, one.locale), one.id)).id


@lru_cache(maxsize=20_000)
def said(words: str, language: str) -> tuple[SaidWord, ...]:
    """``words`` word by word in IPA, as the nearest accent of ``language`` says them; none where nothing is said."""
    if not words.strip():
        return ()
    try:
        return tuple(formant_engine().transcribe(words, _base(language)))
    except EngineError:
        return ()


def nuclei(ipa: str) -> int:
    """How many syllables there are in ``ipa``: vowels, with diphthongs as one, and syllabic consonants."""
    count = at = 0
    plain = "".join(ch for ch in ipa if ch not in "ˈˌː̃̈‿͡.")
    while at < len(plain):
        ch = plain[at]
        if ch in VOWELS:
            count += 1
            at += 2 if plain[at: at + 2] in _DIPHTHONGS else 1
            continue
        if ch in "̩̍":
            count += 1
        at += 1
    return count
