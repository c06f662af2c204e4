"""Where takes and mixes are kept, and how they are served."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

from janoglot.core.store import FolderStore

_RANGE = re.compile(r"^bytes=(\d*)-(\d*)$")
_BLOCK = 256 * 1024


@lru_cache(maxsize=1)
def takes() -> FolderStore:
    return FolderStore(settings.VAR / "takes")


@lru_cache(maxsize=1)
def mixes() -> FolderStore:
    return FolderStore(settings.VAR / "mixes")


def media() -> FolderStore:
    """Recordings that were brought in, and the copies of them."""
    return FolderStore(settings.VAR / "media")


def serve_sound(request: HttpRequest, place: Path, name: str, kind: str = "audio/wav",
                download: bool = False) -> HttpResponseBase:
    """A file with support for one range (RFC 9110, 14.2), so that a player can seek in it.

    ``place`` is immutable, so its name serves as the entity tag.
    """
    size = place.stat().st_size
    tag = f'"{place.stem}"'
    asked = request.headers.get("Range", "")
    condition = request.headers.get("If-Range")
    match = _RANGE.match(asked.strip()) if asked and condition in (None, tag) else None
    response: HttpResponseBase
    if match and (match[1] or match[2]):
        first = int(match[1]) if match[1] else max(0, size - int(match[2]))
        last = min(int(match[2]), size - 1) if match[1] and match[2] else size - 1
        if first > last or first >= size:
            response = HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
            return response
        response = StreamingHttpResponse(_piece(place, first, last), status=206, content_type=kind)
        response.headers["Content-Range"] = f"bytes {first}-{last}/{size}"
        response.headers["Content-Length"] = str(last - first + 1)
    else:
        if request.headers.get("If-None-Match") == tag:
            return HttpResponse(status=304, headers={"ETag": tag})
        if request.method == "HEAD":
            # Asked whether it can be had: told of it, with nothing of it.
            response = HttpResponse(content_type=kind, headers={"Content-Length": str(size)})
        else:
            response = FileResponse(place.open("rb"), content_type=kind)
    disposition = "attachment" if download else "inline"
    response.headers["Content-Disposition"] = content_disposition(disposition, name)
    response.headers["Accept-Ranges"] = "bytes"
    response.headers["ETag"] = tag
    # The address names one edition, whose sound changes: ask each time, and be told "not modified".
    response.headers["Cache-Control"] = "private, no-cache"
    return response


def content_disposition(disposition: str, name: str) -> str:
    """RFC 6266, with the name in UTF-8 for whoever reads it and in ASCII for who does not."""
    from urllib.parse import quote

    plain = re.sub(r"[^A-Za-z0-9._-]", "_", name)
    return f"{disposition}; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"


def _piece(place: Path, first: int, last: int) -> Iterator[bytes]:
    with place.open("rb") as file:
        file.seek(first)
        left = last - first + 1
        while left > 0:
            block = file.read(min(_BLOCK, left))
            if not block:
                return
            left -= len(block)
            yield block
