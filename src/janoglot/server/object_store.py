"""Made things in a bucket of an object storage that speaks the S3 protocol, with a folder of this machine before it."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from boto3.s3.transfer import TransferConfig
from botocore.exceptions import BotoCoreError, ClientError

from janoglot.core.errors import JanoglotError
from janoglot.core.store import FolderStore, Kept

_BLOCK = 256 * 1024
LINK_SECONDS = 3600
"""How long a link that was handed out serves: a long download may begin a while after it was asked for."""
_YOUNG = 600.0
"""Seconds. What was fetched or made so lately is in somebody's hand."""
_ABSENT = {"404", "NoSuchKey", "NotFound"}
# One thread each: workers and web servers are many already.
_TRANSFER = TransferConfig(use_threads=False)


class StoreAway(JanoglotError):
    """The object storage cannot be reached, or refuses us."""

    code = "away"


class ObjectStore:
    """Made things under ``prefix`` of a bucket. What is read or written lies in the folder ``near`` too: keys name what
    never changes, so a file that is there is right."""

    def __init__(self, client: Any, bucket: str, prefix: str, near: FolderStore) -> None:
        self.client = client
        self.bucket = bucket
        self.prefix = f"{prefix.strip('/')}/" if prefix.strip("/") else ""
        self.near = near

    def _where(self, key: str) -> dict[str, str]:
        return {"Bucket": self.bucket, "Key": self.prefix + key}

    def has(self, key: str) -> bool:
        # Asked of the bucket each time: others may have taken it out.
        try:
            self.size(key)
        except FileNotFoundError:
            return False
        return True

    def path(self, key: str) -> Path:
        if not self.near.has(key):
            with _answered(key):
                self.near.write(key, lambda half: self.client.download_file(
                    self.bucket, self.prefix + key, str(half), Config=_TRANSFER))
        place = self.near.path(key)
        # What was used last is let go of last.
        os.utime(place)
        return place

    def write(self, key: str, make: Callable[[Path], None]) -> Path:
        def and_send(half: Path) -> None:
            make(half)
            with _answered(key):
                self.client.upload_file(str(half), self.bucket, self.prefix + key, Config=_TRANSFER)

        return self.near.write(key, and_send)

    def remove(self, key: str) -> None:
        with _answered(key):
            self.client.delete_object(**self._where(key))
        self.near.remove(key)

    def size(self, key: str) -> int:
        with _answered(key):
            return int(self.client.head_object(**self._where(key))["ContentLength"])

    def blocks(self, key: str, first: int, last: int) -> Iterator[bytes]:
        with _answered(key):
            body = self.client.get_object(**self._where(key), Range=f"bytes={first}-{last}")["Body"]
        found: Iterator[bytes] = body.iter_chunks(_BLOCK)
        return found

    def all(self) -> Iterator[Kept]:
        with _answered(self.prefix):
            for page in self.client.get_paginator("list_objects_v2").paginate(Bucket=self.bucket, Prefix=self.prefix):
                for one in page.get("Contents", []):
                    yield Kept(one["Key"][len(self.prefix):], int(one["Size"]), one["LastModified"].timestamp())

    def link(self, key: str, disposition: str, kind: str) -> str:
        """An address to take it from without us, for an hour; the storage serves ranges of it."""
        found: str = self.client.generate_presigned_url("get_object", ExpiresIn=LINK_SECONDS, Params={
            **self._where(key), "ResponseContentDisposition": disposition, "ResponseContentType": kind})
        return found

    def trim(self, most: int) -> int:
        """Take out of the folder before it what was used longest ago, until it holds ``most`` bytes. Gives what that
        freed."""
        held = sorted(self.near.all(), key=lambda one: one.at)
        over, freed = sum(one.size for one in held) - most, 0
        for one in held:
            if freed >= over or time.time() - one.at < _YOUNG:
                break
            self.near.remove(one.key)
            freed += one.size
        return freed


@contextmanager
def _answered(key: str) -> Iterator[None]:
    """Raises FileNotFoundError for what is not there, StoreAway for everything else that goes wrong."""
    try:
        yield
    except ClientError as error:
        if error.response.get("Error", {}).get("Code") in _ABSENT:
            raise FileNotFoundError(key) from error
        raise StoreAway("The object storage refuses this: {why}", why=str(error)[:160]) from error
    except BotoCoreError as error:
        raise StoreAway("The object storage cannot be reached just now: {why} Try again in a moment.",
                        why=str(error)[:160]) from error
