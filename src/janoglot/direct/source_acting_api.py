"""Lines that are to be acted as the source recording has them: proposed, looked at, taken."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import soundfile
from django.core.cache import cache
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.graph import recipe_hash
from janoglot.core.speech.source_acting import LineSound, by_speaker, line_sound, spans_of
from janoglot.direct.actions.set_direction import set_moods_each
from janoglot.editions.mood_serializers import MoodSerializer, moods_data
from janoglot.productions.models import Line, Media, Production, line_numbers
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import media

Data = dict[str, Any]
_VERSION = 1
_KEPT = 30 * 24 * 3600
MOST_LINES = 1_500
"""That are measured while somebody waits; of more, the first."""


class AwaySerializer(serializers.Serializer[Data]):
    pitch = serializers.FloatField(help_text="Semitones from the speaker's usual.")
    range = serializers.FloatField(help_text="Semitones.")
    level = serializers.FloatField(help_text="dB.")
    pace = serializers.FloatField(help_text="A factor.")
    voiced = serializers.FloatField(help_text="A share.")


class ActingSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    number = serializers.IntegerField()
    moods = MoodSerializer(many=True)
    away = AwaySerializer()


class SourceActingSerializer(serializers.Serializer[Data]):
    recorded = serializers.BooleanField(help_text="Whether there is a recording with times to go by.")
    measured = serializers.IntegerField(help_text="Lines that could be measured in it.")
    proposals = ActingSerializer(many=True)


class LineMoodsSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    moods = MoodSerializer(many=True)


class TakenActingSerializer(serializers.Serializer[Data]):
    lines = LineMoodsSerializer(many=True)


def _sounds(production: Production) -> tuple[bool, dict[int, int], dict[int, LineSound]]:
    """Whether there is a recording; by line, its speaker and what was measured of it."""
    recording = Media.objects.filter(production=production, played=True, purpose=Media.Purpose.SOURCE).first()
    key = recording.copies.get("sound") if recording else None
    if key is None or not media().has(key):
        return False, {}, {}
    timed = Line.objects.filter(production=production, kind=Line.Kind.SPOKEN, start_ms__isnull=False,
                                end_ms__isnull=False)[:MOST_LINES]
    speakers: dict[int, int] = {}
    sounds: dict[int, LineSound] = {}
    with soundfile.SoundFile(media().path(key)) as file:
        for line in timed:
            speakers[line.pk] = line.speaker_id
            slot = line.slot or (0.0, 0.0)
            name = recipe_hash("line sound", sound=key, slot=slot, version=_VERSION)
            told = cache.get(f"line-sound-{name}")
            if told is None:
                first, count = spans_of(file.samplerate, slot)
                found = None
                if first < file.frames:
                    file.seek(first)
                    found = line_sound(file.read(count, dtype="float32", always_2d=True)[:, 0], file.samplerate)
                told = asdict(found) if found else {}
                cache.set(f"line-sound-{name}", told, _KEPT)
            if told:
                sounds[line.pk] = LineSound(**told)
    return True, speakers, sounds


class SourceActingView(APIView):
    @extend_schema(responses=SourceActingSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Moods for lines that the source recording has otherwise than its speaker's usual, with how far."""
        edition = edition_for(request.user, production_id, language)
        recorded, speakers, sounds = _sounds(edition.production)
        numbers = line_numbers(production_id)
        found = by_speaker(speakers, sounds)
        return Response({"recorded": recorded, "measured": len(sounds), "proposals": [
            {"line": line, "number": numbers[line], "moods": moods_data(one.moods), "away": dict(one.away)}
            for line, one in sorted(found.items(), key=lambda row: numbers[row[0]])]})

    @extend_schema(request=TakenActingSerializer, responses={204: None})
    def put(self, request: Request, production_id: int, language: str) -> Response:
        """Give lines their moods, each its own, in one act."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = TakenActingSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        told = {row["line"]: row["moods"] for row in given.validated_data["lines"]}
        lines = list(Line.objects.filter(production_id=production_id, pk__in=told))
        set_moods_each(request.user, edition, [(line, told[line.pk]) for line in lines])
        return Response(status=status.HTTP_204_NO_CONTENT)
