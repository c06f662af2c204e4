"""Regions of languages in Matroska files, which their old three-letter codes do not hold.

ffmpeg writes a track's language as ISO 639-2 alone. A player that is to tell two dubs of one language apart wants
LanguageBCP47 beside it. Room for it is kept in the track's name, and taken from there afterwards: nothing else in the
file moves.

Source: RFC 9559 (Matroska), sections 5.1.4.1.20 and 12; RFC 8794 (EBML).
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

_SEGMENT, _TRACKS, _TRACK = 0x18538067, 0x1654AE6B, 0xAE
_NAME, _LANGUAGE = 0x536E, bytes.fromhex("22b59d")
_LIST = b"\x1f"
"""Between a name and the tag that is kept behind it: a sign that stands in no name."""


def named_with_room(name: str, tag: str) -> str:
    """A track's name for ffmpeg, with as many bytes behind it as its language takes as an element of its own."""
    return f"{name}{_LIST.decode()}{tag}{3 * _LIST.decode()}"


def tell_languages(place: Path) -> int:
    """Write the language of each track whose name has room for it; how many there were."""
    told = 0
    with place.open("r+b") as file:
        for segment, begin, end in _elements(file, 0, place.stat().st_size):
            if segment != _SEGMENT:
                continue
            tracks = next(((low, high) for kind, low, high in _elements(file, begin, end) if kind == _TRACKS), None)
            for kind, low, high in _elements(file, *tracks) if tracks else ():
                if kind == _TRACK:
                    told += _tell(file, low, high)
    return told


def _tell(file: BinaryIO, begin: int, end: int) -> bool:
    parts = [(kind, _read(file, low, high)) for kind, low, high in _elements(file, begin, end)]
    found = next((at for at, (kind, _) in enumerate(parts) if kind == _NAME), None)
    name, mark, tag = parts[found][1].rstrip(_LIST).partition(_LIST) if found is not None else (b"", b"", b"")
    if found is None or not mark:
        return False
    # As many bytes for its size as there were: EBML lets a number be written longer than it must. The language comes
    # last, for some readers keep what they find last.
    wide = 1 if len(parts[found][1]) < 127 else 2
    size = (len(name) | 1 << 7 * wide).to_bytes(wide, "big")
    named = _NAME.to_bytes(2, "big") + size + name
    at, told = begin, b""
    for number, (_, _, high) in enumerate(list(_elements(file, begin, end))):
        told += named if number == found else _read(file, at, high)
        at = high
    told += _LANGUAGE + bytes([0x80 | len(tag)]) + tag
    file.seek(begin)
    file.write(told)
    return True


def _read(file: BinaryIO, low: int, high: int) -> bytes:
    file.seek(low)
    return file.read(high - low)


def _elements(file: BinaryIO, begin: int, end: int) -> Iterator[tuple[int, int, int]]:
    """Each element's name and where its content begins and ends."""
    at = begin
    while at < end:
        file.seek(at)
        head = file.read(12)
        if len(head) < 2:
            return
        name = _width(head[0])
        size = _width(head[name])
        length = int.from_bytes(head[name: name + size], "big") & ((1 << 7 * size) - 1)
        low = at + name + size
        at = end if length == (1 << 7 * size) - 1 else min(low + length, end)
        yield int.from_bytes(head[:name], "big"), low, at


def _width(first: int) -> int:
    """How many bytes a number takes, by its first."""
    return 9 - max(first, 1).bit_length()
