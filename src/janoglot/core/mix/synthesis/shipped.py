"""The sounds that come with the program: descriptions and compositions, made where they are first wanted."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Any

LICENCE = "Made by the program: free to use for anything."


@dataclass(frozen=True, slots=True)
class ShippedSound:
    """``sound`` as a cue names it."""

    id: str
    name: str
    kind: str
    tags: tuple[str, ...]
    sound: Mapping[str, Any]


@lru_cache(maxsize=1)
def shipped_sounds() -> tuple[ShippedSound, ...]:
    told = json.loads(files("janoglot.core.mix.synthesis").joinpath("shipped.json").read_text(encoding="utf-8"))
    return tuple(ShippedSound(one["id"], one["name"], one["kind"], tuple(one["tags"]), one["sound"]) for one in told)
