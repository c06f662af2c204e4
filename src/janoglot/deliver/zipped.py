"""One file of an archive, served as if it lay by itself: what is stored in it unpacked is read where it lies."""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Iterator
from pathlib import Path

_BLOCK = 256 * 1024
_LOCAL_HEAD = 30
"""Bytes before a file's name in an archive (PKWARE's APPNOTE 4.3.7)."""


class ZippedFile:
    """As :func:`janoglot.server.storage.serve` takes a file of a store. Raises KeyError for what is not in it."""

    def __init__(self, archive: Path, path: str) -> None:
        with zipfile.ZipFile(archive) as opened:
            info = opened.getinfo(path)
        if info.compress_type != zipfile.ZIP_STORED:
            raise KeyError(path)
        self._archive, self._info = archive, info

    def size(self, key: str) -> int:
        return self._info.file_size

    def blocks(self, key: str, first: int, last: int) -> Iterator[bytes]:
        with self._archive.open("rb") as file:
            file.seek(self._info.header_offset)
            name, extra = struct.unpack_from("<HH", file.read(_LOCAL_HEAD), 26)
            file.seek(self._info.header_offset + _LOCAL_HEAD + name + extra + first)
            left = last + 1 - first
            while left > 0 and (data := file.read(min(left, _BLOCK))):
                left -= len(data)
                yield data
