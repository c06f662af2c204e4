"""An edition, a part or a line as SSML 1.1: taken out, looked at with its faults, and brought in."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.guarded import whole_numbers
from janoglot.core.speech.ssml import LONGEST, DirectedLine, ReadSsml, SsmlProblem, read_ssml, write_ssml
from janoglot.direct.actions.bring_ssml import bring_ssml, directed_lines, same
from janoglot.productions.models import Edition, Line, line_numbers
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import content_disposition

Data = dict[str, Any]
_WHICH = [OpenApiParameter("lines", str, description="Ids, by comma."),
          OpenApiParameter("part", int, description="All lines of a part; without either, of the edition.")]


class SsmlProblemSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField(help_text="In the text, from 1.")
    column = serializers.IntegerField()
    severity = serializers.ChoiceField([("error", "error"), ("kept", "kept")],
                                       help_text="What is kept is in the text, and nothing here does it.")
    message = serializers.CharField()


class SsmlSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(max_length=LONGEST, trim_whitespace=False)
    lines = serializers.ListField(child=serializers.IntegerField(), required=False, max_length=20_000,
                                  help_text="Which lines it is of; without any, all of the edition.")
    only_look = serializers.BooleanField(default=False, help_text="Change nothing.")


class SsmlReadSerializer(serializers.Serializer[Data]):
    problems = SsmlProblemSerializer(many=True)
    changed = serializers.ListField(child=serializers.IntegerField(), help_text="Ids of lines that are otherwise.")
    taken = serializers.BooleanField()


def _lines(edition: Edition, ids: list[int] | None, part: int | None = None) -> list[Line]:
    spoken = Line.objects.filter(production=edition.production_id, kind=Line.Kind.SPOKEN)
    rows = spoken.select_related("speaker", "part")
    if ids is not None:
        rows = rows.filter(pk__in=ids)
    if part is not None:
        rows = rows.filter(part=part)
    return list(rows)


def _matched(edition: Edition, lines: list[Line], read: ReadSsml) -> list[tuple[Line, DirectedLine]]:
    """Each line that was read with the script's: by its number, else by its order."""
    numbers = line_numbers(edition.production_id)
    by_number = {numbers[line.pk]: line for line in lines}
    left = iter(lines)
    found: list[tuple[Line, DirectedLine]] = []
    for told in read.lines:
        line = by_number.get(told.number) if told.number is not None else next(left, None)
        if line is None:
            which = f"line {told.number}" if told.number is not None else f"“{told.words[:40]}”"
            read.problems.append(SsmlProblem(1, 1, "error", f"There is no place for {which} here."))
        elif told.speaker and told.speaker != line.speaker.name:
            read.problems.append(SsmlProblem(1, 1, "kept", f"Line {numbers[line.pk]} stays {line.speaker.name}'s: who "
                                             "speaks is changed in the script."))
            found.append((line, told))
        else:
            found.append((line, told))
    return found


class SsmlView(APIView):
    @extend_schema(parameters=_WHICH, responses={(200, "application/ssml+xml"): OpenApiTypes.STR})
    def get(self, request: Request, production_id: int, language: str) -> HttpResponse:
        """Lines as SSML 1.1, with everything that is directed of them."""
        edition = edition_for(request.user, production_id, language)
        asked = request.query_params.get("lines")
        part = whole_numbers([request.query_params.get("part", "")])
        lines = _lines(edition, whole_numbers(asked.split(",")) if asked is not None else None,
                       part[0] if part else None)
        directed = directed_lines(edition, lines)
        told = [(line, one) for line, one in zip(lines, directed, strict=True) if one.words]
        parts = [line.part.name if line.part else "" for line, _ in told]
        text = write_ssml([one for _, one in told], language, parts)
        name = f"{edition.production.name}_{language}.ssml"
        return HttpResponse(text, content_type="application/ssml+xml; charset=utf-8",
                            headers={"Content-Disposition": content_disposition("attachment", name)})

    @extend_schema(request=SsmlSerializer, responses=SsmlReadSerializer)
    def put(self, request: Request, production_id: int, language: str) -> Response:
        """Have lines as they stand in some SSML. Where anything in it is wrong, nothing is changed, and it is told."""
        given = SsmlSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        told = given.validated_data
        edition = edition_for(request.user, production_id, language, change=not told["only_look"])
        read = read_ssml(told["text"])
        lines = _lines(edition, told.get("lines"))
        pairs = _matched(edition, lines, read)
        before = directed_lines(edition, [line for line, _ in pairs])
        changed = [line.pk for (line, one), was in zip(pairs, before, strict=True) if not same(was, one)]
        taken = not told["only_look"] and not read.errors
        if taken and changed:
            bring_ssml(request.user, edition, pairs)
        problems = [{"line": one.line, "column": one.column, "severity": one.severity, "message": one.message}
                    for one in read.problems]
        return Response({"problems": problems, "changed": changed, "taken": taken})
