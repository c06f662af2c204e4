"""The sounds that the formant engine's voices have, in IPA and in the engine's own names for them.

The names are read from the engine's table of phonemes (its source, ``src/libespeak-ng/phoneme.h``: tables of 16-byte
entries that begin with a name of four characters); what each is in IPA is heard from the engine itself, so that it is
what the chosen voice makes of it.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping, Sequence
from pathlib import Path

import regex

_TABLE_HEAD, _NAME_SIZE, _ENTRY = 4, 32, 16
_VOWEL, _HIGHEST = 2, 8
"""Types of phonemes that are sounds: vowels, liquids, stops, fricatives, nasals."""
_STRESSES = {"ˈ": "'", "ˌ": ",", "ː": ":", ".": ""}


def phoneme_names(data: Path) -> list[str]:
    """The engine's names of every sound in any of its languages, the data folder being ``data``."""
    table = (data / "phontab").read_bytes()
    names: dict[str, None] = {}
    at = _TABLE_HEAD
    for _ in range(table[0]):
        count = table[at]
        at += _TABLE_HEAD + _NAME_SIZE
        for _ in range(count):
            name = table[at: at + 4].rstrip(b"\0").decode("latin-1")
            (kind,) = struct.unpack_from("B", table, at + 11)
            if _VOWEL <= kind <= _HIGHEST and name.isprintable():
                names[name] = None
            at += _ENTRY
    return list(names)


def split_sounds(ipa: str, known: Sequence[str]) -> list[tuple[str, bool]]:
    """``ipa`` cut into the longest sounds of ``known``, each with whether it is one of them; marks of stress and length
    count as known, spaces are left out."""
    longest = max(map(len, known), default=1)
    there = set(known)
    found: list[tuple[str, bool]] = []
    at = 0
    while at < len(ipa):
        size = next((size for size in range(longest, 0, -1) if ipa[at: at + size] in there), 0)
        if size:
            found.append((ipa[at: at + size], True))
        elif ipa[at] in _STRESSES:
            found.append((ipa[at], True))
        elif not ipa[at].isspace():
            size = 1 + len(ipa[at + 1:]) - len(regex.sub(r"^\p{M}+", "", ipa[at + 1:]))
            found.append((ipa[at: at + size], False))
        at += size or 1
    return found


def names_of(ipa: str, sounds: Mapping[str, str]) -> str:
    """``ipa`` as the engine takes sounds that are told to it, ``sounds`` being its names by IPA. What it lacks is left
    out; words stay apart."""
    words = []
    for word in ipa.split():
        said = []
        for sound, _ in split_sounds(word, list(sounds)):
            said.append(sounds.get(sound) or _STRESSES.get(sound, ""))
        # Names that could run into one another are kept apart by a bar, as the engine reads them.
        words.append("|".join(filter(None, said)).replace("'|", "'").replace(",|", ",").replace("|:", ":"))
    return " ".join(words)
