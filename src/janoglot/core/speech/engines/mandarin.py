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
_LIGHT = re.findall(r"\S+", """
爸爸 妈妈 哥哥 弟弟 姐姐 妹妹 爷爷 奶奶 叔叔 婆婆 朋友 先生 喜欢 知道 地方 时候 意思 认识
漂亮 衣服 便宜 事情 明白 休息 告诉 东西 眼睛 老实 学生 姑娘 孩子 桌子 椅子 房子 屋子 日子
儿子 妻子 样子 鼻子 帽子 杯子 瓶子 箱子 盒子 钥匙 窗户 头发 耳朵 嘴巴 月亮 太阳 星星 云彩
石头 木头 骨头 舌头 里头 外头 前头 后头 上头 下头 我们 你们 他们 她们 它们 咱们 人们 什么
怎么 这么 那么 多么 觉得 记得 认得 看见 打听 打算 客气 麻烦 舒服 清楚 热闹 糊涂 厉害 聪明
暖和 凉快 干净 结实 商量 收拾 收成 招呼 故事 消息 力气 脾气 名字 关系 大夫 师傅 亲戚 街坊
动静 葡萄 萝卜 豆腐 包袱 胳膊 指甲 眉毛 早上 晚上 船上 墙上 身上 路上 地上 家里 屋里 手里
心里 夜里 水里 哪里 那里 这里
""")
"""Words whose last syllable is said light, without a tone of its own."""
_LIGHT_WORD = re.compile("|".join(sorted(_LIGHT, key=len, reverse=True)))
_LONG = re.compile(r"(?<=[很太最多好更特不])长(?![大得成辈官老子])")
"""Length, not growth: the dictionary knows it by whole words alone."""
READING = "light 1"
"""Part of the recipe of what is read so."""


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
    plain = pypinyin.lazy_pinyin(text, style=pypinyin.Style.TONE3, neutral_tone_with_five=True, errors=_each)
    for found in _LIGHT_WORD.finditer(text):
        plain[found.end() - 1] = f"{plain[found.end() - 1].rstrip('12345')}5"
    for found in _LONG.finditer(text):
        plain[found.start()] = "chang2"
    return _beside_each_other(text, plain)


def is_read_otherwise(words: str) -> bool:
    """Whether ``words`` hold any that the dictionary alone reads wrong."""
    return bool(_LIGHT_WORD.search(words) or _LONG.search(words))


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
