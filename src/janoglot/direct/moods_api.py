"""Moods: which there are, what plain words ask for, and where they are set beside the single line."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.speech.directing import MARK_BOUNDS
from janoglot.core.speech.mood_words import understood
from janoglot.core.speech.moods import MOODS, moods_of
from janoglot.core.speech.settings import SETTINGS
from janoglot.direct.actions.set_direction import set_moods
from janoglot.direct.actions.set_part_direction import set_part_direction
from janoglot.editions.mood_serializers import MoodSerializer, moods_data
from janoglot.productions.models import Line, Part, PartDirection, Speaker
from janoglot.productions.permissions import edition_for
from janoglot.server.fields import FiniteField

Data = dict[str, Any]
DIAL_CHOICES = [(kind, kind) for kind in MARK_BOUNDS]
_LONGEST_TOLD = 300


class DialSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField(DIAL_CHOICES)
    amount = serializers.FloatField()
    place = serializers.ChoiceField([("", ""), ("start", "start"), ("end", "end")])


class UnderstoodSerializer(serializers.Serializer[Data]):
    moods = MoodSerializer(many=True)
    dials = DialSerializer(many=True)
    missed = serializers.ListField(child=serializers.CharField(), help_text="What nothing was made of.")
    names = serializers.ListField(child=serializers.CharField(), help_text="All moods that there are.")


class UnderstandingView(APIView):
    @extend_schema(parameters=[OpenApiParameter("told", str, description="How it should sound, in plain English.")],
                   responses=UnderstoodSerializer)
    def get(self, request: Request) -> Response:
        """What plain words ask for: moods with their strengths, dials, and what was not understood."""
        found = understood(request.query_params.get("told", "")[:_LONGEST_TOLD])
        return Response({
            "moods": moods_data(found.moods), "missed": found.missed, "names": list(MOODS),
            "dials": [{"kind": kind, "amount": amount, "place": place} for kind, amount, place in found.dials]})


class MoodsOfLinesSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), max_length=20_000)
    moods = MoodSerializer(many=True)


class MoodsView(APIView):
    @extend_schema(request=MoodsOfLinesSerializer, responses={204: None})
    def put(self, request: Request, production_id: int, language: str) -> Response:
        """Give the same moods to some lines."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = MoodsOfLinesSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        lines = list(Line.objects.filter(production_id=production_id, pk__in=given.validated_data["lines"]))
        set_moods(request.user, edition, lines, given.validated_data["moods"])
        return Response(status=status.HTTP_204_NO_CONTENT)


class PartDirectionSerializer(serializers.Serializer[Data]):
    settings = serializers.DictField(child=FiniteField(allow_null=True), required=False,
                                     help_text=f"Any of {', '.join(SETTINGS)}; null follows the casting.")
    moods = MoodSerializer(many=True, required=False, help_text="All of them anew.")


class PartDirectionView(APIView):
    def _of(self, production_id: int, part_id: int, speaker_id: int) -> tuple[Part, Speaker]:
        part = Part.objects.filter(production_id=production_id, pk=part_id).first()
        speaker = Speaker.objects.filter(production_id=production_id, pk=speaker_id).first()
        if part is None or speaker is None:
            raise Http404
        return part, speaker

    @extend_schema(responses=PartDirectionSerializer)
    def get(self, request: Request, production_id: int, language: str, part_id: int, speaker_id: int) -> Response:
        """What is directed of a speaker in one part."""
        edition = edition_for(request.user, production_id, language)
        part, speaker = self._of(production_id, part_id, speaker_id)
        row = PartDirection.objects.filter(edition=edition, part=part, speaker=speaker).first()
        return Response(part_direction_data(row))

    @extend_schema(request=PartDirectionSerializer, responses=PartDirectionSerializer)
    def put(self, request: Request, production_id: int, language: str, part_id: int, speaker_id: int) -> Response:
        """Direct a speaker in one part; what is not sent stays."""
        edition = edition_for(request.user, production_id, language, change=True)
        part, speaker = self._of(production_id, part_id, speaker_id)
        given = PartDirectionSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(part_direction_data(set_part_direction(request.user, edition, part, speaker,
                                                               dict(given.validated_data))))


def part_direction_data(row: PartDirection | None) -> Data:
    return {"settings": row.settings if row else {}, "moods": moods_data(moods_of(row.moods)) if row else []}
