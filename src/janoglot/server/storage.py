"""Where takes, mixes and recordings are kept, and how they are served."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Any, Protocol
from urllib.parse import quote

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, StreamingHttpResponse
from django.http.response import HttpResponseBase

from janoglot.core.store import FolderStore, Store
from janoglot.server.object_store import ObjectStore

_RANGE = re.compile(r"^bytes=(\d*)-(\d*)$")
STORES = ("takes", "mixes", "media", "handed")


@lru_cache(maxsize=len(STORES))
def store_named(name: str) -> Store:
    """One of our stores: a folder of this machine, or where the settings name a bucket, there."""
    # What people brought in can be made from nothing.
    folder = FolderStore(settings.VAR / name, lasting=name == "media")
    if not settings.STORE_BUCKET:
        return folder
    prefix = "/".join(part for part in (settings.STORE_PREFIX, name) if part)
    return ObjectStore(_client(), settings.STORE_BUCKET, prefix, folder)


@lru_cache(maxsize=1)
def _client() -> Any:
    import boto3
    from botocore.config import Config

    # Credentials and the region come from where boto3 looks for them: the environment, a file, the machine's role.
    return boto3.client("s3", endpoint_url=settings.STORE_ENDPOINT or None, config=Config(
        signature_version="s3v4", connect_timeout=5, read_timeout=30, retries={"max_attempts": 3, "mode": "standard"},
        s3={"addressing_style": "path" if settings.STORE_ENDPOINT else "auto"}))


def forget_stores() -> None:
    """Where the settings have changed."""
    store_named.cache_clear()
    _client.cache_clear()


def takes() -> Store:
    return store_named("takes")


def mixes() -> Store:
    return store_named("mixes")


def media() -> Store:
    """Recordings that were brought in, and the copies of them."""
    return store_named("media")


def handed() -> Store:
    """What was made to be handed over."""
    return store_named("handed")


class Served(Protocol):
    """What a file is served from: a store, or what puts one together."""

    def size(self, key: str) -> int: ...

    def blocks(self, key: str, first: int, last: int) -> Iterator[bytes]: ...


def serve(request: HttpRequest, store: Served, key: str, name: str, kind: str = "audio/wav",
          download: bool = False) -> HttpResponseBase:
    """A file of a store with support for one range (RFC 9110, 14.2), so that a player can seek in it.

    What lies in a bucket is downloaded from there, by a signed link; where a web server stands before this one that
    takes X-Accel-Redirect, that serves what lies in a folder. Both serve ranges of their own. Raises FileNotFoundError.

    Files are immutable, so their names serve as entity tags.
    """
    size = store.size(key)
    tag = f'"{key.rpartition(".")[0]}"'
    disposition = content_disposition("attachment" if download else "inline", name)
    if request.method == "GET" and download and isinstance(store, ObjectStore):
        # Only what is saved: what a page plays would be another site's to it.
        response: HttpResponseBase = HttpResponseRedirect(store.link(key, disposition, kind))
        response.headers["Cache-Control"] = "private, no-store"
        return response
    if request.method == "GET" and settings.ACCEL and isinstance(store, FolderStore):
        place = store.path(key).relative_to(settings.VAR)
        response = HttpResponse(content_type=kind, headers={"X-Accel-Redirect": f"{settings.ACCEL}{quote(str(place))}"})
    else:
        response = _served(request, store, key, size, tag, kind)
    if response.status_code in (200, 206):
        response.headers["Content-Disposition"] = disposition
        response.headers["Accept-Ranges"] = "bytes"
        response.headers["ETag"] = tag
        # The address names one edition, whose sound changes: ask each time, and be told "not modified".
        response.headers["Cache-Control"] = "private, no-cache"
    return response


def _served(request: HttpRequest, store: Served, key: str, size: int, tag: str, kind: str) -> HttpResponseBase:
    asked = request.headers.get("Range", "")
    match = _RANGE.match(asked.strip()) if asked and request.headers.get("If-Range") in (None, tag) else None
    if match and (match[1] or match[2]):
        first = int(match[1]) if match[1] else max(0, size - int(match[2]))
        last = min(int(match[2]), size - 1) if match[1] and match[2] else size - 1
        if first > last or first >= size:
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
        response = StreamingHttpResponse(store.blocks(key, first, last), status=206, content_type=kind)
        response.headers["Content-Range"] = f"bytes {first}-{last}/{size}"
        response.headers["Content-Length"] = str(last - first + 1)
        return response
    if request.headers.get("If-None-Match") == tag:
        return HttpResponse(status=304, headers={"ETag": tag})
    if request.method == "HEAD" or not size:
        # Asked whether it can be had: told of it, with nothing of it.
        return HttpResponse(content_type=kind, headers={"Content-Length": str(size)})
    response = StreamingHttpResponse(store.blocks(key, 0, size - 1), content_type=kind)
    response.headers["Content-Length"] = str(size)
    return response


def content_disposition(disposition: str, name: str) -> str:
    """RFC 6266, with the name in UTF-8 for whoever reads it and in ASCII for who does not."""
    plain = re.sub(r"[^A-Za-z0-9._-]", "_", name)
    return f"{disposition}; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"
