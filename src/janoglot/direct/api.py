"""Voicing an edition's lines, and what was made of each."""

from __future__ import annotations

import base64
from typing import Any

from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.deliver.names import clip_name
from janoglot.core.guarded import whole_numbers
from janoglot.core.speech.heard import limit_of
from janoglot.core.speech.peaks import kept_peaks
from janoglot.direct.actions.say_right import say_right
from janoglot.direct.actions.voice import finish, voice
from janoglot.editions.jobs_api import JobSerializer, job_data
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.productions.models import HeardBack
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import serve, takes

Data = dict[str, Any]
VOICING_KINDS = [("take", "take"), ("finish", "finish")]


class VoicingRequestSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), required=False, max_length=20_000)
    kind = serializers.ChoiceField(VOICING_KINDS, default="take", help_text="Make takes, or finish what is sketched.")


class VoicingsView(APIView):
    @extend_schema(request=VoicingRequestSerializer, responses={202: JobSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Voice the lines that need it, or finish what is sketched: the lines named, or all."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = VoicingRequestSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        act = finish if given.validated_data["kind"] == "finish" else voice
        job = act(request.user, edition, given.validated_data.get("lines"))
        return Response(job_data(job), status=status.HTTP_202_ACCEPTED)


class HeardBackSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(help_text="What the recogniser heard.")
    error = serializers.FloatField(help_text="The share of its sounds that were heard otherwise.")
    limit = serializers.FloatField(help_text="From here on a line of this language is not heard right.")
    right_by = serializers.CharField(allow_null=True, help_text="Who has said that it is right as it sounds.")


class RightSerializer(serializers.Serializer[Data]):
    right = serializers.BooleanField(help_text="It is right as it sounds, whatever was heard.")


class HeardView(APIView):
    def _row(self, request: Request, production_id: int, language: str, line_id: int, change: bool) -> HeardBack:
        edition = edition_for(request.user, production_id, language, change=change)
        key = EditionState.load(edition).finish_keys.get(line_id, "")
        row = HeardBack.objects.select_related("right_by").filter(pk=key).first()
        if row is None:
            raise Http404
        return row

    @extend_schema(responses=HeardBackSerializer)
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """What the recogniser understood of a line's finished sound."""
        row = self._row(request, production_id, language, line_id, False)
        return Response({"text": row.text, "error": round(row.error, 3), "limit": limit_of(language),
                         "right_by": row.right_by.username if row.right_by else None})

    @extend_schema(request=RightSerializer, responses={204: None})
    def put(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Say that a line is right as it sounds; that is kept for this very sound."""
        row = self._row(request, production_id, language, line_id, True)
        given = RightSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        say_right(request.user, edition_for(request.user, production_id, language, change=True), line_id, row,
                  given.validated_data["right"])
        return Response(status=status.HTTP_204_NO_CONTENT)


class PeaksSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    peaks = serializers.CharField(help_text="Base64: a byte for each fiftieth of a second of the natural length.")


_MOST_PEAKS = 300


class PeaksView(APIView):
    @extend_schema(parameters=[OpenApiParameter("lines", str, required=True, description="Ids, by comma.")],
                   responses=PeaksSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """The waveforms of some lines' takes; lines of which no sound is kept are left out."""
        edition = edition_for(request.user, production_id, language)
        ids = whole_numbers(request.query_params.get("lines", "").split(","))[:_MOST_PEAKS]
        found = []
        for line in EditionState.load(edition, ids).lines:
            key = kept_sound(line, takes()) if line.take else None
            if key:
                peaks = base64.b64encode(kept_peaks(key, takes())).decode()
                found.append({"line": line.id, "peaks": peaks})
        return Response(found)


class TakeView(APIView):
    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> HttpResponseBase:
        """The chosen take of a line: at its natural length, or as it is finished at its place."""
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition)
        line, _ = state.by_id.get(line_id, (None, None))
        if line is None or not line.take:
            raise Http404
        key: str | None = state.finish_keys.get(line_id) if line_id in state.finished else None
        key = key if key and takes().has(key) else kept_sound(line, takes())
        if not key:
            raise Http404
        name = clip_name(line.line.number, line.line.speaker_name, language)
        return serve(request._request, takes(), key, name)
