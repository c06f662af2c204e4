"""Mixes: asking for one, how far it is, and its sound."""

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

from janoglot.core.deliver.names import file_name
from janoglot.editions.state import EditionState
from janoglot.mix.actions.ask_for_mix import ask_for_mix
from janoglot.mix.awaiting import await_mix, is_awaited
from janoglot.mix.block_files import MixFile, block_mix, is_kept
from janoglot.mix.making import MIX_STATES, mix_progress
from janoglot.mix.models import AwaitedMix, Mix
from janoglot.productions.models import Edition
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import mixes, serve

Data = dict[str, Any]


class MixReportSerializer(serializers.Serializer[Data]):
    seconds = serializers.FloatField()
    lufs = serializers.FloatField()
    true_peak_db = serializers.FloatField()
    limited_db = serializers.FloatField()
    short_term = serializers.ListField(child=serializers.FloatField(), help_text="LUFS over 3 s, each second.")
    range_lu = serializers.FloatField(help_text="Loudness range (EBU Tech 3342).")
    most_short_term = serializers.FloatField()
    most_momentary = serializers.FloatField()
    voices = serializers.FloatField(help_text="LUFS of what is said alone.")
    layers = serializers.DictField(child=serializers.FloatField(), help_text="LUFS of each layer and speaker, by name.")
    unclear = serializers.DictField(
        child=serializers.FloatField(), help_text="By a line's id: how many LU it is over what lies under it, too few."
    )
    channels = serializers.IntegerField()


class MixAskedSerializer(serializers.Serializer[Data]):
    when = serializers.ChoiceField(
        [("now", "now"), ("finished", "finished")], required=False, default="now",
        help_text="“finished”: by itself, once nothing of the edition is being made any more.")


class MixSerializer(serializers.Serializer[Data]):
    recipe = serializers.CharField()
    state = serializers.ChoiceField(MIX_STATES)
    share = serializers.FloatField()
    fault = serializers.CharField()
    sketches = serializers.IntegerField(help_text="How many of its lines are heard as sketches.")
    awaited = serializers.BooleanField(help_text="The edition is mixed by itself once everything of it is finished.")
    report = MixReportSerializer(allow_null=True)


def mix_data(edition: Edition, recipe: str) -> Data:
    found = mix_progress(edition, recipe)
    return {"recipe": recipe, "state": found.state, "share": found.share, "fault": found.fault,
            "sketches": int(found.mix.report.get("sketches", 0)) if found.mix else 0, "awaited": is_awaited(edition),
            "report": found.mix.report if found.mix and found.mix.report else None}


class MixesView(APIView):
    @extend_schema(request=MixAskedSerializer, responses={202: MixSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Have the edition mixed as it stands: with sketches where nothing finished is there yet. Asking again while it
        stands so makes nothing again.

        Who may listen may ask: a mix is a made thing and changes nothing of the production.
        """
        edition = edition_for(request.user, production_id, language)
        sent = MixAskedSerializer(data=request.data or {})
        sent.is_valid(raise_exception=True)
        if sent.validated_data["when"] == "finished":
            await_mix(edition, request.user)
            return Response(mix_data(edition, EditionState.load(edition).mix_recipe), status=status.HTTP_202_ACCEPTED)
        mix = ask_for_mix(edition, request.user)
        return Response(mix_data(edition, mix.recipe), status=status.HTTP_202_ACCEPTED)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, language: str) -> Response:
        """Wait no longer for everything to be finished."""
        AwaitedMix.objects.filter(edition=edition_for(request.user, production_id, language)).delete()
        return Response(status=status.HTTP_204_NO_CONTENT)

    @extend_schema(responses=MixSerializer, operation_id="productions_editions_mixes_current")
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """The mix of exactly how the edition stands now; *absent* where nobody has asked for it."""
        edition = edition_for(request.user, production_id, language)
        return Response(mix_data(edition, EditionState.load(edition).mix_recipe))


def _mix(request: Request, production_id: int, language: str, recipe: str) -> Mix:
    mix = Mix.objects.filter(edition=edition_for(request.user, production_id, language), recipe=recipe).first()
    if mix is None:
        raise Http404
    return mix


class MixView(APIView):
    @extend_schema(responses=MixSerializer)
    def get(self, request: Request, production_id: int, language: str, recipe: str) -> Response:
        """How far a mix is, and what was measured of it."""
        mix = _mix(request, production_id, language, recipe)
        return Response(mix_data(mix.edition, mix.recipe))


class MixSoundView(APIView):
    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, recipe: str) -> HttpResponseBase:
        """The track itself; ranges are served, so a player can seek."""
        mix = _mix(request, production_id, language, recipe)
        if not mix.report or not is_kept(mix, mixes()):
            raise Http404
        file = MixFile(block_mix(mix, mixes()), mixes())
        return serve(request._request, file, mix.key, f"{file_name(language)}.wav")
