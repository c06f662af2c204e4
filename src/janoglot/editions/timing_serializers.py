"""What the interface for programs says about timing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from rest_framework import serializers

from janoglot.core.timing.holds import Hold
from janoglot.core.timing.settings import MODES, RATES, OwnTiming, TimingSettings, timing_of
from janoglot.productions.models import Edition
from janoglot.server.fields import number_fields

Data = dict[str, Any]


class RatesSerializer(serializers.Serializer[Data]):
    def get_fields(self) -> dict[str, serializers.Field]:  # type: ignore[type-arg]
        return number_fields(TimingSettings, RATES, required=False)


class TimingSettingsSerializer(serializers.Serializer[Data]):
    """Rates are multiples of the natural speed, everything else but the pace is in seconds."""

    speakers = serializers.DictField(child=RatesSerializer(), help_text="By speaker: that voice's own rates.")

    def get_fields(self) -> dict[str, serializers.Field]:  # type: ignore[type-arg]
        return {**number_fields(TimingSettings), **super().get_fields()}


class LineTimingSerializer(serializers.Serializer[Data]):
    """What a line has of its own; what is null follows the edition."""

    mode = serializers.ChoiceField(MODES, required=False)

    def get_fields(self) -> dict[str, serializers.Field]:  # type: ignore[type-arg]
        return {**super().get_fields(), **number_fields(OwnTiming, required=False, allow_null=True)}


class HoldSerializer(serializers.Serializer[Data]):
    part = serializers.IntegerField()
    at = serializers.FloatField(help_text="Seconds, in the source's picture.")
    seconds = serializers.FloatField()
    frames = serializers.IntegerField()


def timing_data(edition: Edition) -> Data:
    return {**asdict(timing_of(edition.timing)), "speakers": edition.timing.get("speakers", {})}


def holds_data(holds: Sequence[Hold]) -> list[Data]:
    return [{"part": int(hold.part), "at": hold.at, "seconds": round(hold.seconds, 4), "frames": hold.frames}
            for hold in holds]
