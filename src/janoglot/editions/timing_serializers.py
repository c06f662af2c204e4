"""What the interface for programs says about timing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from rest_framework import serializers

from janoglot.core.timing.holds import Hold
from janoglot.core.timing.placing import MODES
from janoglot.editions.timing_settings import settings_of
from janoglot.productions.models import Edition
from janoglot.server.fields import FiniteField

Data = dict[str, Any]


class RatesSerializer(serializers.Serializer[Data]):
    comfortable_slow = FiniteField(required=False)
    comfortable_fast = FiniteField(required=False)
    hard_slow = FiniteField(required=False)
    hard_fast = FiniteField(required=False)


class TimingSettingsSerializer(serializers.Serializer[Data]):
    """Rates are multiples of the natural speed, everything else but the pace is in seconds."""

    comfortable_slow = serializers.FloatField()
    comfortable_fast = serializers.FloatField()
    hard_slow = serializers.FloatField()
    hard_fast = serializers.FloatField()
    early = serializers.FloatField(help_text="How far before its in-time a line may start.")
    late = serializers.FloatField()
    tight_early = serializers.FloatField(help_text="The same where the mouth is in sight.")
    tight_late = serializers.FloatField()
    run_on = serializers.FloatField(help_text="How much of the silence after its slot a line may use.")
    pace = serializers.FloatField(help_text="Above 1: shorter pauses between lines without times.")
    untimed_rate = serializers.FloatField(help_text="The rate of lines without times.")
    breath = serializers.FloatField(help_text="Kept free before whoever speaks next.")
    speakers = serializers.DictField(child=RatesSerializer(), help_text="By speaker: that voice's own rates.")


class LineTimingSerializer(serializers.Serializer[Data]):
    """What a line has of its own; what is null follows the edition."""

    mode = serializers.ChoiceField(MODES, required=False)
    at = FiniteField(required=False, allow_null=True)
    seconds = FiniteField(required=False, allow_null=True)
    hard_fast = FiniteField(required=False, allow_null=True)
    early = FiniteField(required=False, allow_null=True)
    late = FiniteField(required=False, allow_null=True)
    run_on = FiniteField(required=False, allow_null=True)
    overlap = FiniteField(required=False, allow_null=True)
    pause = FiniteField(required=False, allow_null=True)


class HoldSerializer(serializers.Serializer[Data]):
    part = serializers.IntegerField()
    at = serializers.FloatField(help_text="Seconds, in the source's picture.")
    seconds = serializers.FloatField()
    frames = serializers.IntegerField()


def timing_data(edition: Edition) -> Data:
    return {**asdict(settings_of(edition)), "speakers": edition.timing.get("speakers", {})}


def holds_data(holds: Sequence[Hold]) -> list[Data]:
    return [{"part": int(hold.part), "at": hold.at, "seconds": round(hold.seconds, 4), "frames": hold.frames}
            for hold in holds]
