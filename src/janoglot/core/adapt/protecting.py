"""What must come through a translation as it is: placeholders, marked-up pauses, numbers, names."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import regex

# {name}, {{name}}, %s, %1$d, <pause/>, <break time="500ms"/>, [pause].
PLACEHOLDER = re.compile(r"\{\{[^{}]*\}\}|\{[^{}]*\}|%(?:\d+\$)?[sdif]|<[^<>]+>|\[[^\[\]]{1,60}\]")
NUMBER = re.compile(r"(?<![\w.,])[+\-−]?\d+(?:[.,'’\u00a0\u202f ]\d{3})*(?:[.,:]\d+)*(?!\w)")
_SEPARATORS = re.compile(r"[.,'’\u00a0\u202f ](?=\d{3}(?:\D|$))")


def placeholders(text: str) -> list[str]:
    return PLACEHOLDER.findall(text)


def numbers(text: str) -> list[str]:
    """The numbers in digits, each in one way of writing: 1,984.50 and 1.984,50 and ١٩٨٤٫٥ alike where that is safe."""
    plain = "".join(str(unicodedata.digit(ch)) if ch.isdigit() and not ch.isascii() and unicodedata.digit(ch, None)
                    is not None else ch for ch in PLACEHOLDER.sub(" ", text))
    found = []
    for number in NUMBER.findall(plain):
        whole = _SEPARATORS.sub("", number.replace("−", "-"))
        found.append(whole.replace(",", ".").lstrip("+"))
    return found


def names_in(text: str, names: Collection[str]) -> list[str]:
    """Which of ``names`` stand in ``text`` as words of their own, in the order of ``names``."""
    return [name for name in names if name and regex.search(rf"(?<!\w){regex.escape(name)}(?!\w)", text)]


@dataclass(frozen=True, slots=True)
class Protected:
    """``text`` with what is protected behind made-up words that no engine knows; ``kept`` is what they stand for."""

    text: str
    kept: tuple[str, ...]

    def restored(self, text: str) -> tuple[str, list[str]]:
        """``text`` with everything put back, and what was lost on the way."""
        lost = []
        for number, what in enumerate(self.kept):
            pattern = re.compile(rf"\*?{_token(number)}", re.IGNORECASE)
            if not pattern.search(text):
                lost.append(what)
            text = pattern.sub(what.replace("\\", r"\\"), text)
        return text, lost


def protect(text: str, names: Sequence[str] = ()) -> Protected:
    """Put placeholders, numbers and ``names`` out of an engine's reach."""
    spans: list[tuple[int, int]] = [match.span() for match in PLACEHOLDER.finditer(text)]
    spans += [match.span() for match in NUMBER.finditer(text)]
    for name in sorted(set(names), key=len, reverse=True):
        if name:
            spans += [match.span() for match in regex.finditer(rf"(?<!\w){regex.escape(name)}(?!\w)", text)]
    kept: list[str] = []
    pieces: list[str] = []
    upto = 0
    for start, end in sorted(spans, key=lambda span: (span[0], -span[1])):
        if start < upto:
            continue
        pieces += [text[upto:start], _token(len(kept))]
        kept.append(text[start:end])
        upto = end
    return Protected("".join([*pieces, text[upto:]]), tuple(kept))


def _token(number: int) -> str:
    # Letters alone: digits inside a word are split off by some analysers.
    letters = ""
    while True:
        letters = "bcdfghjklm"[number % 10] + letters
        number //= 10
        if not number:
            return f"Xz{letters}qz"
