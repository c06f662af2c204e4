"""Moods as they are sent and told."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from janoglot.core.speech.moods import MOODS, STRONGEST, Moods
from janoglot.server.fields import FiniteField

Data = dict[str, Any]


class MoodSerializer(serializers.Serializer[Data]):
    mood = serializers.ChoiceField([(name, name) for name in MOODS])
    strength = FiniteField(default=1.0, min_value=0, max_value=STRONGEST, help_text="0 takes away what lies beneath.")


def moods_data(moods: Moods) -> list[Data]:
    return [{"mood": name, "strength": strength} for name, strength in moods]
