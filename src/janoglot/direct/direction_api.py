"""What is directed of a line, and the takes that there are of it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.speech.directing import MARK_KINDS, carried, lost_marks, words_of
from janoglot.core.speech.moods import laid_over, moods_of
from janoglot.direct.actions.set_direction import set_direction
from janoglot.editions.mood_serializers import MoodSerializer, moods_data
from janoglot.editions.state import EditionState, takes_there
from janoglot.productions.models import Edition, Line, LineDirection, Wording
from janoglot.productions.permissions import edition_for
from janoglot.server.fields import FiniteField

Data = dict[str, Any]
MARK_CHOICES = [(kind, kind) for kind in MARK_KINDS]
_LOOKED_FOR = 12
"""Takes beyond the one that is chosen are looked for among so many numbers."""


class DirectionMarkSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField(MARK_CHOICES)
    word = serializers.IntegerField(min_value=0, help_text="Counted from 0.")
    amount = FiniteField(default=1.0, help_text="Of a stress 1 is plainly; of a pause, seconds before the word.")
    count = serializers.IntegerField(default=1, min_value=1, help_text="How many words.")
    said = serializers.CharField(required=False, allow_blank=True, max_length=400,
                                 help_text="Of a reading: the other words, or the sounds in IPA.")


class KeptTakeSerializer(serializers.Serializer[Data]):
    number = serializers.IntegerField(min_value=1, max_value=999)
    thrown = serializers.BooleanField(default=False, help_text="Thrown away; it can be brought back.")


class DirectionChangeSerializer(serializers.Serializer[Data]):
    variant = serializers.IntegerField(required=False, min_value=0, max_value=999, help_text="The take to be heard.")
    names = serializers.DictField(child=serializers.CharField(allow_blank=True, max_length=200), required=False,
                                  help_text="What takes are called, by number.")
    marks = DirectionMarkSerializer(many=True, required=False, help_text="All of them anew, on the words as they are.")
    marks_added = DirectionMarkSerializer(
        many=True, required=False, help_text="Instead of all of them: these, each in the place of one of its kind on "
        "the same words.")
    marks_removed = DirectionMarkSerializer(many=True, required=False, help_text="… and these no more.")
    moods = MoodSerializer(many=True, required=False, help_text="All of them anew.")
    takes = KeptTakeSerializer(many=True, required=False, help_text="The readings that are kept to choose from.")


class TakeChoiceSerializer(serializers.Serializer[Data]):
    number = serializers.IntegerField()
    name = serializers.CharField()
    made = serializers.BooleanField()
    chosen = serializers.BooleanField()
    kept = serializers.BooleanField(help_text="Kept to choose from.")
    thrown = serializers.BooleanField()
    seconds = serializers.FloatField(allow_null=True)


class LostMarkSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField(MARK_CHOICES)
    words = serializers.CharField(help_text="What it was on.")


class DirectionSerializer(serializers.Serializer[Data]):
    variant = serializers.IntegerField()
    marks = DirectionMarkSerializer(many=True)
    lost = LostMarkSerializer(many=True, help_text="Marks whose words are there no more.")
    moods = MoodSerializer(many=True, help_text="The line's own.")
    beneath = MoodSerializer(many=True, help_text="Those of its speaker, in the part and everywhere.")
    takes = TakeChoiceSerializer(many=True, help_text="Those that are made, named or chosen, by number.")


def direction_data(edition: Edition, line: Line) -> Data:
    row = LineDirection.objects.filter(edition=edition, line=line).first() or LineDirection()
    words = Wording.objects.filter(edition=edition, line=line).values_list("text", flat=True).first() or ""
    marks, _ = carried(row.core_marks, row.said, words)
    standing = EditionState.load(edition, [line.pk]).lines[0]
    names = {int(number): name for number, name in row.names.items()}
    recipe = standing.recipe
    kept = {int(one["number"]): bool(one.get("thrown")) for one in row.takes}
    numbers = sorted({0, row.variant, *names, *kept, *range(_LOOKED_FOR)})
    hashes = {number: replace(recipe, variant=number).hash for number in numbers} if recipe else {}
    there = takes_there(list(hashes.values()))
    takes = []
    for number in numbers:
        take = there.get(hashes.get(number, ""))
        if take or number in names or number in kept or number == row.variant or (kept and not number):
            takes.append({"number": number, "name": names.get(number, ""), "made": take is not None,
                          "chosen": number == row.variant, "kept": number in kept,
                          "thrown": kept.get(number, False), "seconds": round(take.seconds, 3) if take else None})
    own = moods_of(row.moods)
    beneath = tuple(one for one in laid_over([standing.moods]) if one[0] not in dict(own))
    return {"variant": row.variant, "marks": [mark.as_json() for mark in marks], "takes": takes,
            "lost": [{"kind": one.kind, "words": " ".join(words_of(row.said)[one.word: one.word + one.count])}
                     for one in lost_marks(row.core_marks, row.said, words)],
            "moods": moods_data(own), "beneath": moods_data(beneath)}


class DirectionView(APIView):
    def _line(self, production_id: int, line_id: int) -> Line:
        line = Line.objects.filter(production_id=production_id, pk=line_id).first()
        if line is None:
            raise Http404
        return line

    @extend_schema(responses=DirectionSerializer)
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """What is directed of a line, and its takes to choose from."""
        edition = edition_for(request.user, production_id, language)
        return Response(direction_data(edition, self._line(production_id, line_id)))

    @extend_schema(request=DirectionChangeSerializer, responses=DirectionSerializer)
    def put(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Choose a take by its number, name takes, mark words. What is not sent stays."""
        edition = edition_for(request.user, production_id, language, change=True)
        line = self._line(production_id, line_id)
        given = DirectionChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        set_direction(request.user, edition, line, dict(given.validated_data))
        return Response(direction_data(edition, line))
