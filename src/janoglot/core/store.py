"""Where made things are kept: immutable files named by the hash of their recipe, or of what is in them.

How long each is and its checksum are noted beside it when it is written. A file that is not as long as it was, because
somebody cut it off or a disk did, is not there for whoever asks, so that it is made again; what is right in length and
wrong inside is found by :meth:`FolderStore.is_whole`.
"""

from __future__ import annotations

import errno
import fcntl
import os
import secrets
import shutil
import tempfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import count
from pathlib import Path
from threading import Lock
from typing import BinaryIO, Protocol
from weakref import WeakValueDictionary

from janoglot.core.errors import JanoglotError

_numbers = count()
_BLOCK = 256 * 1024


_SUMS = ".sums"
_HALF = ".half-"


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


_in_hand: WeakValueDictionary[str, Lock] = WeakValueDictionary()
_in_hand_lock = Lock()


@contextmanager
def one_at_a_time(key: str) -> Iterator[None]:
    """Of this process's threads one makes what ``key`` names; the others wait for it, and find it there. What is made
    by two at once is right too, but takes each of them twice as long."""
    with _in_hand_lock:
        lock = _in_hand.setdefault(key, Lock())
    with lock:
        yield


class FolderStore:
    """Made things in a folder of this machine, spread over 256 sub-folders.

    ``lasting``: what is in it can be made from nothing else. Its files' names are on the disk too, before anybody is
    told that they are there; of others the bytes alone are: one whose name a failing machine forgot is made again.
    """

    def __init__(self, root: Path, lasting: bool = False) -> None:
        self.root = root
        self._lasting = lasting
        self._sums = _Sums(root)

    def _place(self, key: str) -> Path:
        return self.root / key[:2] / key

    def has(self, key: str) -> bool:
        return self._found(key) is not None

    def _found(self, key: str) -> int | None:
        """The bytes of a file that is there as it was written."""
        try:
            found = self._place(key).stat()
        except (FileNotFoundError, NotADirectoryError):
            return None
        return found.st_size if self._sums.agree(key, found.st_size) else None

    def path(self, key: str) -> Path:
        if self._found(key) is None:
            raise FileNotFoundError(key)
        return self._place(key)

    def write(self, key: str, make: Callable[[Path], None]) -> Path:
        place = self._place(key)
        if not place.parent.is_dir():
            place.parent.mkdir(parents=True, exist_ok=True)
        with atomic_file(place, self._lasting) as half:
            make(half)
            self._sums.note(key, *_sum(half))
        return place

    def is_whole(self, key: str) -> bool | None:
        """Whether a file holds what was written, by reading all of it; None where that was not noted. Raises
        FileNotFoundError where there is none of that name."""
        found, known = _sum(self._place(key)), self._sums.known(key)
        return None if known is None else found == known

    def unfinished(self) -> Iterator[Kept]:
        """What a process that ended in the middle of writing has left: files, and folders that it worked in."""
        for place in self._unfinished("*"):
            try:
                inside = [one.stat() for one in ([place] if place.is_file() else place.rglob("*"))]
                yield Kept(place.name, sum(one.st_size for one in inside), place.stat().st_mtime)
            except FileNotFoundError:
                continue

    def _unfinished(self, name: str) -> Iterator[Path]:
        for where in ("", "*/"):
            for place in self.root.glob(where + name):
                if place.name.startswith((_HALF, tempfile.template)):
                    yield place

    def remove_unfinished(self, kept: Kept) -> None:
        for place in self._unfinished(kept.key):
            if place.is_dir():
                shutil.rmtree(place, ignore_errors=True)
            else:
                place.unlink(missing_ok=True)

    def forget_sums(self) -> None:
        """Note no longer what files were that are gone."""
        for folder in self.root.glob("??"):
            self._sums.keep_only(folder.name, {place.name for place in folder.iterdir()})

    def remove(self, key: str) -> None:
        self._place(key).unlink(missing_ok=True)

    def size(self, key: str) -> int:
        found = self._found(key)
        if found is None:
            raise FileNotFoundError(key)
        return found

    def blocks(self, key: str, first: int, last: int) -> Iterator[bytes]:
        # Opened before the first block is asked for: what is not there is said at once, and what goes then is read.
        return _blocks(self.path(key).open("rb"), first, last)

    def all(self) -> Iterator[Kept]:
        for place in self.root.glob("*/*") if self.root.is_dir() else []:
            try:
                found = place.stat()
            except FileNotFoundError:
                continue
            if place.is_file() and not place.name.startswith((".", tempfile.template)):
                yield Kept(place.name, found.st_size, found.st_mtime)


def _sum(place: Path) -> tuple[int, int]:
    """Length and CRC-32 of a file."""
    size = crc = 0
    with place.open("rb") as file:
        while block := file.read(_BLOCK):
            size, crc = size + len(block), zlib.crc32(block, crc)
    return size, crc


class _Sums:
    """What was written to a store's folders, by key: a file of lines in each, which only grows, and is read again where
    it says otherwise than a file that is there."""

    def __init__(self, root: Path) -> None:
        self._root = root
        self._read: dict[str, tuple[tuple[int, int], dict[str, tuple[int, int]]]] = {}

    def _place(self, folder: str) -> Path:
        return self._root / folder / _SUMS

    def note(self, key: str, size: int, crc: int) -> None:
        with self._place(key[:2]).open("ab") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            file.write(f"{key} {size} {crc:08x}\n".encode())

    def known(self, key: str) -> tuple[int, int] | None:
        place = self._place(key[:2])
        try:
            found = place.stat()
        except FileNotFoundError:
            return None
        mark = (found.st_mtime_ns, found.st_size)
        held = self._read.get(key[:2])
        if held is None or held[0] != mark:
            held = self._read[key[:2]] = mark, _sums_in(place)
        return held[1].get(key)

    def agree(self, key: str, size: int) -> bool:
        """Whether a file is as long as it was written. One that nobody has noted is taken as it is."""
        held = self._read.get(key[:2])
        noted = held[1].get(key) if held else None
        if noted and noted[0] == size:
            return True
        noted = self.known(key)
        return noted is None or noted[0] == size

    def keep_only(self, folder: str, names: set[str]) -> None:
        with self._place(folder).open("a+b") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            left = {key: sums for key, sums in _sums_in(self._place(folder)).items() if key in names}
            file.truncate(0)
            file.write("".join(f"{key} {size} {crc:08x}\n" for key, (size, crc) in left.items()).encode())


def _sums_in(place: Path) -> dict[str, tuple[int, int]]:
    found: dict[str, tuple[int, int]] = {}
    for line in place.read_text(errors="replace").splitlines():
        match line.split(" "):
            case [key, size, crc] if size.isdecimal() and len(crc) == 8:
                try:
                    found[key] = int(size), int(crc, 16)
                except ValueError:
                    continue
    return found


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
def atomic_file(place: Path, lasting: bool = False) -> Iterator[Path]:
    """A path beside ``place`` to write to, moved onto it when the block ends well and removed when not.

    Nobody ever finds half a file under a valid name, not even after a failure of power: its bytes are on the disk
    before it has that name; where it is ``lasting`` its name is, too, when the block has ended. Raises StoreFull where
    the disk has no room.
    """
    # A name that nobody else has, without asking the disk: many small files are written.
    half = place.with_name(f"{_HALF}{os.getpid()}-{next(_numbers)}{secrets.token_hex(4)}{place.suffix}")
    try:
        yield half
        _sync(half)
        os.replace(half, place)
        if lasting:
            _sync(place.parent)
    except JanoglotError:
        raise
    except Exception as error:
        # What writes sound says only that it could not.
        if is_full(error, place.parent):
            raise StoreFull("The disk is full: {name} was not written. Free some space and go on.",
                            name=place.name) from error
        raise
    finally:
        half.unlink(missing_ok=True)


_HARDLY = 64 * 1024
"""Bytes. With less than this free nothing is written to its end."""


def is_full(error: BaseException, folder: Path) -> bool:
    """Whether something failed for want of room on the disk of ``folder``."""
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return True
    try:
        return isinstance(error, OSError | RuntimeError) and shutil.disk_usage(folder).free < _HARDLY
    except OSError:
        return False


def _sync(place: Path) -> None:
    """Have a file, or what a folder says of its files, on the disk. ``JANOGLOT_SYNC=0`` leaves that to the system, for
    tests."""
    if os.environ.get("JANOGLOT_SYNC") == "0":
        return
    opened = os.open(place, os.O_RDONLY)
    try:
        os.fsync(opened)
    finally:
        os.close(opened)
