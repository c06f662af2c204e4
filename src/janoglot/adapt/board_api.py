"""All languages at once: parts down, editions across."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import BadInput
from janoglot.core.guarded import whole_number
from janoglot.editions.state import EditionState
from janoglot.productions.permissions import edition_for, production_for

Data = dict[str, Any]
COUNTED = ["empty", "draft", "edited", "approved", "voiced", "unvoiced", "fits", "misfit"]
_FIGURES = ("empty", "draft", "edited", "approved", "spoken", "voiced", "fits")


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


class BoardLinesView(APIView):
    @extend_schema(parameters=[OpenApiParameter("what", str, required=True, enum=COUNTED),
                               OpenApiParameter("part", int, description="Without: lines of no part.")],
                   responses={200: {"type": "array", "items": {"type": "integer"}}})
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """The lines that a figure of the board counts, and where it counts what is done: those that are left."""
        edition = edition_for(request.user, production_id, language)
        what, part = request.query_params.get("what", ""), request.query_params.get("part", "")
        if what not in COUNTED:
            raise BadInput("The board counts no “{what}”. It counts: {known}.", what=what[:40],
                           known=", ".join(COUNTED))
        wanted = whole_number(part)
        return Response([line for of, line, counts in _counted(EditionState.load(edition))
                         if of == wanted and what in counts])


def _counted(state: EditionState) -> Iterator[tuple[int | None, int, set[str]]]:
    """Part, line, and everything that the line counts as."""
    for one, placement in zip(state.lines, state.placements, strict=True):
        said = one.line.state if one.words.strip() else "empty"
        counts = {str(said)}
        if not one.line.on_screen:
            voiced = one.state == "current"
            counts |= {"spoken", "voiced" if voiced else "unvoiced"}
            if voiced:
                counts.add("fits" if placement.harm == 0 else "misfit")
        yield one.line.part.id if one.line.part else None, one.id, counts


def _cells(state: EditionState) -> list[Data]:
    cells: dict[int | None, Data] = {}
    for part, line, counts in _counted(state):
        cell = cells.setdefault(part, {"part": part, "lines": 0, **dict.fromkeys(_FIGURES, 0), "first": {}})
        cell["lines"] += 1
        for name in _FIGURES:
            cell[name] += name in counts
        for name in counts - {"spoken"}:
            cell["first"].setdefault(name, line)
    return list(cells.values())
