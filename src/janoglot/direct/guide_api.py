"""A line's guide read: brought in from a microphone or a file, heard, turned up or down, deleted."""

from __future__ import annotations

import io
from typing import Any

import soundfile
from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import BadInput
from janoglot.core.languages import find_tag
from janoglot.core.speech.source_acting import spans_of
from janoglot.direct.actions.guide_line import bring_guide, delete_guide, set_guide
from janoglot.direct.guiding import begin_reading
from janoglot.direct.sent_recordings import take_in
from janoglot.editions.jobs_api import AheadSerializer, ahead_data
from janoglot.productions.jobs import running
from janoglot.productions.models import GuideRead, Line, Media, Wording
from janoglot.productions.permissions import edition_for
from janoglot.server.fields import FiniteField
from janoglot.server.storage import media, serve
from janoglot.server.work import require_queue

Data = dict[str, Any]
_LARGEST = 60 * 1024**2


class GuideFaultSerializer(serializers.Serializer[Data]):
    code = serializers.ChoiceField([(code, code) for code in (
        "too_long", "too_short", "too_quiet", "clipped", "noise", "other_words", "unreadable")])
    said = serializers.CharField(allow_blank=True)


class GuideSerializer(serializers.Serializer[Data]):
    state = serializers.ChoiceField([("none", "none"), *GuideRead.State.choices])
    name = serializers.CharField()
    language = serializers.CharField(help_text="Of the recording; empty: the edition's own.")
    by_word = serializers.BooleanField(help_text="Whether the line's own words were found in it.")
    followed = serializers.BooleanField(help_text="Whether the line follows it: not where its words are others now.")
    heard = serializers.CharField()
    faults = GuideFaultSerializer(many=True)
    sound = serializers.BooleanField(help_text="Whether the recording is still there.")
    share = serializers.FloatField(help_text="While it is read: how much of that is done, 0 to 1.")
    ahead = AheadSerializer(allow_null=True, help_text="What is done before it is read.")
    timing = serializers.FloatField()
    melody = serializers.FloatField()
    energy = serializers.FloatField()


class GuideDialsSerializer(serializers.Serializer[Data]):
    timing = FiniteField(required=False, min_value=0, max_value=1)
    melody = FiniteField(required=False, min_value=0, max_value=1)
    energy = FiniteField(required=False, min_value=0, max_value=1)


class GuideUploadSerializer(serializers.Serializer[Data]):
    file = serializers.FileField(required=False)
    from_source = serializers.BooleanField(default=False, help_text="As the source recording has the line.")
    language = serializers.CharField(required=False, allow_blank=True, max_length=35)


def guide_data(row: GuideRead | None) -> Data:
    if row is None:
        return {"state": "none", "name": "", "language": "", "by_word": False, "followed": False, "heard": "",
                "faults": [], "sound": False, "share": 0.0, "ahead": None, "timing": 1.0, "melody": 1.0, "energy": 1.0}
    reading = row.state == GuideRead.State.READING and running("guide", edition=row.edition, subject=row.key)
    words = Wording.objects.filter(edition=row.edition_id, line=row.line_id).values_list("text", flat=True).first()
    return {"state": row.state, "name": row.name, "language": row.language, "by_word": row.by_word,
            "followed": bool(row.core_for(words or "").words), "heard": row.heard, "faults": row.faults,
            "sound": bool(row.key), "share": round(reading.share, 2) if reading else 0.0,
            "ahead": ahead_data(reading) if reading else None,
            "timing": row.timing, "melody": row.melody, "energy": row.energy}


def said_in_source(line: Line) -> bytes:
    """A line as the source recording has it, as FLAC. Raises BadInput where there is no recording of it."""
    recording = Media.objects.filter(production=line.production_id, played=True, purpose=Media.Purpose.SOURCE).first()
    sound = recording.copies.get("sound") if recording else None
    if sound is None or line.slot is None or not media().has(sound):
        raise BadInput("There is no source recording of this line.")
    with soundfile.SoundFile(media().path(sound)) as file:
        first, count = spans_of(file.samplerate, line.slot)
        if first >= file.frames:
            raise BadInput("There is no source recording of this line.")
        file.seek(first)
        samples = file.read(count, dtype="float32", always_2d=True)[:, 0]
        made = io.BytesIO()
        soundfile.write(made, samples, file.samplerate, format="FLAC")
    return made.getvalue()


class GuideView(APIView):
    def _row(self, request: Request, production_id: int, language: str, line_id: int,
             change: bool = False) -> GuideRead | None:
        edition = edition_for(request.user, production_id, language, change=change)
        if not Line.objects.filter(production_id=production_id, pk=line_id).exists():
            raise Http404
        return GuideRead.objects.select_related("edition__production", "line").filter(
            edition=edition, line=line_id).first()

    @extend_schema(responses=GuideSerializer)
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """The guide read that a line follows."""
        return Response(guide_data(self._row(request, production_id, language, line_id)))

    @extend_schema(request={"multipart/form-data": GuideUploadSerializer}, responses={202: GuideSerializer})
    def post(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Bring in a recording of the line as it should be said: any that ffmpeg reads, a minute at most."""
        edition = edition_for(request.user, production_id, language, change=True)
        line = Line.objects.filter(production_id=production_id, pk=line_id).first()
        if line is None:
            raise Http404
        sent = request.data if isinstance(request.data, dict) else {}
        from_source = str(sent.get("from_source") or "").lower() == "true"
        file = request.FILES.get("file")
        if not from_source and (file is None or (file.size or 0) > _LARGEST):
            raise BadInput("Choose a recording of this line, a minute long at most.")
        require_queue()
        told = edition.production.source_language if from_source else str(sent.get("language") or "")
        tag = find_tag(told) or "" if told else ""
        recorded = said_in_source(line) if from_source else file.read() if file else b""
        name = "" if from_source or file is None else str(file.name or "")
        row = bring_guide(request.user, edition, line, take_in(recorded), name, "" if tag == language else tag)
        begin_reading(row, request.user)
        row.refresh_from_db()
        return Response(guide_data(row), status=status.HTTP_202_ACCEPTED)

    @extend_schema(request=GuideDialsSerializer, responses=GuideSerializer)
    def patch(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """How much of the guide's timing, melody and energy is followed."""
        row = self._row(request, production_id, language, line_id, change=True)
        if row is None:
            raise Http404
        given = GuideDialsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(guide_data(set_guide(request.user, row, dict(given.validated_data))))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Follow it no more, and delete the recording for good."""
        row = self._row(request, production_id, language, line_id, change=True)
        if row is None:
            raise Http404
        delete_guide(request.user, row)
        return Response(status=status.HTTP_204_NO_CONTENT)


class GuideSoundView(GuideView):
    @extend_schema(responses={(200, "audio/flac"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> HttpResponseBase:  # type: ignore[override]
        """The recording itself."""
        row = self._row(request, production_id, language, line_id)
        if row is None or not row.key or not media().has(row.key):
            raise Http404
        return serve(request._request, media(), row.key, "guide.flac")

    http_method_names = ["get", "head", "options"]
