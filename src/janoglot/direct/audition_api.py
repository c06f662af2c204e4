"""Hearing a line as it is directed now, before anything of it is a take: a sketch at once, then the voice itself."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.core.cache import cache
from django.http import HttpRequest
from django.http.response import Http404, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.edition.standing import line_standing
from janoglot.core.errors import BadInput, EngineError
from janoglot.core.speech.directing import marks_of
from janoglot.core.speech.engines import formant_engine
from janoglot.core.speech.sounds_of import unknown_sounds
from janoglot.core.speech.stave import stave_of
from janoglot.core.speech.takes import TakeRecipe
from janoglot.direct.direction_api import DirectionMarkSerializer
from janoglot.direct.stave_api import StaveSerializer, stave_data
from janoglot.editions.state import EditionState
from janoglot.editions.tasks import ask_for
from janoglot.productions.models import Edition
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import serve, takes

Data = dict[str, Any]
_LISTENED = 3600
"""Seconds for which a sound that was asked for can be fetched."""


class AuditionWantedSerializer(serializers.Serializer[Data]):
    words = serializers.CharField(required=False, max_length=500, help_text="Other words than the line's.")
    marks = DirectionMarkSerializer(many=True, required=False, help_text="On those words.")
    variant = serializers.IntegerField(required=False, min_value=0, max_value=999)


class LineAuditionSerializer(serializers.Serializer[Data]):
    finished = serializers.CharField(help_text="The sound of the voice itself, once it is there; fetch it by this.")
    sketched = serializers.CharField(help_text="The same by a light voice.")
    fault = serializers.CharField(help_text="Why it cannot be said; empty where it can.")


def _recipe(edition: Edition, line_id: int, told: Data) -> TakeRecipe:
    state = EditionState.load(edition, [line_id])
    if not state.lines:
        raise Http404
    standing = state.lines[0]
    if "words" in told:
        words = " ".join(told["words"].split())
        line = replace(standing.line, words=words, marks=marks_of(told.get("marks", ()), words), own=standing.line.own)
        standing = line_standing(state.edition, line, {})
    if standing.recipe is None:
        raise BadInput("This speaker has no voice in this edition yet. Cast the speaker first.")
    if "variant" in told:
        return replace(standing.recipe, variant=told["variant"])
    return standing.recipe


class LineAuditionView(APIView):
    @extend_schema(request=AuditionWantedSerializer, responses=LineAuditionSerializer)
    def post(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Have a line said as it is directed now, or other words in its place, and what can be heard of it already: ask
        again until it is there. A rich voice is heard as a sketch first."""
        edition = edition_for(request.user, production_id, language)
        given = AuditionWantedSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        recipe = _recipe(edition, line_id, given.validated_data)
        there, fault = ask_for(recipe)
        for key in there.values():
            cache.set(f"heard-{edition.pk}-{key}", True, _LISTENED)
        return Response({"finished": there.get("finish", ""), "sketched": there.get("sketch", ""), "fault": fault})


class LineAuditionSoundView(APIView):
    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, sound: str) -> HttpResponseBase:
        """A sound that was asked for in this edition."""
        edition = edition_for(request.user, production_id, language)
        if not cache.get(f"heard-{edition.pk}-{sound}") or not takes().has(sound):
            raise Http404
        plain: HttpRequest = request._request
        return serve(plain, takes(), sound, "line.wav")


class TrialStaveView(APIView):
    @extend_schema(request=AuditionWantedSerializer, responses=StaveSerializer)
    def post(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """The stave of a reading that nobody has set yet: other marks, or another variant. Changes nothing."""
        edition = edition_for(request.user, production_id, language)
        given = AuditionWantedSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(stave_data(stave_of(_recipe(edition, line_id, given.validated_data))))


class IpaCheckSerializer(serializers.Serializer[Data]):
    unknown = serializers.ListField(child=serializers.CharField(), help_text="Signs that the language's voice lacks.")


class IpaCheckView(APIView):
    @extend_schema(parameters=[OpenApiParameter("ipa", str, required=True)], responses=IpaCheckSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Which signs of some IPA the voices of this language have no sound for."""
        edition_for(request.user, production_id, language)
        try:
            unknown = unknown_sounds(request.query_params.get("ipa", "")[:200], language, formant_engine())
        except EngineError:
            unknown = []
        return Response({"unknown": unknown})
