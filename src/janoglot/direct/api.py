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

from janoglot.cast.api import LineCastingSerializer, line_casting_data
from janoglot.core.deliver.names import clip_name
from janoglot.core.guarded import whole_numbers
from janoglot.core.speech.peaks import kept_peaks
from janoglot.core.speech.takes import Quality, scaled_words
from janoglot.core.timing.placing import Placement
from janoglot.direct.actions.voice import finish, stop, voice
from janoglot.direct.models import JOB_KINDS, JOB_STATES, QUALITIES, VoicingJob
from janoglot.direct.state import TAKE_STATES, EditionState, LineState
from janoglot.mix.plan import kept_sound
from janoglot.productions.api import edition_data
from janoglot.productions.permissions import edition_for, visible_productions
from janoglot.productions.serializers import EditionSerializer
from janoglot.script.models import line_numbers
from janoglot.server.storage import serve_sound, takes
from janoglot.timing.serializers import (
    HoldSerializer,
    LineTimingSerializer,
    TimingSettingsSerializer,
    holds_data,
    timing_data,
)

Data = dict[str, Any]


class LineSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    number = serializers.IntegerField()
    part = serializers.IntegerField(allow_null=True)
    speaker = serializers.IntegerField()
    notes = serializers.CharField()
    slot = serializers.ListField(child=serializers.FloatField(), allow_null=True, help_text="Seconds, in and out.")
    words = serializers.CharField()
    revision = serializers.IntegerField()
    state = serializers.ChoiceField(TAKE_STATES)
    quality = serializers.ChoiceField(QUALITIES, allow_null=True, help_text="What is heard of it now.")
    voice = serializers.CharField(allow_null=True)
    wrong_language = serializers.BooleanField()
    own = LineCastingSerializer(allow_null=True, help_text="What the line has of its own; null follows its speaker.")
    natural = serializers.FloatField(allow_null=True, help_text="Seconds at rate 1.")
    start = serializers.FloatField()
    seconds = serializers.FloatField(help_text="As played.")
    rate = serializers.FloatField()
    over = serializers.FloatField(help_text="Seconds past where it may end, or that it makes the next one late.")
    late = serializers.FloatField(help_text="Seconds after its in-time; below nothing, before it.")
    into_silence = serializers.FloatField()
    collides = serializers.FloatField(help_text="Seconds over the next line, more than in the source.")
    harm = serializers.FloatField(help_text="Seconds that do not fit in all; 0 where the line fits.")
    flags = serializers.ListField(child=serializers.CharField())
    in_sight = serializers.BooleanField(allow_null=True)
    timing = LineTimingSerializer(help_text="What was decided of its timing; what is missing follows the edition.")
    marks = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField()),
        help_text="Words as played: start and end in seconds from the line's start, place and length in characters.")


class EditionLinesSerializer(serializers.Serializer[Data]):
    edition = EditionSerializer()
    timing = TimingSettingsSerializer()
    holds = HoldSerializer(many=True, help_text="Where the picture is held.")
    seconds = serializers.FloatField()
    mix_recipe = serializers.CharField(help_text="Names the mix that would be made now; empty without takes.")
    lines = LineSerializer(many=True)


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


def line_data(state: LineState, placement: Placement, quality: Quality | None,
              slot: tuple[float, float] | None, shift: float) -> Data:
    """``slot`` is where the line's picture is in this edition, moved by ``shift``, what was held before it."""
    line, take = state.line, state.take
    marks: list[list[float]] = []
    if take and state.state == "current":
        core = take.core()
        marks = [[round(m.start, 3), round(m.end, 3), m.at, m.length]
                 for m in scaled_words(core.words, core.seconds, placement.seconds)]
    return {
        "id": line.pk, "number": state.number, "part": line.part_id, "speaker": line.speaker_id,
        "notes": line.notes, "slot": [round(at, 3) for at in slot] if slot else None, "words": state.words,
        "revision": state.wording.revision if state.wording else 0, "state": state.state,
        "quality": quality,
        "voice": state.voice.id if state.voice else None, "wrong_language": state.wrong_language,
        "own": line_casting_data(state.own),
        "natural": round(take.seconds, 3) if take else None, "start": round(placement.start, 3),
        "seconds": round(placement.seconds, 3), "rate": round(placement.rate, 4), "over": round(placement.over, 3),
        "late": round(placement.late, 3), "into_silence": round(placement.into_silence, 3),
        "collides": round(placement.collides, 3), "harm": round(placement.harm, 3), "flags": list(placement.flags),
        "in_sight": line.in_sight,
        "timing": _in_this_edition(state.timing.own, shift) if state.timing else {}, "marks": marks,
    }


def _in_this_edition(own: Data, shift: float) -> Data:
    """A line's own timing, where it is pinned told in the edition's time as every other time is."""
    return {**own, "at": round(own["at"] + shift, 3)} if "at" in own else own


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


class EditionView(APIView):
    @extend_schema(responses=EditionLinesSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Every line of an edition: words, voice, take and place."""
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition)
        return Response({
            "edition": edition_data(edition, state),
            "timing": timing_data(edition), "holds": holds_data(state.holds),
            "seconds": round(state.seconds, 3), "mix_recipe": state.mix_recipe,
            "lines": [line_data(s, p, state.quality(s), timed.slot, shift) for s, p, timed, shift in zip(
                state.lines, state.placements, state.grown.lines, state.grown.shifts, strict=True)],
        })


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
