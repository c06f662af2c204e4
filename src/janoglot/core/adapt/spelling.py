"""Spelling by Hunspell, through its C library, with the dictionaries that Debian packages."""

from __future__ import annotations

import ctypes
from collections.abc import Collection
from ctypes.util import find_library
from functools import lru_cache
from pathlib import Path
from threading import Lock

import langcodes
import regex

from janoglot.core.adapt.protecting import PLACEHOLDER
from janoglot.core.languages import primary

DICTIONARIES = Path("/usr/share/hunspell")
_WORD = regex.compile(r"[^\W\d_]+(?:['’\-][^\W\d_]+)*")
_MOST_SUGGESTIONS = 5
_LOCK = Lock()


class Speller:
    """One dictionary. The library keeps state, so calls go one at a time."""

    def __init__(self, library: ctypes.CDLL, base: Path) -> None:
        self._lib = library
        self._handle = library.Hunspell_create(str(base.with_suffix(".aff")).encode(),
                                               str(base.with_suffix(".dic")).encode())
        self.encoding = (library.Hunspell_get_dic_encoding(self._handle) or b"utf-8").decode("ascii", "replace")

    def knows(self, word: str) -> bool:
        """Whether the word is spelled as the dictionary has it; what it cannot even write, it does not know."""
        try:
            coded = word.replace("’", "'").encode(self.encoding)
        except (UnicodeEncodeError, LookupError):
            return False
        with _LOCK:
            return bool(self._lib.Hunspell_spell(self._handle, coded))

    def suggestions(self, word: str) -> list[str]:
        try:
            coded = word.encode(self.encoding)
        except (UnicodeEncodeError, LookupError):
            return []
        with _LOCK:
            found = ctypes.POINTER(ctypes.c_char_p)()
            count = self._lib.Hunspell_suggest(self._handle, ctypes.byref(found), coded)
            words = [(found[k] or b"").decode(self.encoding, "replace") for k in range(count)]
            self._lib.Hunspell_free_list(self._handle, ctypes.byref(found), count)
        return words[:_MOST_SUGGESTIONS]


@lru_cache(maxsize=1)
def _library() -> ctypes.CDLL | None:
    name = find_library("hunspell-1.7") or "libhunspell-1.7.so.0"
    try:
        library = ctypes.CDLL(name)
    except OSError:
        return None
    library.Hunspell_create.restype = ctypes.c_void_p
    library.Hunspell_create.argtypes = [ctypes.c_char_p, ctypes.c_char_p]
    library.Hunspell_get_dic_encoding.restype = ctypes.c_char_p
    library.Hunspell_get_dic_encoding.argtypes = [ctypes.c_void_p]
    library.Hunspell_spell.restype = ctypes.c_int
    library.Hunspell_spell.argtypes = [ctypes.c_void_p, ctypes.c_char_p]
    words = ctypes.POINTER(ctypes.POINTER(ctypes.c_char_p))
    library.Hunspell_suggest.restype = ctypes.c_int
    library.Hunspell_suggest.argtypes = [ctypes.c_void_p, words, ctypes.c_char_p]
    library.Hunspell_free_list.argtypes = [ctypes.c_void_p, words, ctypes.c_int]
    return library


@lru_cache(maxsize=16)
def speller(language: str, folder: Path = DICTIONARIES) -> Speller | None:
    """The speller of the language: of its country, else of any; None where this machine has none."""
    library = _library()
    if library is None:
        return None
    there = {place.stem: place.with_suffix("") for place in folder.glob("*.dic") if place.with_suffix(".aff").exists()}
    country = langcodes.get(language).territory or langcodes.get(language).maximize().territory or ""
    code = primary(language)
    mine = [name for name in there if name.replace("-", "_").split("_")[0] == code]
    if not mine:
        return None
    best = min(mine, key=lambda name: (not name.endswith(f"_{country}"), "_" in name, len(name), name))
    return Speller(library, there[best])


def misspelt(text: str, language: str, known: Collection[str] = ()) -> list[tuple[int, int]]:
    """Words of ``text`` that the speller of the language does not know: starts and lengths in characters.

    ``known`` are words that are right whatever it says: names, and what stands in the source just so.
    """
    found = speller(language)
    if found is None:
        return []
    right = {word.casefold() for one in known for word in _WORD.findall(one)}
    covered = PLACEHOLDER.sub(lambda match: " " * len(match[0]), text)
    return [(match.start(), len(match[0])) for match in _WORD.finditer(covered)
            if match[0].casefold() not in right and not found.knows(match[0])]
