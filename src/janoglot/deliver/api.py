"""What can be handed over, what stands in its way, and the files themselves."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.deliver.registry import DELIVERABLES, deliverable_named
from janoglot.core.errors import BadInput
from janoglot.core.script.formats import FORMATS
from janoglot.core.script.unheld import unheld
from janoglot.deliver.actions.hand_over import hand_over_edition, hand_over_script
from janoglot.deliver.handing_over import StoredEdition, ready_mix, stops, unread
from janoglot.deliver.models import HandOver
from janoglot.deliver.tasks import HAND_OVER_STATES, hand_over_progress
from janoglot.editions.state import EditionState
from janoglot.mix.making import MIX_STATES, mix_progress
from janoglot.productions.jobs import running
from janoglot.productions.permissions import edition_for, production_for
from janoglot.productions.taking_out import production_script
from janoglot.server.storage import handed, serve
from janoglot.server.uploads import ProblemSerializer, problem_data

Data = dict[str, Any]
OF_EDITIONS = [(one.name, one.name) for one in DELIVERABLES.values() if one.of == "edition"]
OF_PRODUCTIONS = [(one.name, one.name) for one in DELIVERABLES.values() if one.of == "production"]
_SHOWN = 50


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


class HandOverSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    file = serializers.CharField(help_text="What it is: mix.flac, clips.zip, script.csv, …")
    language = serializers.CharField(allow_null=True, help_text="Of its edition.")
    name = serializers.CharField(help_text="What it is called when it is saved.")
    state = serializers.ChoiceField(HAND_OVER_STATES)
    fault = serializers.CharField()
    report = serializers.DictField(child=serializers.FloatField(), help_text="What was measured and counted of it.")
    by = serializers.CharField(allow_null=True)
    asked = serializers.DateTimeField()


class EditionFileSerializer(serializers.Serializer[Data]):
    file = serializers.ChoiceField(OF_EDITIONS)
    mix = serializers.CharField(required=False, default="", allow_blank=True,
                                help_text="The recipe of just the mix that was shown; else the newest.")
    sketch = serializers.BooleanField(required=False, default=False, help_text="Sketches are wanted too.")
    unread = serializers.BooleanField(required=False, default=False, help_text="So are drafts that nobody has read.")


class ProductionFileSerializer(serializers.Serializer[Data]):
    file = serializers.ChoiceField(OF_PRODUCTIONS)


def hand_over_data(row: HandOver) -> Data:
    told = hand_over_progress(row)
    return {"id": row.pk, "file": row.deliverable, "language": row.edition.language if row.edition else None,
            "name": row.name, "state": told.state, "fault": told.fault, "report": row.report,
            "by": row.user.username if row.user else None, "asked": row.asked}


class DeliveriesView(APIView):
    @extend_schema(responses=DeliverySerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """Every edition with what it could hand over now."""
        production = production_for(request.user, production_id)
        rows = []
        for edition in production.editions.all():
            state = EditionState.load(edition)
            mix, counts = ready_mix(edition, state.mix_recipe), state.counts()
            rows.append({
                "language": edition.language,
                "stops": [{"code": code, "lines": lines} for code, lines in stops(state)],
                "unread": unread(state), "approved": counts["approved"],
                "worded": len(state.lines) - counts["empty"],
                "sketches": [s.id for s in state.sketches()],
                "finishing": running("finish", edition=edition) is not None,
                "on_screen": counts["on_screen"],
                "mix": state.mix_recipe, "mix_state": mix_progress(edition, state.mix_recipe).state,
                "mix_ready": mix is not None, "empty": counts["empty"], "seconds": state.seconds,
                "lufs": mix.report["lufs"] if mix else None,
                "true_peak_db": mix.report["true_peak_db"] if mix else None,
            })
        return Response(rows)


class EditionFilesView(APIView):
    @extend_schema(request=EditionFileSerializer, responses={202: HandOverSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Have a file of an edition made: its track, its clips, its captions, what is read on the screen, where the
        picture is held. Asking again while nothing in it changes makes nothing again.

        With ``mix`` what belongs to just that mix is handed over, whatever has changed since; else to the newest.
        Sound that is made of sketches is handed over only where ``sketch`` asks for it, and named so; drafts that
        nobody has read only where ``unread`` does. Who may listen may ask.
        """
        edition = edition_for(request.user, production_id, language)
        sent = EditionFileSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        asked = sent.validated_data
        deliverable = deliverable_named(asked["file"], "edition")
        assert deliverable is not None
        row = hand_over_edition(request.user, StoredEdition(edition, asked["mix"]), deliverable, asked["sketch"],
                                asked["unread"])
        return Response(hand_over_data(row), status=status.HTTP_202_ACCEPTED)


class FilesView(APIView):
    @extend_schema(responses=HandOverSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """What was handed over of a production, the newest first."""
        rows = HandOver.objects.filter(production=production_for(request.user, production_id))
        return Response([hand_over_data(row) for row in rows.select_related("edition", "user")[:_SHOWN]])

    @extend_schema(request=ProductionFileSerializer, responses={202: HandOverSerializer})
    def post(self, request: Request, production_id: int) -> Response:
        """Have the script made in any format that it can be brought in as. Tables, text documents and JSON hold all
        wordings; JSON holds everything."""
        production = production_for(request.user, production_id)
        sent = ProductionFileSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        deliverable = deliverable_named(sent.validated_data["file"], "production")
        assert deliverable is not None
        return Response(hand_over_data(hand_over_script(request.user, production, deliverable)),
                        status=status.HTTP_202_ACCEPTED)


class UnheldView(APIView):
    @extend_schema(parameters=[ProductionFileSerializer], responses=ProblemSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """What of the script a file in this format cannot hold, before it is made."""
        production = production_for(request.user, production_id)
        asked = ProductionFileSerializer(data=request.query_params)
        asked.is_valid(raise_exception=True)
        suffix = "." + asked.validated_data["file"].rpartition(".")[2]
        fmt = next(one for one in FORMATS.values() if one.suffixes[0] == suffix)
        script = production_script(production, True)
        return Response([problem_data(one) for one in unheld(fmt, script, production.source_language)])


def _row(request: Request, production_id: int, file_id: int) -> HandOver:
    rows = HandOver.objects.filter(production=production_for(request.user, production_id), pk=file_id)
    row = rows.select_related("edition", "user").first()
    if row is None:
        raise Http404
    return row


class FileView(APIView):
    @extend_schema(responses=HandOverSerializer)
    def get(self, request: Request, production_id: int, file_id: int) -> Response:
        """How far a file is, and what was measured of it."""
        return Response(hand_over_data(_row(request, production_id, file_id)))


class FileContentView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, file_id: int) -> HttpResponseBase:
        """The file itself, once it is ready; ranges are served."""
        row = _row(request, production_id, file_id)
        if not handed().has(row.key):
            raise BadInput("This is not made, or not kept any more: ask for it again.")
        return serve(request._request, handed(), row.key, row.name, DELIVERABLES[row.deliverable].kind, download=True)
