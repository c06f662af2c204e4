"""The build graph's one rule: a made thing is named by the hash of everything that it was made from."""

from __future__ import annotations

import dataclasses
import hashlib
import json
from typing import Any

_LENGTH = 40


def recipe_hash(kind: str, /, **inputs: Any) -> str:
    """A stable name for the thing of ``kind`` made from ``inputs``: 40 hex digits of SHA-256.

    ``inputs`` may hold JSON values, dataclasses, tuples and nested mixtures of them; equal inputs give
    equal hashes in every process and on every machine. Floats are taken at nine significant digits, so
    that a value which went through a database and back names the same thing.

    Of a dataclass only what differs from its defaults is taken, and what it lists in ``IN_EVERY_RECIPE``: the fields
    that were there when the first things were made from it. A field that is added later, with a default under which
    everything is as before, leaves every name as it was.

    Raises TypeError for anything else, rather than hash a memory address.
    """
    text = json.dumps([kind, _plain(inputs)], sort_keys=True, ensure_ascii=False, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()[:_LENGTH]


def _plain(value: Any) -> Any:
    if value is None or isinstance(value, (bool, int, str)):
        return value
    if isinstance(value, float):
        return float(f"{value:.9g}")
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        always = getattr(value, "IN_EVERY_RECIPE", ())
        return {f.name: _plain(getattr(value, f.name)) for f in dataclasses.fields(value)
                if f.name in always or getattr(value, f.name) != _default(f)}
    if isinstance(value, dict):
        return {str(key): _plain(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plain(item) for item in value]
    raise TypeError(f"{type(value).__name__} cannot be part of a recipe")


def _default(field: dataclasses.Field[Any]) -> Any:
    if field.default_factory is not dataclasses.MISSING:
        return field.default_factory()
    return field.default
