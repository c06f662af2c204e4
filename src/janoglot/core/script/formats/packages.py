"""Files that are zip archives with XML inside, as office programs write them: opened with care."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager

from defusedxml.common import DefusedXmlException

from janoglot.core.errors import BadInput, JanoglotError

_LARGEST_INSIDE = 300 * 1024 * 1024
_MOST_FILES = 10_000
_MOST_TIMES_LARGER = 200


def holds(data: bytes, name: str) -> bool:
    """Whether ``data`` is an archive with a file called so."""
    if not data.startswith(b"PK"):
        return False
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return name in archive.namelist()
    except (zipfile.BadZipFile, ValueError, OSError):
        return False


@contextmanager
def opened(data: bytes, what: str) -> Iterator[io.BytesIO]:
    """The file for a reader, once it is known to be no trap. Raises BadInput where it is damaged or is one,
    whatever its reader stumbles over."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            inside = archive.infolist()
            size = sum(one.file_size for one in inside)
            if len(inside) > _MOST_FILES or size > _LARGEST_INSIDE or size > _MOST_TIMES_LARGER * len(data) + 1024**2:
                raise BadInput("This {what} file unpacks to {size:.0f} MB, which no script does.", what=what,
                               size=size / 1024**2)
    except (zipfile.BadZipFile, ValueError, OSError) as error:
        raise BadInput("This {what} file is damaged: it cannot be unpacked. Save it again.", what=what) from error
    try:
        yield io.BytesIO(data)
    except JanoglotError:
        raise
    except DefusedXmlException as error:
        raise BadInput("This {what} file holds XML that refers to other things, which is not read.",
                       what=what) from error
    except Exception as error:  # the readers raise what they like for a damaged file
        raise BadInput("This {what} file is damaged: {why}. Save it again.", what=what,
                       why=str(error)[:120] or type(error).__name__) from error
