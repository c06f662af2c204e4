"""Fields of the interface for programs that are stricter than their library's."""

from __future__ import annotations

import math
from typing import Any

from rest_framework import serializers


class FiniteField(serializers.FloatField):
    """A number: neither “nan” nor an infinity, which pass for floats and can be compared with nothing."""

    def to_internal_value(self, data: Any) -> float:
        value = super().to_internal_value(data)
        if not math.isfinite(value):
            self.fail("invalid")
        return float(value)
