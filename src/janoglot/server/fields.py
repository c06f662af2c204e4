"""Fields of the interface for programs that are stricter than their library's."""

from __future__ import annotations

import math
from collections.abc import Collection
from typing import Any

from rest_framework import serializers

from janoglot.core.settings import help_of


class FiniteField(serializers.FloatField):
    """A number: neither “nan” nor an infinity, which pass for floats and can be compared with nothing."""

    def to_internal_value(self, data: Any) -> float:
        value = super().to_internal_value(data)
        if not math.isfinite(value):
            self.fail("invalid")
        return float(value)


def number_fields(settings: type, only: Collection[str] = (), **options: Any) -> dict[str, serializers.Field]:  # type: ignore[type-arg]
    """A field for each number of a dataclass of settings, or for ``only`` some of them, in its order. Bounds are for
    the core to check, which says more."""
    return {name: FiniteField(help_text=text or None, **options)
            for name, text in help_of(settings).items() if not only or name in only}
