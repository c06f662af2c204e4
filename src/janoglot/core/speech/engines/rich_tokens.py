"""From words to the neural engine's tokens: phonemes of the text's language, in the network's own symbols.

The phonemes come from the formant engine, which knows over a hundred languages. The network was taught with
some symbols of its own (one for each diphthong and affricate, for instance); which of them a recogniser
understands better was measured, and the better ones are kept (``docs/voices.md``).
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from janoglot.core.languages import primary
from janoglot.core.speech.engines.formant import SaidWord

MOST_TOKENS = 300
"""In one utterance. The network takes 510, but long ones are said with less and less care."""

# In every language: one symbol for an affricate.
_SAME = {"tʃ": "ʧ", "dʒ": "ʤ", "tɕ": "ʨ", "dʑ": "ʥ", "ts": "ʦ", "dz": "ʣ", "g": "ɡ", "ɻ̩": "ɻ"}
# What the vocabulary lacks, by its nearest neighbour.
_NEAREST = {
    "ɫ": "l", "ɭ": "l", "ʟ": "l", "ɬ": "l", "ɮ": "ʒ", "ħ": "h", "ɦ": "h", "ʕ": "ʔ", "ʀ": "ʁ", "ʉ": "u", "ɵ": "ø",
    "ʏ": "y", "ɘ": "ə", "ɞ": "ɜ", "ɶ": "œ", "ʑ": "ʒ", "ɓ": "b", "ɗ": "d", "ɠ": "ɡ", "ʄ": "ɟ", "ʙ": "b", "ʍ": "w",
    "ɱ": "m", "ɢ": "ɡ", "ᶣ": "ɥ",
}
_ENGLISH = {
    "eɪ": "A", "aɪ": "I", "ɔɪ": "Y", "aʊ": "W", "oʊ": "O", "əʊ": "Q", "əl": "ᵊl", "ɚ": "əɹ", "ɝ": "ɜɹ", "ɐ": "ə",
    "r": "ɹ", "ʲ": "", "n̩": "ᵊn",
}
_ARABIC = {"ʕ": "ɑ", "ħ": "x"}
"""Of what was tried for the two sounds of the throat that the network lacks, what was understood best."""
_AMERICAN = {"ɜː": "ɜɹ", "ɾ": "T", "ː": ""}
_DIACRITICS = {"̩", "̪", "̝", "̞", "̟", "̠", "̈", "̥", "̬", "̚", "͡", "̯", "̃̃", "ˑ", "̆", "ʷ", "ˠ", "ˤ", "ʼ", "͈"}
"""Shades that the vocabulary does not have: dropped, and not counted as missing."""
_PUNCTUATION = {
    ",": ",", "،": ",", "、": ",", "，": ",", ";": ";", "；": ";", "؛": ";", ":": ":", "：": ":", ".": ".", "。": ".",
    "।": ".", "۔": ".", "!": "!", "！": "!", "?": "?", "？": "?", "؟": "?", "—": "—", "–": "—", "…": "…",
}
_TONAL = {"zh", "yue", "vi", "th", "my", "hak", "nan", "lo", "bo"}
"""Languages whose tones the network would have to sing and cannot be told to."""


@dataclass(frozen=True, slots=True)
class Token:
    """One symbol of the network. ``at`` is where its word starts in the text, −1 for what stands between words,
    and ``length`` how many characters the word has."""

    symbol: str
    at: int = -1
    length: int = 0

    @property
    def is_pause(self) -> bool:
        return self.at < 0


def tokens_of(words: str, said: Sequence[SaidWord], locale: str, vocabulary: Mapping[str, int]) -> list[Token]:
    """The tokens of ``words``, whose words are ``said``: symbols, a space between words, and punctuation.

    Symbols that neither the vocabulary nor the tables have are left out.
    """
    out: list[Token] = []
    for number, word in enumerate(said):
        for symbol in network_symbols(word.ipa, word.language or locale):
            if symbol in vocabulary:
                out.append(Token(symbol, word.at, word.length))
        end = word.at + word.length
        following = said[number + 1].at if number + 1 < len(said) else len(words)
        marks = [_PUNCTUATION[ch] for ch in words[end:following] if ch in _PUNCTUATION]
        if marks:
            # The strongest says it: a quotation's full stop and the comma after it are one pause.
            out.append(Token(max(marks, key=",;:—….!?".index)))
        if number + 1 < len(said):
            out.append(Token(" "))
    return out


def network_symbols(ipa: str, locale: str, nearest: bool = True) -> str:
    """``ipa`` in the network's symbols, for a text in ``locale``. Spaces inside a word fall away.

    Without ``nearest``, sounds that it lacks stay as they are.
    """
    table = _SAME | (_NEAREST if nearest else {})
    if primary(locale) == "en":
        table |= _ENGLISH
        if locale.startswith("en-US"):
            table |= _AMERICAN
    if primary(locale) == "ar" and nearest:
        table |= _ARABIC
    plain = _composed(ipa.replace(" ", "").replace("͡", "").replace("_", ""))
    keys = sorted(table, key=len, reverse=True)
    return re.sub("|".join(map(re.escape, keys)), lambda match: table[match[0]], plain)


def _composed(ipa: str) -> str:
    """Nasal vowels as vowel and tilde, which the network knows apart; everything else composed (ç)."""
    return "".join(unicodedata.normalize("NFD", ch) if "̃" in unicodedata.normalize("NFD", ch) else ch
                   for ch in unicodedata.normalize("NFC", ipa))


def missing_symbols(ipa: str, locale: str, vocabulary: Mapping[str, int]) -> tuple[int, int]:
    """How many of the sounds of ``ipa`` the network lacks, and how many there are; shades do not count."""
    symbols = [ch for ch in network_symbols(ipa, locale, nearest=False) if ch not in _DIACRITICS and not ch.isspace()]
    return sum(ch not in vocabulary for ch in symbols), len(symbols)


def is_tonal(locale: str) -> bool:
    return primary(locale) in _TONAL


def in_pieces(tokens: Sequence[Token], most: int = MOST_TOKENS) -> list[list[Token]]:
    """``tokens`` in pieces of at most ``most``, cut after sentences, else clauses, else words, as evenly as can be.

    The token after which a piece is cut stays at its end.
    """
    if len(tokens) <= most:
        return [list(tokens)]
    middle = len(tokens) / 2
    for marks in (".!?…", ";:—", ",", " "):
        cuts = [at + 1 for at, token in enumerate(tokens) if token.is_pause and token.symbol in marks]
        # A mark is followed by the space that belongs to it.
        cuts = [at + 1 if at < len(tokens) and tokens[at].symbol == " " else at for at in cuts]
        cuts = [at for at in cuts if len(tokens) * 0.15 < at < len(tokens) * 0.85]
        if cuts:
            at = min(cuts, key=lambda cut: abs(cut - middle))
            return in_pieces(tokens[:at], most) + in_pieces(tokens[at:], most)
    return in_pieces(tokens[: round(middle)], most) + in_pieces(tokens[round(middle):], most)
