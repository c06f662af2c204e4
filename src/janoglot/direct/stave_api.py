"""A line on its stave: when each word is said and what will be sung, before there is any sound."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.speech.stave import Stave, stave_of
from janoglot.editions.state import EditionState
from janoglot.productions.models import Line
from janoglot.productions.permissions import edition_for

Data = dict[str, Any]


class StaveWordSerializer(serializers.Serializer[Data]):
    text = serializers.CharField()
    start = serializers.FloatField(help_text="Seconds from the line's beginning.")
    end = serializers.FloatField()


class StaveSerializer(serializers.Serializer[Data]):
    known = serializers.BooleanField(help_text="Whether this voice's times are known before its sound.")
    seconds = serializers.FloatField()
    words = StaveWordSerializer(many=True)
    step = serializers.FloatField(help_text="Seconds from one of the melody's values to the next.")
    hz = serializers.ListField(child=serializers.FloatField(), help_text="What will be sung; 0 where it is unvoiced.")
    energy = serializers.ListField(child=serializers.FloatField(), help_text="Likewise, the network's own measure.")


def stave_data(stave: Stave | None) -> Data:
    if stave is None:
        return {"known": False, "seconds": 0.0, "words": [], "step": 0.0, "hz": [], "energy": []}
    melody = stave.melody
    return {"known": True, "seconds": round(stave.seconds, 3),
            "words": [{"text": one.text, "start": one.start, "end": one.end} for one in stave.words],
            "step": melody.step if melody else 0.0,
            "hz": np.round(melody.hz, 1).tolist() if melody else [],
            "energy": np.round(melody.energy, 2).tolist() if melody else []}


class StaveView(APIView):
    @extend_schema(responses=StaveSerializer)
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """The line as it will be said with what is directed of it. Raises EngineError for words that hold nothing."""
        edition = edition_for(request.user, production_id, language)
        if not Line.objects.filter(production_id=production_id, pk=line_id).exists():
            raise Http404
        recipe = EditionState.load(edition, [line_id]).lines[0].recipe
        return Response(stave_data(stave_of(recipe) if recipe else None))
