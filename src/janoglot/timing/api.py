"""Timing an edition: its limits, what is decided of single lines, cures, and what would be if."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.adapt.syllables import syllables
from janoglot.core.errors import BadInput
from janoglot.core.speech.quicker import quicker_voices
from janoglot.core.timing.aiming import aim
from janoglot.core.timing.cures import CURES, cures
from janoglot.core.timing.holds import place_growing
from janoglot.core.timing.placing import Placement
from janoglot.core.timing.settings import TIMING_BOUNDS, checked_timing, require_consistent
from janoglot.editions.line_api import LineSerializer, line_data
from janoglot.editions.state import EditionState
from janoglot.editions.timing_serializers import (
    HoldSerializer,
    LineTimingSerializer,
    TimingSettingsSerializer,
    holds_data,
    timing_data,
)
from janoglot.productions.models import Line
from janoglot.productions.permissions import edition_for
from janoglot.timing.actions.set_line_timing import set_line_timing
from janoglot.timing.actions.set_timing import set_timing
from janoglot.timing.mouths import lips_of, lips_of_wordings

Data = dict[str, Any]


class LipsAskSerializer(serializers.Serializer[Data]):
    texts = serializers.ListField(child=serializers.CharField(max_length=4000, allow_blank=True), max_length=12)


class LipsToldSerializer(serializers.Serializer[Data]):
    scores = serializers.ListField(child=serializers.FloatField(allow_null=True),
                                   help_text="0 to 1 for each text; null where no mouth is to be told.")
    best_first = serializers.ListField(child=serializers.IntegerField(), help_text="Which of the texts, best first.")


class TimingChangesSerializer(serializers.Serializer[Data]):
    settings = serializers.DictField(help_text="Fields of the timing by name; null puts one back.")


class LineTimingChangeSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), max_length=20_000)
    own = LineTimingSerializer(allow_null=True, help_text="Null has the lines follow the edition in all.")


class RetimedSerializer(serializers.Serializer[Data]):
    """What came of a change: the lines that lie otherwise than before."""

    seconds = serializers.FloatField()
    mix_recipe = serializers.CharField()
    settings = TimingSettingsSerializer()
    holds = HoldSerializer(many=True)
    lines = LineSerializer(many=True)


class MouthShapeSerializer(serializers.Serializer[Data]):
    at = serializers.FloatField(help_text="Seconds, from where the line begins.")
    shape = serializers.ChoiceField(["closed", "teeth", "open"])


class CureSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField(CURES)
    amount = serializers.FloatField()
    gain = serializers.FloatField(help_text="Seconds less that do not fit, of this line and those around it.")
    left = serializers.FloatField(help_text="Seconds of this line that still do not fit.")
    voice = serializers.CharField(allow_blank=True)
    own = LineTimingSerializer(allow_null=True, help_text="What to set of the line's timing to apply it.")


class StandingSerializer(serializers.Serializer[Data]):
    misfits = serializers.IntegerField()
    fast = serializers.IntegerField(help_text="Lines beyond the comfortable rate.")
    seconds = serializers.FloatField(help_text="Of the whole.")
    held = serializers.FloatField(help_text="Seconds for which the picture is held.")


class WhatIfSerializer(serializers.Serializer[Data]):
    now = StandingSerializer()
    then = StandingSerializer()
    lines = serializers.ListField(child=serializers.IntegerField(), help_text="That would no longer fit.")
    mended = serializers.ListField(child=serializers.IntegerField(), help_text="That would fit again.")


class LipsSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    score = serializers.FloatField(allow_null=True, help_text="0 to 1; null where there is nothing to tell.")
    nudge = serializers.FloatField(help_text="By how many seconds another start would agree better, as far as allowed.")
    nudged = serializers.FloatField(allow_null=True)
    original = MouthShapeSerializer(many=True, help_text="What the source's mouth does.")
    dub = MouthShapeSerializer(many=True)


class AimedSerializer(serializers.Serializer[Data]):
    pace = serializers.FloatField()
    untimed_rate = serializers.FloatField()
    seconds = serializers.FloatField()
    off = serializers.FloatField()


def _changed(state: EditionState, before: list[Placement], touched: set[int]) -> Data:
    return {
        "seconds": round(state.seconds, 3), "mix_recipe": state.mix_recipe,
        "settings": timing_data(state.row), "holds": holds_data(state.holds),
        "lines": [line_data(s, p, state.quality(s), timed.slot, shift) for s, old, p, timed, shift in zip(
            state.lines, before, state.placements, state.grown.lines, state.grown.shifts, strict=True)
                  if old != p or s.id in touched],
    }


class TimingView(APIView):
    @extend_schema(request=TimingChangesSerializer, responses=RetimedSerializer)
    def patch(self, request: Request, production_id: int, language: str) -> Response:
        """Change an edition's limits and tolerances; answered with the lines that lie otherwise now."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = TimingChangesSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        state = EditionState.load(edition)
        before = state.placements
        set_timing(request.user, edition, given.validated_data["settings"])
        state = EditionState.load(edition)
        return Response(_changed(state, before, set()))


class LineTimingsView(APIView):
    @extend_schema(request=LineTimingChangeSerializer, responses=RetimedSerializer)
    def patch(self, request: Request, production_id: int, language: str) -> Response:
        """Decide the timing of lines; answered with the lines that lie otherwise now."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = LineTimingChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        state = EditionState.load(edition)
        before = state.placements
        shifts = {s.id: shift for s, shift in zip(state.lines, state.grown.shifts, strict=True)}
        set_line_timing(request.user, edition, given.validated_data["lines"], given.validated_data["own"], shifts)
        state = EditionState.load(edition)
        return Response(_changed(state, before, set(given.validated_data["lines"])))


class CuresView(APIView):
    @extend_schema(responses=CureSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """What would make a line fit, the best first: each tried by placing the lines around it again."""
        state = EditionState.load(edition_for(request.user, production_id, language))
        at = next((k for k, s in enumerate(state.lines) if s.id == line_id), None)
        if at is None:
            raise Http404
        line = state.lines[at]
        count = syllables(line.words, language) if line.recipe else 0
        quicker = quicker_voices(line.voice, language) if line.voice else []
        found = cures(state.grown.lines, at, state.edition.timing, syllables=count, quicker=quicker)
        return Response([{**asdict(cure), "own": _own(cure.kind, cure.amount)} for cure in found])


def _own(kind: str, amount: float) -> Data | None:
    name = {"silence": "run_on", "early": "early", "faster": "hard_fast", "overlap": "overlap"}.get(kind)
    return {name: amount} if name else None


class WhatIfView(APIView):
    @extend_schema(parameters=[OpenApiParameter(name, float) for name in TIMING_BOUNDS], responses=WhatIfSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """How the edition would stand with other limits."""
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition)
        wanted = {name: _number(request.query_params[name]) for name in TIMING_BOUNDS if name in request.query_params}
        limits = replace(state.edition.timing, **checked_timing(wanted))
        require_consistent(limits)
        then = place_growing(state.timed_lines, state.growing, limits, edition.production.fps)
        now_bad = {p.id for p in state.placements if p.harm > 0}
        then_bad = {p.id for p in then.placements if p.harm > 0}
        return Response({
            "now": _standing(state.placements, sum(hold.seconds for hold in state.holds)),
            "then": _standing(then.placements, sum(hold.seconds for hold in then.holds)),
            "lines": sorted(then_bad - now_bad), "mended": sorted(now_bad - then_bad),
        })


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError as error:
        raise BadInput("“{text}” is not a number.", text=text[:40]) from error


def _standing(placements: list[Placement], held: float) -> Data:
    return {"misfits": sum(p.harm > 0 for p in placements), "fast": sum("fast" in p.flags for p in placements),
            "seconds": round(max((p.end for p in placements if p.seconds), default=0.0), 3), "held": round(held, 3)}


class LipsView(APIView):
    @extend_schema(responses=LipsSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Of every voiced line whose speaker is in sight: what both mouths do, and how well they agree."""
        edition = edition_for(request.user, production_id, language)
        if edition.is_source:
            return Response([])
        return Response(lips_of(EditionState.load(edition)))


class WordingLipsView(APIView):
    @extend_schema(request=LipsAskSerializer, responses=LipsToldSerializer)
    def post(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """How well wordings of a line would agree with the mouth that is seen, before any of them is voiced."""
        edition = edition_for(request.user, production_id, language)
        given = LipsAskSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        line = Line.objects.select_related("part").filter(production_id=production_id, pk=line_id).first()
        if line is None:
            raise Http404
        scores, best_first = lips_of_wordings(edition, line, given.validated_data["texts"])
        return Response({"scores": scores, "best_first": best_first})


class AimView(APIView):
    @extend_schema(parameters=[OpenApiParameter("seconds", float, required=True)], responses=AimedSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """What to set for a script without times to last so long."""
        edition = edition_for(request.user, production_id, language)
        seconds = _number(request.query_params.get("seconds", ""))
        if not 1 <= seconds <= 86_400:
            raise BadInput("A length lies between one second and a day.")
        state = EditionState.load(edition)
        if any(line.slot for line in state.timed_lines):
            raise BadInput("This script has times of its own; only one without them can be aimed at a length.")
        found = aim(state.timed_lines, seconds, state.edition.timing)
        return Response({"pace": found.pace, "untimed_rate": found.rate, "seconds": round(found.seconds, 2),
                         "off": round(found.off, 2)})

