"""How Mandarin is read: characters to words, syllables with tones as they change beside each other, in the network's
own signs.

The network was taught IPA with an arrow for each tone, as misaki writes it; pypinyin knows readings, jieba words,
cn2an numbers. All of them are optional: without them nobody speaks Mandarin richly.
"""

from __future__ import annotations

import importlib.util
import re
from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any

from janoglot.core.speech.engines.formant import SaidWord

_PACKAGES = ("misaki", "pypinyin", "jieba", "cn2an")
_CHARACTERS = re.compile(r"[\u3400-\u4dbf\u4e00-\u9fff]+")
_NUMBER = re.compile(r"\d+(?:\.\d+)?%?")
LANGUAGE = "zh"
_COUNTED = "第初零〇一二三四五六七八九十百千万亿月号"
"""Beside these 一 is the number."""


@cache
def can_read_mandarin() -> bool:
    return all(importlib.util.find_spec(name) is not None for name in _PACKAGES)


def mandarin_words(words: str) -> Iterator[SaidWord]:
    """The Chinese words and the numbers in ``words``, each where it stands, in the network's signs.

    Other writing is left to whoever reads that.
    """
    for found in re.finditer(rf"{_CHARACTERS.pattern}|{_NUMBER.pattern}", words):
        text = found[0]
        if text[0].isdigit():
            yield SaidWord(found.start(), len(text), _said(_as_characters(text)), LANGUAGE)
            continue
        # The tones of a run of words change beside each other, so it is read whole and then shared out.
        syllables = _syllables(text)
        for word, start, end in _jieba().tokenize(text):
            yield SaidWord(found.start() + start, len(word), "".join(map(_ipa, syllables[start:end])), LANGUAGE)


def _as_characters(number: str) -> str:
    import cn2an

    return str(cn2an.transform(number, "an2cn"))


def _said(text: str) -> str:
    return "".join(map(_ipa, _syllables(text)))


def _syllables(text: str) -> list[str]:
    """One for each character, with the number of its tone; 5 is the neutral one."""
    import pypinyin

    _jieba()
    return _beside_each_other(text, pypinyin.lazy_pinyin(
        text, style=pypinyin.Style.TONE3, neutral_tone_with_five=True, errors=_each))


def _each(rest: str) -> Any:
    """What is no character is one syllable for each sign of it, so that places are kept."""
    return list(rest)


def _beside_each_other(text: str, syllables: Sequence[str]) -> list[str]:
    """Tone sandhi: a low tone before a low one rises, 不 before a falling one rises, 一 falls, or rises before a
    falling one, where it counts nothing (Duanmu 2007, chapter 11)."""
    said = list(syllables)
    for at, syllable in enumerate(syllables[:-1]):
        here, tone, following = text[at], syllable[-1:], syllables[at + 1][-1:]
        if here == "一" and tone == "1" and (at == 0 or text[at - 1] not in _COUNTED) and text[at + 1] not in _COUNTED:
            said[at] = "yi2" if following == "4" else "yi4" if following in "123" else syllable
        elif (here == "不" and following == "4") or (tone == "3" and following == "3"):
            said[at] = f"{syllable[:-1]}2"
    return said


@cache
def _ipa(syllable: str) -> str:
    from misaki.zh import ZHG2P

    try:
        return str(ZHG2P.py2ipa(syllable)).replace("\u032f", "")
    except (AssertionError, IndexError, KeyError, TypeError, ValueError):
        return ""  # no syllable of Mandarin


@cache
def _jieba() -> Any:
    import logging

    import jieba

    jieba.setLogLevel(logging.ERROR)
    jieba.initialize()
    return jieba
