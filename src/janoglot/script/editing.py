"""The script as a place to work: read whole or by what has changed, cut, joined, moved, given, checked, replaced."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_view
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import BadInput, Problem
from janoglot.core.guarded import whole_number
from janoglot.core.script.checks import CheckedLine, check
from janoglot.core.script.labels import same_person
from janoglot.core.script.model import ScriptLine
from janoglot.core.script.pasting import pasted_lines
from janoglot.editions.serializers import PartSerializer, SpeakerSerializer
from janoglot.productions.models import Edition, Line, LineRecording, Part, Production, Speaker
from janoglot.productions.permissions import edition_for, production_for, require_change, visible_productions
from janoglot.productions.recorder import go_back_to, redo_next, undo_last
from janoglot.script.actions import shape_parts
from janoglot.script.actions.add_lines import add_lines
from janoglot.script.actions.give_lines import give_all_of, give_lines
from janoglot.script.actions.join_lines import join_lines
from janoglot.script.actions.mark_lines import mark_lines
from janoglot.script.actions.merge_speakers import merge_speakers
from janoglot.script.actions.move_lines import move_lines
from janoglot.script.actions.remove_lines import remove_lines
from janoglot.script.actions.split_line import split_line
from janoglot.script.reading import script_since, whole_script
from janoglot.server.faults import translated
from janoglot.server.fields import FiniteField

Data = dict[str, Any]


class ScriptLineSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    place = serializers.CharField(help_text="Sorts the lines.")
    part = serializers.IntegerField(allow_null=True)
    speaker = serializers.IntegerField()
    kind = serializers.ChoiceField(Line.Kind.choices)
    in_sight = serializers.BooleanField(allow_null=True, help_text="Whether the camera sees the mouth.")
    slot = serializers.ListField(child=serializers.FloatField(), allow_null=True, help_text="Seconds, in and out.")
    notes = serializers.CharField()
    words = serializers.CharField()
    revision = serializers.IntegerField()


class ScriptSerializer(serializers.Serializer[Data]):
    stamp = serializers.IntegerField(help_text="Ask with it, and only what came after is told.")
    whole = serializers.BooleanField(help_text="Whether these are all lines, not the changed ones alone.")
    lines = ScriptLineSerializer(many=True)
    removed = serializers.ListField(child=serializers.IntegerField())
    speakers = SpeakerSerializer(many=True, allow_null=True, help_text="null: as before.")
    parts = PartSerializer(many=True, allow_null=True)
    undo = serializers.CharField(allow_null=True)
    redo = serializers.CharField(allow_null=True)
    others = serializers.BooleanField(help_text="Whether other things than lines have changed.")
    done = serializers.JSONField(required=False, help_text="What this call made or changed.")
    recordings = serializers.IntegerField(required=False, help_text="Of a line that was cut: persons' recordings that "
                                          "say both halves, and are used no more.")


class NothingSerializer(serializers.Serializer[Data]):
    """Nothing is to be said."""


class UndoSerializer(serializers.Serializer[Data]):
    with_others = serializers.BooleanField(default=False, help_text="Take back, too, what others changed on top of it.")


class SplitSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(allow_blank=True, max_length=20_000, trim_whitespace=False)
    at = serializers.IntegerField(min_value=0)
    revision = serializers.IntegerField()


class LinesSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), max_length=20_000, allow_empty=False)


class MoveSerializer(LinesSerializer):
    behind = serializers.IntegerField(allow_null=True, help_text="The line to come after; null is the beginning.")


class GiveSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), max_length=20_000, required=False)
    all_of = serializers.IntegerField(required=False, help_text="A speaker, all of whose lines are given.")
    speaker = serializers.CharField(max_length=400, help_text="A name; added where it is new.")


class AddSerializer(serializers.Serializer[Data]):
    behind = serializers.IntegerField(allow_null=True)
    text = serializers.CharField(allow_blank=True, trim_whitespace=False, max_length=2_000_000,
                                 help_text="Lines as text or as rows of a table; empty adds one empty line.")


class MarkSerializer(LinesSerializer):
    kind = serializers.ChoiceField(Line.Kind.choices, required=False)
    in_sight = serializers.BooleanField(required=False, allow_null=True)


class BeginPartSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    name = serializers.CharField(max_length=400)


class PartChangeSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(max_length=400, required=False)
    start = FiniteField(required=False, allow_null=True, min_value=0, max_value=86400)
    end = FiniteField(required=False, allow_null=True, min_value=0, max_value=86400)
    may_grow = serializers.BooleanField(required=False, help_text="Hold its picture rather than hurry its speech.")


class FindingSerializer(serializers.Serializer[Data]):
    code = serializers.CharField()
    line = serializers.IntegerField()
    message = serializers.CharField()


class LabelGroupSerializer(serializers.Serializer[Data]):
    into = serializers.IntegerField()
    speakers = serializers.ListField(child=serializers.IntegerField(), help_text="The others.")


class MergeLabelsSerializer(serializers.Serializer[Data]):
    into = serializers.IntegerField()
    speakers = serializers.ListField(child=serializers.IntegerField(), allow_empty=False, max_length=300)


class BackSerializer(serializers.Serializer[Data]):
    record = serializers.IntegerField(help_text="Everything after it is undone; 0 undoes all there is.")


_AFTER = [
    OpenApiParameter("language", str, description="The edition whose words are shown; otherwise the source."),
    OpenApiParameter("after", int, description="A stamp: only what came after it is told."),
]


def _answer(request: Request, production: Production, done: Any = None) -> Response:
    language = str(request.query_params.get("language") or production.source_language)
    edition = Edition.objects.filter(production=production, language=language).first()
    if edition is None:
        raise Http404
    after = whole_number(str(request.query_params.get("after") or ""))
    found = (whole_script(production, edition, request.user) if after is None
             else script_since(production, edition, after, request.user))
    return Response({**found, **({} if done is None else {"done": done})})


class ScriptView(APIView):
    @extend_schema(parameters=_AFTER, responses=ScriptSerializer)
    def get(self, request: Request, production_id: int) -> Response:
        """The script, or what has changed in it after a stamp."""
        return _answer(request, production_for(request.user, production_id))


def _line(request: Request, line_id: int) -> Line:
    line = Line.objects.select_related("production").filter(
        production__in=visible_productions(request.user), pk=line_id).first()
    if line is None:
        raise Http404
    require_change(request.user, line.production)
    return line


class SplitView(APIView):
    @extend_schema(parameters=_AFTER, request=SplitSerializer, responses=ScriptSerializer)
    def post(self, request: Request, line_id: int) -> Response:
        """Cut a line at a place in its words."""
        line = _line(request, line_id)
        given = SplitSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        language = str(request.query_params.get("language") or line.production.source_language)
        edition = edition_for(request.user, line.production_id, language, change=True)
        recorded = LineRecording.objects.filter(line=line).count()
        new = split_line(request.user, line, edition, **given.validated_data)
        answer = _answer(request, line.production, new.pk)
        answer.data["recordings"] = recorded - LineRecording.objects.filter(line__in=[line, new]).count()
        return answer


class JoinView(APIView):
    @extend_schema(parameters=_AFTER, request=None, responses=ScriptSerializer)
    def post(self, request: Request, line_id: int) -> Response:
        """Join a line to the one before it."""
        line = _line(request, line_id)
        return _answer(request, line.production, join_lines(request.user, line).pk)


class _Editing(APIView):
    """An action on several lines of a production."""

    serializer: type[serializers.Serializer[Data]] = LinesSerializer

    def act(self, request: Request, production: Production, given: Data) -> Any:
        raise NotImplementedError

    def post(self, request: Request, production_id: int) -> Response:
        production = production_for(request.user, production_id, change=True)
        given = self.serializer(data=request.data)
        given.is_valid(raise_exception=True)
        return _answer(request, production, self.act(request, production, given.validated_data))


View = TypeVar("View", bound=type[_Editing])


def _edits(serializer: type[serializers.Serializer[Data]]) -> Callable[[View], View]:
    """What an action is given, told to the view and to the interface's document."""

    def told(view: View) -> View:
        view.serializer = serializer
        schema = extend_schema(parameters=_AFTER, request=serializer, responses=ScriptSerializer,
                               description=view.__doc__)
        return extend_schema_view(post=schema)(view)

    return told


@_edits(MoveSerializer)
class MoveView(_Editing):
    """Give lines another place."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        return [line.pk for line in move_lines(request.user, production, given["lines"], given["behind"])]


@_edits(GiveSerializer)
class GiveView(_Editing):
    """Give lines, or all lines of a speaker, to who is named."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        if "all_of" in given:
            speaker = Speaker.objects.filter(production=production, pk=given["all_of"]).first()
            if speaker is None:
                raise BadInput("This production has no such speaker.")
            return give_all_of(request.user, production, speaker, given["speaker"]).pk
        return give_lines(request.user, production, given.get("lines", []), given["speaker"]).pk


@_edits(AddSerializer)
class AddView(_Editing):
    """Put new lines into the script."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        text = given["text"]
        known = list(Speaker.objects.filter(production=production).values_list("name", flat=True))
        rows = pasted_lines(text, production.source_language, known) if text.strip() else [ScriptLine("", "")]
        return [line.pk for line in add_lines(request.user, production, rows, given["behind"])]


@_edits(LinesSerializer)
class RemoveView(_Editing):
    """Take lines out of the script."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        return remove_lines(request.user, production, given["lines"])


@_edits(MarkSerializer)
class MarkView(_Editing):
    """Mark lines as spoken or on screen, in or out of sight of the camera."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        marks: Data = {name: value for name, value in given.items() if name != "lines"}
        return [line.pk for line in mark_lines(request.user, production, given["lines"], marks)]


@_edits(BeginPartSerializer)
class BeginPartView(_Editing):
    """Begin a part at a line."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        line = Line.objects.filter(production=production, pk=given["line"]).select_related("production").first()
        if line is None:
            raise BadInput("The line that the part should begin at is not there any more.")
        return shape_parts.begin_part(request.user, line, given["name"]).pk


@_edits(MergeLabelsSerializer)
class MergeLabelsView(_Editing):
    """Make one speaker of several labels, asides kept as notes."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        speakers = {one.pk: one for one in Speaker.objects.filter(production=production).select_related("production")}
        into = speakers.get(given["into"])
        if into is None or not set(given["speakers"]) <= set(speakers):
            raise BadInput("This production has no such speaker.")
        for pk in given["speakers"]:
            merge_speakers(request.user, speakers[pk], into)
        return into.pk


@_edits(UndoSerializer)
class UndoView(_Editing):
    """Take your own last change back."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        record, *others = undo_last(request.user, production, given["with_others"])
        return {"name": record.name, "details": record.details, "others": len(others)}


@_edits(NothingSerializer)
class RedoView(_Editing):
    """Do again what you undid last."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        record = redo_next(request.user, production)
        return {"name": record.name, "details": record.details}


@_edits(BackSerializer)
class BackView(_Editing):
    """Go back to how the production was after a change."""

    def act(self, request: Request, production: Production, given: Data) -> Any:
        return go_back_to(request.user, production, given["record"])


def _part(request: Request, part_id: int) -> Part:
    part = Part.objects.select_related("production").filter(
        production__in=visible_productions(request.user), pk=part_id).first()
    if part is None:
        raise Http404
    require_change(request.user, part.production)
    return part


class PartView(APIView):
    @extend_schema(parameters=_AFTER, request=PartChangeSerializer, responses=ScriptSerializer)
    def patch(self, request: Request, part_id: int) -> Response:
        """Rename a part, or fix it in time."""
        part = _part(request, part_id)
        given = PartChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        shape_parts.change_part(request.user, part, given.validated_data)
        return _answer(request, part.production, part.pk)

    @extend_schema(parameters=_AFTER, responses={200: ScriptSerializer})
    def delete(self, request: Request, part_id: int) -> Response:
        """Make a part one with the part before; its lines stay."""
        part = _part(request, part_id)
        production = part.production
        shape_parts.end_part(request.user, part)
        return _answer(request, production)


class ChecksView(APIView):
    @extend_schema(responses=FindingSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """What is odd about the lines of an edition."""
        edition = edition_for(request.user, production_id, language)
        words = dict(edition.wordings.values_list("line_id", "text"))
        names = dict(Speaker.objects.filter(production_id=production_id).values_list("id", "name"))
        lines = [CheckedLine(line.pk, names[line.speaker_id], words.get(line.pk, ""), line.slot,
                             line.kind == Line.Kind.SPOKEN)
                 for line in Line.objects.filter(production_id=production_id)]
        others = [tag for tag in edition.production.editions.values_list("language", flat=True) if tag != language]
        return Response([
            {"code": f.code, "line": f.line, "message": translated(Problem(f.code, f.template, f.fields))}
            for f in check(lines, language, others)
        ])


class LabelsView(APIView):
    @extend_schema(responses=LabelGroupSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """Speakers whose labels are nearly the same, with the one to keep."""
        production = production_for(request.user, production_id)
        ids = dict(Speaker.objects.filter(production=production).values_list("name", "id"))
        return Response([{"into": ids[group[0]], "speakers": [ids[name] for name in group[1:]]}
                         for group in same_person(ids)])
