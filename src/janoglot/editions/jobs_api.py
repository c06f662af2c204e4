"""Work in the background: one view of it, whatever is made."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.db.models import Q
from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.productions.jobs import ahead_of, stop
from janoglot.productions.models import JOB_STATES, Job, line_numbers
from janoglot.productions.permissions import production_for, require_change, signed_in, visible_productions

Data = dict[str, Any]
JOB_KINDS = [(kind, kind) for kind in ("take", "finish", "hear", "draft", "mix", "copy", "measure", "deliver", "listen",
                                    "prepare", "guide", "clips", "stress", "package", "items", "parcel", "remark",
                                    "sound", "stream")]


class JobFaultSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    number = serializers.IntegerField()
    message = serializers.CharField()


class AheadSerializer(serializers.Serializer[Data]):
    lines = serializers.IntegerField(help_text="None where it is work of another kind.")
    elsewhere = serializers.BooleanField(help_text="Whether all of it is other productions'.")


class JobSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    kind = serializers.ChoiceField(JOB_KINDS)
    production = serializers.IntegerField(allow_null=True)
    language = serializers.CharField(allow_null=True, help_text="Of the edition that it is for.")
    subject = serializers.CharField(help_text="What it is about, where that is not lines.")
    by = serializers.CharField(allow_null=True)
    state = serializers.ChoiceField(JOB_STATES)
    total = serializers.IntegerField(help_text="Of lines, voices, …")
    done = serializers.IntegerField()
    share = serializers.FloatField(help_text="Of the work, 0 to 1.")
    cost = serializers.FloatField(help_text="How much work it is, in its kind's own measure.")
    queue = serializers.CharField(help_text="Its priority.")
    seconds_left = serializers.FloatField(allow_null=True)
    ahead = AheadSerializer(allow_null=True, help_text="What is done before it, where it has not begun.")
    fault = serializers.CharField(help_text="Why nothing could be made, or something could not.")
    faults = JobFaultSerializer(many=True, help_text="By line.")
    report = serializers.DictField(child=serializers.IntegerField(), help_text="What came of it, counted.")


def ahead_data(job: Job) -> Data | None:
    ahead = ahead_of(job)
    return asdict(ahead) if ahead else None


def job_data(job: Job) -> Data:
    of_lines = job.kind in ("take", "finish", "hear", "draft", "prepare") and job.faults
    numbers = line_numbers(job.production_id) if of_lines and job.production_id else {}
    left = job.seconds_left()
    return {
        "id": job.pk, "kind": job.kind, "production": job.production_id,
        "language": job.edition.language if job.edition else None, "subject": job.subject,
        "by": job.user.username if job.user else None, "state": job.state, "total": len(job.items),
        # Counted as it goes: looking at every line would cost the workers their time.
        "done": job.items_done, "share": round(job.done_share, 4), "cost": job.cost, "queue": job.queue,
        "seconds_left": None if left is None else round(left, 1), "ahead": ahead_data(job), "fault": job.fault,
        "faults": [{"line": int(line), "number": numbers[int(line)], "message": message}
                   for line, message in job.faults.items() if int(line) in numbers] if of_lines else [],
        "report": job.report,
    }


def _job(request: Request, job_id: int) -> Job:
    mine = Q(production__in=visible_productions(request.user)) | Q(production=None, user=signed_in(request.user))
    job = Job.objects.select_related("edition", "production", "user").filter(mine, pk=job_id).first()
    if job is None:
        raise Http404
    return job


class JobView(APIView):
    @extend_schema(responses=JobSerializer)
    def get(self, request: Request, job_id: int) -> Response:
        """How far a job is."""
        return Response(job_data(_job(request, job_id)))

    @extend_schema(responses={200: JobSerializer})
    def delete(self, request: Request, job_id: int) -> Response:
        """Stop a job; what is done stays done."""
        job = _job(request, job_id)
        if job.production:
            require_change(request.user, job.production)
        stop(job)
        return Response(job_data(job))


class JobsView(APIView):
    @extend_schema(responses=JobSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """The jobs that run for a production, the newest first."""
        production = production_for(request.user, production_id)
        jobs = Job.objects.select_related("edition", "user").filter(production=production, state="running")
        return Response([job_data(job) for job in jobs[:40]])
