"""Where made things are kept: immutable files named by the hash of their recipe, or of what is in them."""

from __future__ import annotations

import errno
import os
import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import count
from pathlib import Path
from typing import BinaryIO, Protocol

from janoglot.core.errors import JanoglotError

_numbers = count()
_BLOCK = 256 * 1024


class StoreFull(JanoglotError):
    code = "disk_full"


@dataclass(frozen=True, slots=True)
class Kept:
    """A file in a store: its name, its bytes, and when it was written (seconds since 1970)."""

    key: str
    size: int
    at: float


class Store(Protocol):
    """A place for made things. ``key`` is ``<hash>.<extension>``."""

    def has(self, key: str) -> bool: ...

    def path(self, key: str) -> Path:
        """A local file to read. Raises FileNotFoundError where the key is not there."""
        ...

    def write(self, key: str, make: Callable[[Path], None]) -> Path:
        """Keep what ``make`` writes to the path it is given; whole or not at all."""
        ...

    def remove(self, key: str) -> None: ...

    def size(self, key: str) -> int:
        """Bytes. Raises FileNotFoundError where the key is not there."""
        ...

    def blocks(self, key: str, first: int, last: int) -> Iterator[bytes]:
        """The bytes from ``first`` to ``last``, both counted in. Raises FileNotFoundError where the key is not there.
        """
        ...

    def all(self) -> Iterator[Kept]:
        """Everything in it."""
        ...


class FolderStore:
    """Made things in a folder of this machine, spread over 256 sub-folders."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def _place(self, key: str) -> Path:
        return self.root / key[:2] / key

    def has(self, key: str) -> bool:
        return self._place(key).is_file()

    def path(self, key: str) -> Path:
        place = self._place(key)
        if not place.is_file():
            raise FileNotFoundError(key)
        return place

    def write(self, key: str, make: Callable[[Path], None]) -> Path:
        place = self._place(key)
        if not place.parent.is_dir():
            place.parent.mkdir(parents=True, exist_ok=True)
        with atomic_file(place) as half:
            make(half)
        return place

    def remove(self, key: str) -> None:
        self._place(key).unlink(missing_ok=True)

    def size(self, key: str) -> int:
        return self.path(key).stat().st_size

    def blocks(self, key: str, first: int, last: int) -> Iterator[bytes]:
        # Opened before the first block is asked for: what is not there is said at once, and what goes then is read.
        return _blocks(self.path(key).open("rb"), first, last)

    def all(self) -> Iterator[Kept]:
        for place in self.root.glob("*/*") if self.root.is_dir() else []:
            try:
                found = place.stat()
            except FileNotFoundError:
                continue
            if place.is_file() and not place.name.startswith("."):
                yield Kept(place.name, found.st_size, found.st_mtime)


def _blocks(file: BinaryIO, first: int, last: int) -> Iterator[bytes]:
    with file:
        file.seek(first)
        left = last - first + 1
        while left > 0:
            block = file.read(min(_BLOCK, left))
            if not block:
                return
            left -= len(block)
            yield block


@contextmanager
def atomic_file(place: Path) -> Iterator[Path]:
    """A path beside ``place`` to write to, moved onto it when the block ends well and removed when not.

    Nobody ever finds half a file under a valid name. Raises StoreFull where the disk has no room.
    """
    # A name that nobody else has, without asking the disk: many small files are written.
    half = place.with_name(f".half-{os.getpid()}-{next(_numbers)}{secrets.token_hex(4)}{place.suffix}")
    try:
        yield half
        os.replace(half, place)
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise StoreFull("The disk is full: {place} was not written. Free some space and go on.",
                            place=str(place)) from error
        raise
    finally:
        half.unlink(missing_ok=True)
