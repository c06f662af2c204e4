"""An edition's lines as they stand, and voicing them."""

from __future__ import annotations

import base64
from typing import Any

from django.http import Http404
from django.http.response import HttpResponseBase
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.deliver.names import clip_name
from janoglot.core.guarded import whole_numbers
from janoglot.core.speech.peaks import kept_peaks
from janoglot.direct.actions.voice import finish, stop, voice
from janoglot.direct.models import JOB_KINDS, JOB_STATES, VoicingJob
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.productions.models import line_numbers
from janoglot.productions.permissions import edition_for, visible_productions
from janoglot.server.storage import serve_sound, takes

Data = dict[str, Any]


class VoicingRequestSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), required=False, max_length=20_000)
    kind = serializers.ChoiceField(JOB_KINDS, default="take", help_text="Make takes, or finish what is sketched.")


class VoicingFaultSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    number = serializers.IntegerField()
    message = serializers.CharField()


class VoicingSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    language = serializers.CharField()
    kind = serializers.ChoiceField(JOB_KINDS)
    state = serializers.ChoiceField(JOB_STATES)
    total = serializers.IntegerField()
    done = serializers.IntegerField()
    seconds_left = serializers.FloatField(allow_null=True)
    faults = VoicingFaultSerializer(many=True)


def job_data(job: VoicingJob) -> Data:
    total = len(job.wordings)
    numbers = {w.pk: w for w in job.edition.wordings.filter(pk__in=job.faults)}
    ordered = line_numbers(job.edition.production_id) if numbers else {}
    seconds_left = None
    share = job.share
    if job.state == "running" and share and job.begun:
        spent = (timezone.now() - job.begun).total_seconds()
        seconds_left = round(spent * (1 - share) / share, 1)
    return {
        "id": job.pk, "language": job.edition.language, "kind": job.kind, "state": job.state, "total": total,
        # Counted as it goes: looking at every line would cost the workers their time.
        "done": job.lines_done,
        "seconds_left": seconds_left,
        "faults": [{"line": numbers[int(pk)].line_id, "number": ordered[numbers[int(pk)].line_id], "message": message}
                   for pk, message in job.faults.items() if int(pk) in numbers],
    }


class VoicingsView(APIView):
    @extend_schema(request=VoicingRequestSerializer, responses={202: VoicingSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Voice the lines that need it, or finish what is sketched: the lines named, or all."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = VoicingRequestSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        act = finish if given.validated_data["kind"] == "finish" else voice
        job = act(request.user, edition, given.validated_data.get("lines"))
        return Response(job_data(job), status=status.HTTP_202_ACCEPTED)

    @extend_schema(responses=VoicingSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Jobs that are running in this edition, the newest first."""
        edition = edition_for(request.user, production_id, language)
        jobs = VoicingJob.objects.filter(edition=edition, state="running").select_related("edition__production")[:5]
        return Response([job_data(job) for job in jobs])


def _job(request: Request, job_id: int) -> VoicingJob:
    job = VoicingJob.objects.select_related("edition__production").filter(
        edition__production__in=visible_productions(request.user), pk=job_id).first()
    if job is None:
        raise Http404
    return job


class VoicingView(APIView):
    @extend_schema(responses=VoicingSerializer)
    def get(self, request: Request, job_id: int) -> Response:
        """How far a job is."""
        return Response(job_data(_job(request, job_id)))

    @extend_schema(responses=VoicingSerializer)
    def delete(self, request: Request, job_id: int) -> Response:
        """Stop a job; what is done stays done."""
        return Response(job_data(stop(request.user, _job(request, job_id))))


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
        for state in EditionState.load(edition, ids).lines:
            key = kept_sound(state, takes()) if state.take else None
            if key:
                peaks = base64.b64encode(kept_peaks(key, takes())).decode()
                found.append({"line": state.line.pk, "peaks": peaks})
        return Response(found)


class TakeView(APIView):
    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> HttpResponseBase:
        """The chosen take of a line: at its natural length, or as it is finished at its place."""
        edition = edition_for(request.user, production_id, language)
        edition_state = EditionState.load(edition)
        for state in edition_state.lines:
            if state.line.pk != line_id or not state.take:
                continue
            key: str | None = edition_state.finish_keys.get(line_id) if line_id in edition_state.finished else None
            key = key if key and takes().has(key) else kept_sound(state, takes())
            if key:
                name = clip_name(state.number, state.line.speaker.name, language)
                return serve_sound(request._request, takes().path(key), name)
        raise Http404
