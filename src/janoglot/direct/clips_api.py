"""Templates: a line's table of values, and a clip for each of its rows in every edition."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.edition.value_table import read_values
from janoglot.core.speech.readings import READING_KINDS
from janoglot.core.speech.takes import finish_key
from janoglot.core.speech.templates import (
    Cell,
    checked_rows,
    columns_of,
    edited,
    row_as_json,
    slots_of,
    with_reference,
    with_rows,
)
from janoglot.core.speech.templates import ClipTable as CoreTable
from janoglot.direct.actions.set_clip_table import set_clip_table, take_clip_table_away
from janoglot.direct.clip_making import begin_clips
from janoglot.editions.clips import clips_there
from janoglot.editions.jobs_api import JobSerializer, job_data
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import running
from janoglot.productions.models import ClipTable, Edition, Job, Line
from janoglot.productions.permissions import edition_for, production_for
from janoglot.server.storage import serve, takes
from janoglot.server.uploads import uploaded

Data = dict[str, Any]


class ClipTableSerializer(serializers.Serializer[Data]):
    columns = serializers.ListField(child=serializers.CharField())
    rows = serializers.ListField(child=serializers.DictField(child=serializers.CharField()),
                                 help_text="Each with “name”, and its values by column: a slot, or a slot and the "
                                 "language that the value is for.")
    reference = serializers.CharField(help_text="The row whose reading all others have where the words are fixed.")
    kinds = serializers.DictField(child=serializers.CharField(), help_text="What values are read as, by slot.")


class CellSerializer(serializers.Serializer[Data]):
    row = serializers.CharField(help_text="The row's name.")
    column = serializers.CharField(help_text="A slot, a slot and a language, or “name”.")
    value = serializers.CharField(allow_blank=True)


class ClipTableChangeSerializer(serializers.Serializer[Data]):
    """What is changed; nothing else is touched."""

    rows = serializers.ListField(child=serializers.DictField(child=serializers.CharField(allow_blank=True)),
                                 required=False, help_text="All rows anew, in the place of those that are there.")
    cells = CellSerializer(many=True, required=False, help_text="Single values.")
    add = serializers.ListField(child=serializers.DictField(child=serializers.CharField(allow_blank=True)),
                                required=False, help_text="Rows after those that are there.")
    remove = serializers.ListField(child=serializers.CharField(), required=False, help_text="Names of rows.")
    kinds = serializers.DictField(child=serializers.ChoiceField(
        [("", ""), *((kind, kind) for kind in READING_KINDS if kind not in ("alias", "ipa"))]), required=False,
        help_text="By slot; an empty one is read as it is written.")
    reference = serializers.CharField(required=False, help_text="A row's name: all others are read as it is.")


class ClipTableUploadSerializer(serializers.Serializer[Data]):
    file = serializers.FileField(required=False)
    text = serializers.CharField(required=False, trim_whitespace=False)


class ClipSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    words = serializers.CharField()
    missing = serializers.ListField(child=serializers.CharField(), help_text="Slots that it has no value for.")
    made = serializers.BooleanField()
    seconds = serializers.FloatField(allow_null=True)
    fault = serializers.CharField()


class ClipsSerializer(serializers.Serializer[Data]):
    slots = serializers.ListField(child=serializers.CharField())
    table = ClipTableSerializer(allow_null=True)
    clips = ClipSerializer(many=True)
    cast = serializers.BooleanField(help_text="Whether the speaker has a voice in this edition.")
    exact = serializers.BooleanField(help_text="Whether what is fixed is read exactly the same: rich voices alone can.")
    making = JobSerializer(allow_null=True)


def table_data(row: ClipTable) -> Data:
    table = row.core
    return {"columns": columns_of(table.rows), "rows": [row_as_json(one) for one in table.rows],
            "reference": table.reference.name, "kinds": dict(table.kinds)}


def _line(request: Request, production_id: int, line_id: int, change: bool = False) -> Line:
    production = production_for(request.user, production_id, change=change)
    line = Line.objects.select_related("production").filter(production=production, pk=line_id).first()
    if line is None:
        raise Http404
    return line


class ClipTableView(APIView):
    @extend_schema(request=ClipTableChangeSerializer, responses=ClipTableSerializer)
    def put(self, request: Request, production_id: int, line_id: int) -> Response:
        """Give a line with variable parts its values, or change them."""
        line = _line(request, production_id, line_id, change=True)
        given = ClipTableChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        told = given.validated_data

        def change(table: CoreTable | None) -> CoreTable:
            if "rows" in told:
                table = with_rows(table, checked_rows(told["rows"]), anew=True)
            table = edited(table, [Cell(**cell) for cell in told.get("cells", [])], told.get("add", []),
                           told.get("remove", []), told.get("kinds"))
            return with_reference(table, told["reference"]) if "reference" in told else table

        return Response(table_data(set_clip_table(request.user, line, change)))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, line_id: int) -> Response:
        """Have the line be one like any other again."""
        row = ClipTable.objects.select_related("line__production").filter(
            line=_line(request, production_id, line_id, change=True)).first()
        if row is None:
            raise Http404
        take_clip_table_away(request.user, row)
        return Response(status=status.HTTP_204_NO_CONTENT)


class ClipTableBroughtView(APIView):
    @extend_schema(request={"multipart/form-data": ClipTableUploadSerializer},
                   parameters=[OpenApiParameter("anew", bool, description="These rows alone, not beside the others.")],
                   responses=ClipTableSerializer)
    def post(self, request: Request, production_id: int, line_id: int) -> Response:
        """Bring values in, as CSV, TSV or XLSX with a heading for each slot: a row of a name that is there takes its
        place."""
        line = _line(request, production_id, line_id, change=True)
        data, name = uploaded(request)
        rows = checked_rows(read_values(data, name, slots_of(_source_words(line))))
        anew = request.query_params.get("anew") == "true"
        return Response(table_data(set_clip_table(request.user, line, lambda table: with_rows(table, rows, anew))))


def _source_words(line: Line) -> str:
    return line.wordings.filter(edition__language=line.production.source_language).values_list(
        "text", flat=True).first() or ""


def _running(edition: Edition, line_id: int) -> Job | None:
    return running("clips", edition=edition, subject=str(line_id))


class ClipsView(APIView):
    @extend_schema(responses=ClipsSerializer)
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """A template in an edition: its variable parts, its table, and how far each row's clip is."""
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition, [line_id])
        if not state.lines:
            raise Http404
        standing = state.lines[0]
        row = ClipTable.objects.filter(line=line_id).first()
        last = Job.objects.filter(kind="clips", edition=edition, subject=str(line_id)).first()
        faults = last.faults if last else {}
        job = _running(edition, line_id)
        return Response({
            "slots": slots_of(standing.words), "table": table_data(row) if row else None,
            "cast": standing.stand_in is not None or standing.recipe is not None,
            "exact": bool(standing.voice and standing.voice.is_rich), "making": job_data(job) if job else None,
            "clips": [{"name": clip.name, "words": clip.words, "missing": list(clip.missing), "made": take is not None,
                       "seconds": round(take.seconds, 3) if take else None,
                       "fault": "" if take else faults.get(clip.name, "")}
                      for clip, take in clips_there(state.edition, standing)]})

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Make the clips that are not made."""
        edition = edition_for(request.user, production_id, language, change=True)
        line = _line(request, production_id, line_id, change=True)
        return Response(job_data(begin_clips(request.user, edition, line)), status=status.HTTP_202_ACCEPTED)


class ClipSoundView(APIView):
    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, line_id: int, name: str) -> HttpResponseBase:
        """A clip."""
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition, [line_id])
        for standing in state.lines:
            for clip, take in clips_there(state.edition, standing):
                if clip.name == name and take and clip.recipe:
                    key = finish_key(clip.recipe, take.seconds, take.seconds)
                    if takes().has(key):
                        return serve(request._request, takes(), key, f"{name}.wav")
        raise Http404
