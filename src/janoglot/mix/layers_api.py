"""The mix of an edition layer by layer: what lies where, and the sound of each in pieces, for a page to play and to set
levels of at once."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from threading import Lock
from typing import Any

import numpy as np
import soundfile
from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.edition.plan import MixPlan, plan_of
from janoglot.core.edition.sound_world import Sounds, tracks_of_plan
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.graph import recipe_hash
from janoglot.core.guarded import whole_number
from janoglot.core.mix.blocks import BLOCK, BLOCKS_VERSION, Track
from janoglot.core.mix.cues import PlacedCue
from janoglot.core.mix.sides import RATE
from janoglot.core.mix.under import UnderTrack
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.mix.library import sound_library
from janoglot.mix.models import Mix
from janoglot.productions.models import Edition
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import mixes, serve, takes

Data = dict[str, Any]
_HEADROOM = 12.0
"""dB that pieces are kept quieter by, so that what is loud before its layer's level is on it does not clip."""
_KEPT = 6
"""Editions whose tracks stay at hand."""


class PlayedLayerSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    voice = serializers.BooleanField(help_text="Whether it is a speaker's.")
    kind = serializers.CharField(help_text="“voice”, or a layer's kind.")
    level_db = serializers.FloatField()
    pan = serializers.FloatField()
    mute = serializers.BooleanField()
    solo = serializers.BooleanField()
    blocks = serializers.ListField(
        child=serializers.CharField(allow_blank=True),
        help_text="The key of each piece of ten seconds; empty where nothing sounds.",
    )
    curve = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField()),
        help_text="Seconds and dB between which it gives way to voices.",
    )


class LaidCueSerializer(serializers.Serializer[Data]):
    id = serializers.CharField()
    layer = serializers.CharField()
    start = serializers.FloatField()
    seconds = serializers.FloatField()
    sound_seconds = serializers.FloatField(help_text="Of its sound, uncut.")
    joins = serializers.ListField(
        child=serializers.FloatField(), help_text="Where music was cut to end with the cue: seconds of the programme."
    )
    cut = serializers.BooleanField(help_text="Whether it was.")


class PlayedLayersSerializer(serializers.Serializer[Data]):
    recipe = serializers.CharField(help_text="Of the mix that these layers are.")
    seconds = serializers.FloatField()
    block_seconds = serializers.FloatField()
    gain_db = serializers.FloatField(help_text="What the programme as a whole is raised by, as far as it is known.")
    headroom_db = serializers.FloatField(help_text="What pieces are to be raised by.")
    layers = PlayedLayerSerializer(many=True)
    cues = LaidCueSerializer(many=True)
    left_out = serializers.ListField(
        child=serializers.CharField(), help_text="Ids of cues that are tied to what this edition does not have."
    )


@dataclass(frozen=True, slots=True)
class _Held:
    plan: MixPlan
    tracks: Sequence[Track]
    library: Sounds


_held: OrderedDict[str, _Held] = OrderedDict()
_lock = Lock()


def _tracks(edition: Edition, state: EditionState, recipe: str) -> _Held:
    """What the edition's mix is of, put together once for as long as it stands so."""
    with _lock:
        if recipe in _held:
            _held.move_to_end(recipe)
            return _held[recipe]
    plan = plan_of(state, lambda line: kept_sound(line, takes()))
    library = sound_library()
    made = _Held(plan, tracks_of_plan(plan, takes(), library), library)
    if library.missing:
        return made
    with _lock:
        _held[recipe] = made
        while len(_held) > _KEPT:
            _held.popitem(last=False)
    return made


def _key(track: Track, number: int, seconds: float) -> str:
    first = number * BLOCK
    found = track.content(first, min(first + BLOCK, round(seconds * RATE)))
    return recipe_hash("piece", content=found, version=BLOCKS_VERSION) if found is not None else ""


class LayersView(APIView):
    @extend_schema(responses=PlayedLayersSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Speakers and layers as they lie in the edition now."""
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition)
        recipe = state.mix_recipe
        empty: Data = {
            "recipe": "",
            "seconds": 0.0,
            "block_seconds": BLOCK / RATE,
            "gain_db": 0.0,
            "headroom_db": _HEADROOM,
            "layers": [],
            "cues": [],
            "left_out": [],
        }
        if not recipe:
            return Response(empty)
        held = _tracks(edition, state, recipe)
        seconds = held.plan.seconds
        count = -(-round(seconds * RATE) // BLOCK)
        layers = []
        for track in held.tracks:
            curve = (
                [[round(float(at), 3), round(float(db), 2)] for at, db in zip(*track.curve, strict=True)]
                if isinstance(track, UnderTrack)
                else []
            )
            layers.append(
                {
                    "name": track.name,
                    "voice": track.voice,
                    "kind": track.layer.kind if isinstance(track, UnderTrack) else "voice",
                    **asdict(track.strip),
                    "blocks": [_key(track, number, seconds) for number in range(count)],
                    "curve": curve,
                }
            )
        last = Mix.objects.filter(edition=edition).exclude(report={}).order_by("-id").first()
        return Response(
            {
                **empty,
                "recipe": recipe,
                "seconds": seconds,
                "layers": layers,
                "gain_db": last.report.get("gain_db", 0.0) if last else 0.0,
                "cues": [_laid(one, held.library, seconds) for one in held.plan.under],
                "left_out": [cue.id for cue in state.placed_cues[1]],
            }
        )


def _laid(placed: PlacedCue, library: Sounds, programme: float) -> Data:
    cue, joins, was_cut = placed.cue, [], False
    try:
        sound = library.named(cue.source)
        there = sound.frames / RATE - cue.trim
    except BadInput:
        there = 0.0
    lasts = placed.lasts if placed.lasts is not None else there
    if cue.fit and placed.lasts:
        try:
            which = cue.source.get("cut", 0)
            ways = library.cuts(cue.source, round(placed.lasts, 2))
            way = ways[min(max(0, which if isinstance(which, int) else 0), len(ways) - 1)]
            joins, was_cut = [round(placed.start + join, 3) for join in way.joins], True
        except JanoglotError:
            was_cut = False
    if not cue.loop and not was_cut:
        lasts = min(lasts, there)
    return {
        "id": cue.id,
        "layer": cue.layer,
        "start": round(placed.start, 3),
        "seconds": round(min(lasts, programme - placed.start), 3),
        "sound_seconds": round(there, 3),
        "joins": joins,
        "cut": was_cut,
    }


class LayerPieceView(APIView):
    @extend_schema(
        parameters=[
            OpenApiParameter("layer", str, required=True),
            OpenApiParameter("block", int, required=True),
            OpenApiParameter("key", str, required=True),
        ],
        responses={(200, "audio/flac"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, production_id: int, language: str) -> HttpResponseBase:
        """Ten seconds of one layer, before its level and pan: made once, and kept."""
        edition = edition_for(request.user, production_id, language)
        asked = request.query_params
        key, name, number = (
            str(asked.get("key") or ""),
            str(asked.get("layer") or ""),
            whole_number(str(asked.get("block") or "")),
        )
        if not key.isalnum() or number is None or number < 0:
            raise Http404
        if not mixes().has(f"{key}.flac"):
            state = EditionState.load(edition)
            held = _tracks(edition, state, state.mix_recipe)
            track = next((one for one in held.tracks if one.name == name), None)
            if track is None or _key(track, number, held.plan.seconds) != key:
                # The edition has moved on meanwhile: whoever asks looks again.
                raise Http404
            first = number * BLOCK
            samples = track.piece(first, min(first + BLOCK, round(held.plan.seconds * RATE))) * np.float32(
                10 ** (-_HEADROOM / 20)
            )
            mixes().write(
                f"{key}.flac", lambda place: soundfile.write(place, samples, RATE, subtype="PCM_16", format="FLAC")
            )
        response = serve(request._request, mixes(), f"{key}.flac", "piece.flac", "audio/flac")
        response.headers["Cache-Control"] = "private, max-age=86400, immutable"
        return response
