"""An edition's lines as they stand."""

from __future__ import annotations

import gzip
from typing import Any

from django.http import HttpResponse
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.edition.model import OwnCasting
from janoglot.core.edition.standing import LineStanding
from janoglot.core.speech.settings import SETTINGS, VoiceSettings
from janoglot.core.speech.takes import Quality, scaled_words
from janoglot.core.timing.placing import Placement
from janoglot.core.timing.settings import own_timing
from janoglot.editions.keeping import Current, SeenMark, current, keep_told, mark_of, told_at, told_by_another
from janoglot.editions.mood_serializers import MoodSerializer, moods_data
from janoglot.editions.productions_api import edition_data
from janoglot.editions.serializers import EditionSerializer
from janoglot.editions.state import TAKE_STATES
from janoglot.editions.timing_serializers import (
    HoldSerializer,
    LineTimingSerializer,
    TimingSettingsSerializer,
    holds_data,
    timing_data,
)
from janoglot.productions.models import QUALITIES, Edition
from janoglot.productions.permissions import edition_for
from janoglot.server.fields import number_fields
from janoglot.server.rendering import as_json

Data = dict[str, Any]


class ForeignSerializer(serializers.Serializer[Data]):
    words = serializers.CharField(max_length=200)
    language = serializers.CharField(max_length=60)


class LineCastingSerializer(serializers.Serializer[Data]):
    """What is null or empty follows the speaker's casting."""

    voice = serializers.CharField(required=False, allow_blank=True, max_length=80)
    language = serializers.CharField(required=False, allow_blank=True, max_length=60)
    foreign = ForeignSerializer(many=True, required=False, help_text="Words of the line in another language.")

    def get_fields(self) -> dict[str, serializers.Field]:  # type: ignore[type-arg]
        return {**super().get_fields(), **number_fields(VoiceSettings, required=False, allow_null=True)}


class DirectedSerializer(serializers.Serializer[Data]):
    marks = serializers.IntegerField(help_text="How many marks are on its words.")
    moods = MoodSerializer(many=True, help_text="All that lie over one another on it.")
    reading = serializers.IntegerField(help_text="Which reading is chosen; 0 is the plain one.")
    guided = serializers.BooleanField(help_text="Whether it follows a guide read.")


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
    by_person = serializers.BooleanField(help_text="Whether a person records it.")
    own = LineCastingSerializer(allow_null=True, help_text="What is the line's own; null follows its speaker.")
    directed = DirectedSerializer(allow_null=True, help_text="What is directed of it; null for nothing.")
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
    mark = serializers.CharField(help_text="Ask with it, and only lines that are otherwise since are told.")
    whole = serializers.BooleanField(help_text="Whether these are all lines, not the changed ones alone.")
    edition = EditionSerializer()
    timing = TimingSettingsSerializer()
    holds = HoldSerializer(many=True, help_text="Where the picture is held.")
    seconds = serializers.FloatField(help_text="To the end of the last line.")
    programme = serializers.FloatField(help_text="… or of the recording that it is for, where that goes on.")
    mix_recipe = serializers.CharField(help_text="Names the mix that would be made now; empty without takes.")
    lines = LineSerializer(many=True)


def line_casting_data(own: OwnCasting | None) -> Data | None:
    """What a line has of its own; None where it follows its speaker in all."""
    if own is None:
        return None
    settings = dict(own.settings)
    return {"voice": own.voice, "language": own.language,
            "foreign": [{"words": words, "language": language} for words, language in own.foreign],
            **{name: settings.get(name) for name in SETTINGS}}


def directed_data(standing: LineStanding) -> Data | None:
    """What is directed of a line; None where that is nothing."""
    line = standing.line
    guided = bool(line.guide.words)
    if not (line.marks or standing.moods or line.variant or guided):
        return None
    return {"marks": len(line.marks), "moods": moods_data(standing.moods), "reading": line.variant, "guided": guided}


def line_data(standing: LineStanding, placement: Placement, quality: Quality | None,
              slot: tuple[float, float] | None, shift: float) -> Data:
    """``slot`` is where the line's picture is in this edition, moved by ``shift``, what was held before it."""
    line, take = standing.line, standing.take
    marks: list[list[float]] = []
    state = standing.state
    if take and state == "current":
        marks = [[round(m.start, 3), round(m.end, 3), m.at, m.length]
                 for m in scaled_words(take.words, take.seconds, placement.seconds)]
    return {
        "id": line.id, "number": line.number, "part": line.part.id if line.part else None, "speaker": line.speaker,
        "notes": line.notes, "slot": [round(at, 3) for at in slot] if slot else None, "words": line.words,
        "revision": line.revision, "state": state, "quality": quality,
        "voice": standing.voice.id if standing.voice else None, "wrong_language": standing.wrong_language,
        "by_person": standing.by_person, "own": line_casting_data(line.own),
        "directed": directed_data(standing),
        "natural": round(take.seconds, 3) if take else None, "start": round(placement.start, 3),
        # Nearly all of these are nothing: of thousands of lines even rounding that is waited for.
        "seconds": placement.seconds and round(placement.seconds, 3),
        "rate": 1.0 if placement.rate == 1.0 else round(placement.rate, 4),
        "over": placement.over and round(placement.over, 3), "late": placement.late and round(placement.late, 3),
        "into_silence": placement.into_silence and round(placement.into_silence, 3),
        "collides": placement.collides and round(placement.collides, 3),
        "harm": placement.harm and round(placement.harm, 3), "flags": placement.flags,
        "in_sight": line.in_sight,
        "timing": _in_this_edition(own_timing(line.timing), shift), "marks": marks,
    }


def _in_this_edition(own: Data, shift: float) -> Data:
    """A line's own timing, where it is pinned told in the edition's time as every other time is."""
    return {**own, "at": round(own["at"] + shift, 3)} if "at" in own else own


AFTER = OpenApiParameter("after", str, description="A mark: only lines that are otherwise since are told.")


def asked_after(request: Request) -> SeenMark | None:
    """The mark that a client has seen; None where it has none, or it is none of ours."""
    return SeenMark.read(str(request.query_params.get("after") or ""))


class EditionView(APIView):
    @extend_schema(parameters=[AFTER], responses=EditionLinesSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response | HttpResponse:
        """The lines of an edition: words, voice, take and place. All of them, or those that are otherwise since."""
        edition = edition_for(request.user, production_id, language)
        after = asked_after(request)
        mark = mark_of(edition)
        told = told_at(edition, mark) or told_by_another(edition, mark) if after is None else None
        if told is None:
            found = current(edition, after)
            if found.since is not None:
                return Response(edition_lines_data(edition, found))
            told = keep_told(edition, found.mark, as_json(edition_lines_data(edition, found)))
        if "gzip" in request.headers.get("Accept-Encoding", ""):
            return HttpResponse(told, content_type="application/json",
                                headers={"Content-Encoding": "gzip", "Vary": "Accept-Encoding"})
        return HttpResponse(gzip.decompress(told), content_type="application/json")


def edition_lines_data(edition: Edition, found: Current) -> Data:
    # The row may have been read before the mark: what is told is never older than the mark says.
    edition.refresh_from_db(fields=["timing"])
    state = found.state
    return {
        "mark": str(found.mark), "whole": found.since is None, "edition": edition_data(edition, state),
        "timing": timing_data(edition), "holds": holds_data(state.holds),
        "seconds": round(state.seconds, 3), "programme": round(state.programme, 3), "mix_recipe": state.mix_recipe,
        "lines": [line_data(s, p, state.quality(s), timed.slot, shift) for s, p, timed, shift in zip(
            state.lines, state.placements, state.grown.lines, state.grown.shifts, strict=True)
                  if found.since is None or s.id in found.since],
    }
