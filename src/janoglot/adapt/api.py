"""Wordings, and translated captions."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.adapt.actions.add_captions import add_captions, match_captions
from janoglot.adapt.actions.set_wording import set_wording
from janoglot.core.script.formats import read_script
from janoglot.productions.permissions import edition_for, require_change
from janoglot.script.api import ProblemSerializer, problem_data, uploaded
from janoglot.script.models import Line

Data = dict[str, Any]


class WordingChangeSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(allow_blank=True, max_length=20_000)
    revision = serializers.IntegerField(help_text="Of the words that were typed over; 0 where there were none.")


class WordingSerializer(serializers.Serializer[Data]):
    text = serializers.CharField()
    revision = serializers.IntegerField()


class CaptionsSerializer(serializers.Serializer[Data]):
    file = serializers.FileField(required=False)
    text = serializers.CharField(required=False, trim_whitespace=False)
    apply = serializers.BooleanField(default=False)


class CaptionMatchSerializer(serializers.Serializer[Data]):
    number = serializers.IntegerField()
    speaker = serializers.CharField()
    original = serializers.CharField(help_text="The source's words.")
    text = serializers.CharField()


class CaptionsMatchedSerializer(serializers.Serializer[Data]):
    applied = serializers.BooleanField()
    matched = serializers.IntegerField()
    lines = CaptionMatchSerializer(many=True)
    problems = ProblemSerializer(many=True)


class WordingView(APIView):
    @extend_schema(request=WordingChangeSerializer, responses=WordingSerializer)
    def put(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Write a line's words. 409 with what stands there now where somebody else was first."""
        edition = edition_for(request.user, production_id, language, change=True)
        line = Line.objects.filter(production_id=production_id, pk=line_id).first()
        if line is None:
            raise Http404
        given = WordingChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wording = set_wording(request.user, line, edition, given.validated_data["text"],
                              given.validated_data["revision"])
        return Response({"text": wording.text, "revision": wording.revision})


class CaptionsView(APIView):
    @extend_schema(request=CaptionsSerializer, responses=CaptionsMatchedSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Match translated SRT or WebVTT to the lines by time: shown first, written with ``apply``."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = CaptionsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        content, filename = uploaded(request)
        script = read_script(content, filename)
        lines, matched = match_captions(edition, script)
        if given.validated_data["apply"]:
            require_change(request.user, edition.production)
            matched = add_captions(request.user, edition, script)
        source = {w.line_id: w.text for w in edition.production.editions.get(
            language=edition.production.source_language).wordings.all()}
        names = dict(edition.production.speakers.values_list("id", "name"))
        return Response({
            "applied": given.validated_data["apply"], "matched": sum(map(bool, matched.wordings)),
            "lines": [{"number": line.position + 1, "speaker": names[line.speaker_id],
                       "original": source.get(line.pk, ""), "text": text}
                      for line, text in zip(lines, matched.wordings, strict=True)],
            "problems": [problem_data(p) for p in (*(p for p in script.problems if p.code != "no_speakers"),
                                                   *matched.problems)],
        })
