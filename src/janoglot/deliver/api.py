"""Downloads, and what stands in their way."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.script.formats import FORMATS, written
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.script.formats.table import CSV
from janoglot.core.script.formats.webvtt import write_webvtt
from janoglot.deliver import handing_over
from janoglot.editions.state import EditionState
from janoglot.mix.making import MIX_STATES, mix_progress
from janoglot.productions.jobs import running
from janoglot.productions.permissions import edition_for, production_for
from janoglot.productions.taking_out import production_script
from janoglot.server.storage import content_disposition, serve_sound

Data = dict[str, Any]
KINDS = {"wav": "audio/wav", "flac": "audio/flac", "mp3": "audio/mpeg"}

_OFFICE = "application/vnd.openxmlformats-officedocument."
SCRIPT_KINDS = {
    "csv": "text/csv; charset=utf-8", "xlsx": f"{_OFFICE}spreadsheetml.sheet", "json": "application/json",
    "docx": f"{_OFFICE}wordprocessingml.document", "pptx": f"{_OFFICE}presentationml.presentation",
    "ttml": "application/ttml+xml", "srt": "application/x-subrip", "vtt": "text/vtt; charset=utf-8",
}
SUFFIXES = {"mix": tuple(KINDS), "clips": ("zip",), "captions": ("srt", "vtt"), "on-screen": ("csv",),
            "holds": ("csv", "otio")}


class StopSerializer(serializers.Serializer[Data]):
    code = serializers.CharField()
    lines = serializers.ListField(child=serializers.IntegerField())


class DeliverySerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    stops = StopSerializer(many=True)
    unread = serializers.ListField(child=serializers.IntegerField(), help_text="Lines that are drafts nobody has read.")
    approved = serializers.IntegerField(help_text="Lines whose words are approved.")
    worded = serializers.IntegerField(help_text="Lines with words.")
    sketches = serializers.ListField(child=serializers.IntegerField(), help_text="Lines that are sketches still.")
    finishing = serializers.BooleanField(help_text="Whether they are being finished just now.")
    on_screen = serializers.IntegerField(help_text="Lines that are handed over as a list, with their times.")
    mix = serializers.CharField(help_text="The recipe of the mix of exactly this state; empty with nothing voiced.")
    mix_state = serializers.ChoiceField(MIX_STATES)
    mix_ready = serializers.BooleanField(help_text="Whether the mix of exactly this state is made.")
    empty = serializers.IntegerField(help_text="Lines without words, which the track is silent at.")
    seconds = serializers.FloatField()
    lufs = serializers.FloatField(allow_null=True)
    true_peak_db = serializers.FloatField(allow_null=True)


class DeliveriesView(APIView):
    @extend_schema(responses=DeliverySerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """Every edition with what it could hand over now."""
        production = production_for(request.user, production_id)
        rows = []
        for edition in production.editions.all():
            state = EditionState.load(edition)
            mix = handing_over.current_mix(state)
            rows.append({
                "language": edition.language,
                "stops": [{"code": code, "lines": lines} for code, lines in handing_over.stops(state)],
                "unread": handing_over.unread(state), "approved": state.counts()["approved"],
                "worded": len(state.lines) - state.counts()["empty"],
                "sketches": [s.id for s in state.sketches()],
                "finishing": running("finish", edition=edition) is not None,
                "on_screen": state.counts()["on_screen"],
                "mix": state.mix_recipe, "mix_state": mix_progress(edition, state.mix_recipe).state,
                "mix_ready": mix is not None, "empty": state.counts()["empty"], "seconds": state.seconds,
                "lufs": mix.report["lufs"] if mix else None,
                "true_peak_db": mix.report["true_peak_db"] if mix else None,
            })
        return Response(rows)


class DownloadView(APIView):
    @extend_schema(parameters=[OpenApiParameter("sketch", bool), OpenApiParameter("unread", bool),
                               OpenApiParameter("mix", str, description="The recipe of just the mix that was shown.")],
                   responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, file: str) -> HttpResponseBase:
        """mix.wav, mix.flac, mix.mp3, clips.zip, captions.srt or captions.vtt of an edition; on-screen.csv; holds.csv
        or holds.otio, where the picture is held.

        With ``mix`` what belongs to just that mix is handed over, whatever has changed since; else to the newest.
        Sound that is made of sketches is handed over only where ``sketch`` asks for it, and named so; drafts that
        nobody has read only where ``unread`` does.
        """
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition)
        stem, _, suffix = file.partition(".")
        if suffix not in SUFFIXES.get(stem, ()):
            raise Http404
        sound = stem in ("mix", "clips")
        if file == "on-screen.csv":
            text = CSV.write(handing_over.on_screen_script(state), edition.production.source_language)
            return _text("\ufeff" + text, handing_over.download_name(edition.production, language, "_on-screen.csv"),
                         "text/csv")
        if stem == "holds":
            name = handing_over.download_name(edition.production, language, f"_holds.{suffix}")
            kind = "text/csv" if suffix == "csv" else "application/json"
            return _text(handing_over.hold_list(state, suffix), name, kind)
        asked = request.query_params.get("mix", "")
        plan = handing_over.plan_of_mix(edition, asked) if asked else handing_over.newest_plan(state)
        if sound and request.query_params.get("sketch") != "true":
            handing_over.require_finished(plan.sketches)
        if request.query_params.get("unread") != "true":
            handing_over.require_read(state)
        tail = "_sketch" if sound and plan.sketches else ""
        name = handing_over.download_name(edition.production, language, f"{tail}.{suffix}")
        if stem == "mix":
            place = handing_over.mix_file(edition, plan.recipe, suffix)
            return serve_sound(request._request, place, name, KINDS[suffix], download=True)
        if file == "clips.zip":
            place = handing_over.clips_file(plan)
            return serve_sound(request._request, place, name, "application/zip", download=True)
        if file == "captions.srt":
            return _text(write_srt(handing_over.edition_captions(plan)), name, "application/x-subrip")
        return _text(write_webvtt(handing_over.edition_captions(plan)), name, "text/vtt")


class ScriptView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, ending: str) -> HttpResponse:
        """The script in any format it can be brought in as. Tables, text documents and JSON hold all wordings."""
        production = production_for(request.user, production_id)
        fmt = next((one for one in FORMATS.values() if one.suffixes[0] == f".{ending}"), None)
        if fmt is None:
            raise Http404
        made = written(fmt, production_script(production, fmt.id == "json"), production.source_language)
        # With a byte-order mark, or spreadsheets take UTF-8 for something else.
        made = b"\xef\xbb\xbf" + made if fmt.id in ("csv", "tsv") else made
        return _file(made, handing_over.download_name(production, None, f".{ending}"),
                     SCRIPT_KINDS.get(ending, "text/plain; charset=utf-8"))


def _file(data: bytes, name: str, kind: str) -> HttpResponse:
    response = HttpResponse(data, content_type=kind)
    response.headers["Content-Disposition"] = content_disposition("attachment", name)
    response.headers["Cache-Control"] = "private, no-store"
    return response


def _text(text: str, name: str, kind: str) -> HttpResponse:
    return _file(text.encode(), name, f"{kind}; charset=utf-8")
