"""What is directed of a line, and the takes that there are of it."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.speech.directing import MARK_BOUNDS, carried
from janoglot.direct.actions.set_direction import set_direction
from janoglot.editions.state import EditionState, takes_there
from janoglot.productions.models import Edition, Line, LineDirection, Wording
from janoglot.productions.permissions import edition_for
from janoglot.server.fields import FiniteField

Data = dict[str, Any]
MARK_KINDS = [(kind, kind) for kind in MARK_BOUNDS]
_LOOKED_FOR = 12
"""Takes beyond the one that is chosen are looked for among so many numbers."""


class DirectionMarkSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField(MARK_KINDS)
    word = serializers.IntegerField(min_value=0, help_text="Counted from 0.")
    amount = FiniteField(default=1.0, help_text="Of a stress 1 is plainly; of a pause, seconds before the word.")
    count = serializers.IntegerField(default=1, min_value=1, help_text="How many words.")


class DirectionChangeSerializer(serializers.Serializer[Data]):
    variant = serializers.IntegerField(required=False, min_value=0, max_value=999, help_text="The take to be heard.")
    names = serializers.DictField(child=serializers.CharField(allow_blank=True, max_length=200), required=False,
                                  help_text="What takes are called, by number.")
    marks = DirectionMarkSerializer(many=True, required=False, help_text="All of them anew, on the words as they are.")


class TakeChoiceSerializer(serializers.Serializer[Data]):
    number = serializers.IntegerField()
    name = serializers.CharField()
    made = serializers.BooleanField()
    chosen = serializers.BooleanField()
    seconds = serializers.FloatField(allow_null=True)


class DirectionSerializer(serializers.Serializer[Data]):
    variant = serializers.IntegerField()
    marks = DirectionMarkSerializer(many=True)
    lost = serializers.IntegerField(help_text="Marks whose words are there no more.")
    takes = TakeChoiceSerializer(many=True, help_text="Those that are made, named or chosen, by number.")


def direction_data(edition: Edition, line: Line) -> Data:
    row = LineDirection.objects.filter(edition=edition, line=line).first() or LineDirection()
    words = Wording.objects.filter(edition=edition, line=line).values_list("text", flat=True).first() or ""
    marks, lost = carried(row.core_marks, row.said, words)
    names = {int(number): name for number, name in row.names.items()}
    recipe = EditionState.load(edition, [line.pk]).lines[0].recipe
    numbers = sorted({row.variant, *names, *range(_LOOKED_FOR)})
    hashes = {number: replace(recipe, variant=number).hash for number in numbers} if recipe else {}
    there = takes_there(list(hashes.values()))
    takes = []
    for number in numbers:
        take = there.get(hashes.get(number, ""))
        if take or number in names or number == row.variant:
            takes.append({"number": number, "name": names.get(number, ""), "made": take is not None,
                          "chosen": number == row.variant, "seconds": round(take.seconds, 3) if take else None})
    return {"variant": row.variant, "marks": [asdict(mark) for mark in marks], "lost": lost, "takes": takes}


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
