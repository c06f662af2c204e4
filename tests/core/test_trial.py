"""The search for files that break a reader: it sees what it should, and finds nothing among the first hundred."""

from __future__ import annotations

from typing import Any

import pytest
from trial import files


def test_the_first_hundred_are_read_or_refused_with_a_sentence() -> None:
    assert files.batch(0) == []


def test_a_number_is_always_the_same_file() -> None:
    assert files.variant(7)[:2] == files.variant(7)[:2] != files.variant(8)[:2]


def test_what_is_wrong_is_seen(monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(data: bytes, name: str) -> Any:
        if data != b"a bell; a gull":
            raise KeyError(name)

    monkeypatch.setattr(files, "originals", lambda: [("bell.txt", b"a bell; a gull", breaks)])
    found = files.batch(0)
    assert len(found) > 50
    assert all("KeyError" in one.what for one in found)
