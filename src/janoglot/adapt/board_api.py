"""All languages at once: parts down, editions across."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.adapt.models import Wording
from janoglot.direct.state import EditionState
from janoglot.productions.permissions import production_for
from janoglot.script.models import Line

Data = dict[str, Any]


class CellSerializer(serializers.Serializer[Data]):
    """Lines of a part in an edition, each counted by its wording's state; voiced and fitting ones beside that."""

    part = serializers.IntegerField(allow_null=True)
    lines = serializers.IntegerField()
    empty = serializers.IntegerField()
    draft = serializers.IntegerField()
    edited = serializers.IntegerField()
    approved = serializers.IntegerField()
    spoken = serializers.IntegerField()
    voiced = serializers.IntegerField(help_text="With a take that is current.")
    fits = serializers.IntegerField()
    first = serializers.DictField(child=serializers.IntegerField(),
                                  help_text="By what is counted: the first line that is so; and unvoiced, misfit.")


class BoardEditionSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    cells = CellSerializer(many=True)


class BoardSerializer(serializers.Serializer[Data]):
    editions = BoardEditionSerializer(many=True)


class BoardView(APIView):
    @extend_schema(responses=BoardSerializer)
    def get(self, request: Request, production_id: int) -> Response:
        """How every part of every edition stands."""
        production = production_for(request.user, production_id)
        return Response({"editions": [
            {"language": edition.language, "cells": _cells(EditionState.load(edition))}
            for edition in production.editions.select_related("production") if not edition.is_source]})


def _cells(state: EditionState) -> list[Data]:
    cells: dict[int | None, Data] = {}
    for line, placement in zip(state.lines, state.placements, strict=True):
        cell = cells.setdefault(line.line.part_id, {
            "part": line.line.part_id, "lines": 0, "empty": 0, "draft": 0, "edited": 0, "approved": 0, "spoken": 0,
            "voiced": 0, "fits": 0, "first": {}})
        said = line.wording.state if line.wording and line.words.strip() else Wording.State.EMPTY
        spoken = line.line.kind == Line.Kind.SPOKEN
        voiced = line.state == "current"
        fits = voiced and placement.harm == 0
        cell["lines"] += 1
        cell[said] += 1
        cell["spoken"] += spoken
        cell["voiced"] += voiced
        cell["fits"] += fits
        for name, is_so in ((said, True), ("voiced", voiced), ("fits", fits), ("unvoiced", spoken and not voiced),
                            ("misfit", voiced and not fits)):
            if is_so:
                cell["first"].setdefault(str(name), line.line.pk)
    return list(cells.values())
