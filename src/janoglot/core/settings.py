"""Settings as fields of a dataclass: each says its usual value, its bounds and what it is for, and everything else is
made from that: checks, the interface for programs, its documents and its clients' types."""

from __future__ import annotations

from dataclasses import field, fields
from typing import Any

from janoglot.core.errors import BadInput

Bounds = tuple[float, float]


def setting(usual: Any, low: float, high: float, help_text: str = "") -> Any:
    """A field of a dataclass of settings: a number between ``low`` and ``high``."""
    return field(default=usual, metadata={"bounds": (low, high), "help": help_text})


def bounds_of(settings: type) -> dict[str, Bounds]:
    """By name of a setting: the least and the most that it may be."""
    return {one.name: one.metadata["bounds"] for one in fields(settings) if "bounds" in one.metadata}


def help_of(settings: type) -> dict[str, str]:
    """By name of a setting: what it is for, where that is not plain from its name."""
    return {one.name: one.metadata["help"] for one in fields(settings) if "bounds" in one.metadata}


def within(name: str, value: Any, bounds: Bounds) -> float:
    """``value`` as a number. Raises BadInput for what is none, or lies outside ``bounds``."""
    low, high = bounds
    if not isinstance(value, int | float) or isinstance(value, bool) or not low <= value <= high:
        raise BadInput("“{name}” must lie between {low} and {high}.", name=name.replace("_", " "), low=low, high=high)
    return float(value)
