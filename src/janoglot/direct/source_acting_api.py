"""Lines that are to be acted as the source recording has them: proposed, looked at, taken."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import regex
import soundfile
from django.core.cache import cache
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.graph import recipe_hash
from janoglot.core.speech.source_acting import LineSound, by_speaker, line_sound, spans_of
from janoglot.core.speech.source_stress import StressedWord
from janoglot.direct.actions.set_direction import set_acting
from janoglot.direct.stress_finding import begin_finding, carried_over, known_stresses
from janoglot.editions.jobs_api import JobSerializer, job_data
from janoglot.editions.mood_serializers import MoodSerializer, moods_data
from janoglot.productions.jobs import running
from janoglot.productions.models import Edition, Job, Line, Media, Production, Wording, line_numbers
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import media

Data = dict[str, Any]
_VERSION = 2
_KEPT = 30 * 24 * 3600
MOST_LINES = 1_500
"""That are measured while somebody waits; of more, the first."""


class AwaySerializer(serializers.Serializer[Data]):
    pitch = serializers.FloatField(help_text="Semitones from the speaker's usual.")
    range = serializers.FloatField(help_text="Semitones.")
    level = serializers.FloatField(help_text="dB.")
    pace = serializers.FloatField(help_text="A factor.")
    voiced = serializers.FloatField(help_text="A share.")


class StressSerializer(serializers.Serializer[Data]):
    word = serializers.IntegerField(help_text="Of the line as it is in this edition, from 0.")
    amount = serializers.FloatField(min_value=-1, max_value=2)
    text = serializers.CharField(required=False, help_text="The word.")
    stressed = serializers.CharField(required=False, help_text="The word of the source that is stressed.")


class ActingSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    number = serializers.IntegerField()
    moods = MoodSerializer(many=True)
    away = AwaySerializer(allow_null=True, help_text="Null where nothing but stresses is proposed.")
    stresses = StressSerializer(many=True)


class SourceActingSerializer(serializers.Serializer[Data]):
    recorded = serializers.BooleanField(help_text="Whether there is a recording with times to go by.")
    measured = serializers.IntegerField(help_text="Lines that could be measured in it.")
    unheard = serializers.IntegerField(help_text="Lines whose stressed words nobody has looked for yet.")
    finding = JobSerializer(allow_null=True)
    proposals = ActingSerializer(many=True)


class LineMoodsSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    moods = MoodSerializer(many=True)
    stresses = StressSerializer(many=True, required=False)


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


def _bare(word: str) -> str:
    """A word without what stands around it."""
    return regex.sub(r"^[^\p{L}\p{M}\p{N}]+|[^\p{L}\p{M}\p{N}]+$", "", word) or word


class SourceActingView(APIView):
    @extend_schema(responses=SourceActingSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Moods for lines that the source recording has otherwise than its speaker's usual, with how far."""
        edition = edition_for(request.user, production_id, language)
        recorded, speakers, sounds = _sounds(edition.production)
        numbers = line_numbers(production_id)
        found = by_speaker(speakers, sounds)
        stresses, unheard = known_stresses(edition.production)
        stressed = self._stresses(edition, stresses)
        lines = sorted({*found, *stressed} & numbers.keys(), key=lambda line: numbers[line])
        job = self._finding(edition)
        return Response({
            "recorded": recorded, "measured": len(sounds), "unheard": unheard,
            "finding": job_data(job) if job else None,
            "proposals": [{"line": line, "number": numbers[line],
                           "moods": moods_data(found[line].moods) if line in found else [],
                           "away": dict(found[line].away) if line in found else None,
                           "stresses": stressed.get(line, [])} for line in lines]})

    @staticmethod
    def _finding(edition: Edition) -> Job | None:
        return running("stress", edition__production=edition.production_id)

    @staticmethod
    def _stresses(edition: Edition, stresses: dict[int, tuple[StressedWord, ...]]) -> dict[int, list[Data]]:
        over = carried_over(edition, stresses)
        rows = Wording.objects.filter(edition__production=edition.production_id, line__in=over)
        texts = dict(rows.filter(edition=edition).values_list("line_id", "text"))
        sources = dict(rows.filter(edition__language=edition.production.source_language).values_list("line_id", "text"))
        return {line: [{"word": word, "amount": amount, "text": _bare(texts[line].split()[word]),
                        "stressed": _bare(sources[line].split()[source])} for word, source, amount in words]
                for line, words in over.items() if line in texts and line in sources}

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Look for the stressed words of the recording."""
        edition = edition_for(request.user, production_id, language, change=True)
        return Response(job_data(begin_finding(request.user, edition.production)), status=status.HTTP_202_ACCEPTED)

    @extend_schema(request=TakenActingSerializer, responses={204: None})
    def put(self, request: Request, production_id: int, language: str) -> Response:
        """Give lines their moods, each its own, in one act."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = TakenActingSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        told = {row["line"]: row for row in given.validated_data["lines"]}
        lines = list(Line.objects.filter(production_id=production_id, pk__in=told))
        set_acting(request.user, edition, [(line, told[line.pk]["moods"], [
            (one["word"], one["amount"]) for one in told[line.pk].get("stresses", [])]) for line in lines])
        return Response(status=status.HTTP_204_NO_CONTENT)
