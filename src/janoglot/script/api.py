"""Bringing scripts in; lines and speakers."""

from __future__ import annotations

import itertools
from typing import Any

from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.script.decoding import ENCODINGS
from janoglot.core.script.formats import FORMATS
from janoglot.core.script.model import Script
from janoglot.core.script.prose import WAYS
from janoglot.editions.productions_api import brief_data
from janoglot.editions.serializers import ProductionSerializer
from janoglot.productions.actions.create_production import create_production
from janoglot.productions.models import Line, Speaker
from janoglot.productions.permissions import require_change, signed_in, visible_productions
from janoglot.script.actions.edit_line import edit_line
from janoglot.script.actions.merge_speakers import merge_speakers
from janoglot.script.actions.note_speaker import note_speaker
from janoglot.script.actions.remove_speaker import remove_speaker
from janoglot.script.actions.rename_speaker import rename_speaker
from janoglot.script.importing import hints_from, kept_hints, read_draft, source_language_of
from janoglot.script.models import ImportDraft
from janoglot.server.fields import FiniteField
from janoglot.server.uploads import ProblemSerializer, problem_data, uploaded

Data = dict[str, Any]
_SHOWN = 400
"""Lines of a preview that are sent; the counts are of all."""


class CorrectionSerializer(serializers.Serializer[Data]):
    speaker = serializers.CharField(required=False, max_length=400)
    words = serializers.CharField(required=False, allow_blank=True, max_length=20_000)
    drop = serializers.BooleanField(required=False)
    split = serializers.IntegerField(required=False, min_value=1, help_text="The character at which it becomes two.")


class HintsSerializer(serializers.Serializer[Data]):
    format = serializers.ChoiceField(["", *FORMATS], required=False)
    encoding = serializers.ChoiceField(["", *ENCODINGS], required=False)
    source_language = serializers.CharField(required=False, allow_blank=True, max_length=60)
    columns = serializers.DictField(child=serializers.CharField(allow_blank=True, max_length=60), required=False)
    prose = serializers.BooleanField(required=False, help_text="A book's text, which one voice reads.")
    parts_by = serializers.ChoiceField(WAYS, required=False)
    most_characters = serializers.IntegerField(required=False, min_value=200, max_value=1_000_000)
    fps = FiniteField(required=False, min_value=1, max_value=240, help_text="For times that count frames.")
    from_start = serializers.BooleanField(required=False, help_text="Whether times inside others are counted from the "
                                          "document's beginning.")
    brackets = serializers.BooleanField(required=False, help_text="Whether directions in brackets are taken out of the "
                                        "words of a table. Otherwise they are.")
    directing = serializers.BooleanField(required=False, help_text="Whether lines are directed by what was understood "
                                         "of their directions. Otherwise they are.")
    labels = serializers.DictField(child=serializers.BooleanField(), required=False,
                                   help_text="Whether what stands before a colon is a name; each time all of it.")
    rows = serializers.DictField(child=CorrectionSerializer(), required=False,
                                 help_text="What is corrected of lines, by their keys; each time all of it.")
    pattern = serializers.CharField(required=False, allow_blank=True, max_length=300)
    narrator = serializers.CharField(required=False, allow_blank=True, max_length=120)


class ImportSerializer(HintsSerializer):
    text = serializers.CharField(required=False, allow_blank=True, trim_whitespace=False)
    file = serializers.FileField(required=False, allow_empty_file=True)


class ImportLineSerializer(serializers.Serializer[Data]):
    key = serializers.CharField(help_text="By which it is corrected.")
    row = serializers.IntegerField(allow_null=True)
    part = serializers.CharField()
    speaker = serializers.CharField()
    words = serializers.CharField()
    notes = serializers.CharField()
    start = serializers.FloatField(allow_null=True)
    end = serializers.FloatField(allow_null=True)
    wordings = serializers.DictField(child=serializers.CharField())


class PreviewPartSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    lines = serializers.IntegerField()
    characters = serializers.IntegerField()


class ColumnSerializer(serializers.Serializer[Data]):
    header = serializers.CharField()
    meaning = serializers.CharField(help_text="A role, a BCP 47 tag, or empty: passed over.")


class ImportedSpeakerSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    lines = serializers.IntegerField()


class LabelSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    taken = serializers.BooleanField(help_text="For a speaker's name.")
    turned = serializers.BooleanField(help_text="By a person.")
    count = serializers.IntegerField()


class EncodingSerializer(serializers.Serializer[Data]):
    id = serializers.CharField()
    name = serializers.CharField()


class DirectedSoSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField([(kind, kind) for kind in ("mood", "dial", "room", "pause")])
    what = serializers.CharField(help_text="A mood, the kind of a mark, or a room.")
    lines = serializers.IntegerField()


class PreviewSerializer(serializers.Serializer[Data]):
    draft = serializers.IntegerField()
    filename = serializers.CharField()
    format = serializers.CharField()
    encoding = serializers.CharField()
    encodings = EncodingSerializer(many=True, help_text="Where the encoding is a guess: what else may be chosen.")
    source_language = serializers.CharField()
    languages = serializers.ListField(child=serializers.CharField())
    columns = ColumnSerializer(many=True)
    speakers = ImportedSpeakerSerializer(many=True)
    parts = PreviewPartSerializer(many=True)
    labels = LabelSerializer(many=True, help_text="What stands before colons, and what it was taken for.")
    from_start = serializers.BooleanField(allow_null=True, help_text="Where times inside others may be counted in two "
                                          "ways: whether from the document's beginning.")
    brackets = serializers.BooleanField(allow_null=True, help_text="Where directions stand in brackets among words: "
                                        "whether they were taken out.")
    directing = serializers.BooleanField(allow_null=True, help_text="Where something was understood of directions: "
                                         "whether lines are directed by it.")
    directed = DirectedSoSerializer(many=True, help_text="What was understood of directions.")
    frames = serializers.BooleanField(help_text="Whether times count frames, so that the rate matters.")
    fps = serializers.FloatField(allow_null=True)
    rows = serializers.DictField(child=CorrectionSerializer(), help_text="What was corrected.")
    prose = serializers.BooleanField()
    could_be_prose = serializers.BooleanField(help_text="Plain text: whether it is a book's is asked.")
    timed = serializers.IntegerField(help_text="Lines with a slot.")
    line_count = serializers.IntegerField()
    lines = ImportLineSerializer(many=True)
    problems = ProblemSerializer(many=True)


class LineChangeSerializer(serializers.Serializer[Data]):
    speaker = serializers.IntegerField(required=False)
    start = FiniteField(required=False, allow_null=True, min_value=0, max_value=86400)
    end = FiniteField(required=False, allow_null=True, min_value=0, max_value=86400)
    notes = serializers.CharField(required=False, allow_blank=True, max_length=2000)


class SpeakerChangeSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(max_length=400, required=False)
    note = serializers.CharField(max_length=500, required=False, allow_blank=True, help_text="Who they are.")


class MergeSerializer(serializers.Serializer[Data]):
    into = serializers.IntegerField()


def _parts(script: Script) -> list[Data]:
    found = []
    for name, lines in itertools.groupby(script.lines, key=lambda line: line.part):
        some = list(lines)
        found.append({"name": name, "lines": len(some), "characters": sum(len(line.words) for line in some)})
    return found


def preview_data(draft: ImportDraft, script: Script, keys: list[str]) -> Data:
    return {
        "draft": draft.pk, "filename": draft.filename, "format": script.format, "encoding": script.encoding,
        "encodings": [{"id": name, "name": ENCODINGS[name]} for name in script.encodings],
        "source_language": source_language_of(draft, script), "languages": script.languages,
        "columns": [{"header": header, "meaning": meaning} for header, meaning in script.columns],
        "speakers": [{"name": name, "lines": sum(line.speaker == name for line in script.lines)}
                     for name in script.speakers],
        "parts": _parts(script), "prose": script.prose,
        "labels": [{"name": name, "taken": taken, "count": count, "turned": name in (draft.hints.get("labels") or {})}
                   for name, (taken, count) in itertools.islice(script.labels.items(), _SHOWN)],
        "from_start": script.from_start, "brackets": script.brackets,
        "directing": script.directing,
        "directed": [{"kind": one.kind, "what": one.what, "lines": one.lines} for one in script.directed],
        "frames": script.frames, "fps": script.fps, "rows": draft.hints.get("rows") or {},
        "could_be_prose": script.format == "text",
        "timed": sum(1 for line in script.lines if line.slot), "line_count": len(script.lines),
        "lines": [
            {"key": key, "row": line.row, "part": line.part, "speaker": line.speaker, "words": line.words,
             "notes": line.notes, "start": line.start, "end": line.end, "wordings": line.wordings}
            for key, line in zip(keys[:_SHOWN], script.lines[:_SHOWN], strict=True)
        ],
        "problems": [problem_data(problem) for problem in script.problems[:_SHOWN]],
    }


class ImportsView(APIView):
    @extend_schema(request=ImportSerializer, responses={201: PreviewSerializer})
    def post(self, request: Request) -> Response:
        """Show what a script is understood to hold. Nothing is created but a draft of your own."""
        content, filename = uploaded(request)
        sent = request.data if isinstance(request.data, dict) else {}
        hints = {name: str(sent[name]) for name in ("format", "source_language") if sent.get(name)}
        draft = ImportDraft(user=signed_in(request.user), filename=filename, content=content, hints=hints)
        script, keys = read_draft(draft)
        old = ImportDraft.objects.filter(user=signed_in(request.user)).first()
        known = kept_hints(old, draft)
        if known:
            draft.hints = {**known, **draft.hints}
            script, keys = read_draft(draft)
        # One draft each: the last one is what the person is looking at.
        ImportDraft.objects.filter(user=signed_in(request.user)).delete()
        draft.save()
        return Response(preview_data(draft, script, keys), status=status.HTTP_201_CREATED)


class ImportView(APIView):
    @extend_schema(request=HintsSerializer, responses=PreviewSerializer)
    def patch(self, request: Request, draft_id: int) -> Response:
        """Say what the columns mean, or which language the source is in, and see it again."""
        draft = ImportDraft.objects.filter(user=signed_in(request.user), pk=draft_id).first()
        if draft is None:
            raise Http404
        given = HintsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        said = dict(given.validated_data)
        if set(said) & {"format", "columns", "labels", "prose", "parts_by", "most_characters", "pattern"}:
            # The rows are others now: what was corrected of them means nothing any more.
            said.setdefault("rows", {})
        draft.hints = {**draft.hints, **said}
        hints_from(draft.hints)
        script, keys = read_draft(draft)
        draft.save(update_fields=["hints"])
        return Response(preview_data(draft, script, keys))


class NewProductionSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(max_length=200)


class NewProductionView(APIView):
    @extend_schema(request=NewProductionSerializer, responses={201: ProductionSerializer})
    def post(self, request: Request, draft_id: int) -> Response:
        """Make a production from a draft that was brought in."""
        given = NewProductionSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        draft = ImportDraft.objects.filter(user=signed_in(request.user), pk=draft_id).first()
        if draft is None:
            raise Http404
        script, _ = read_draft(draft)
        production = create_production(signed_in(request.user), given.validated_data["name"], script,
                                       source_language_of(draft, script))
        draft.delete()
        return Response(brief_data(production, request.user), status=status.HTTP_201_CREATED)


class LineView(APIView):
    @extend_schema(request=LineChangeSerializer, responses={204: None})
    def patch(self, request: Request, line_id: int) -> Response:
        """Change who speaks a line, its slot or its notes."""
        line = Line.objects.select_related("production").filter(
            production__in=visible_productions(request.user), pk=line_id).first()
        if line is None:
            raise Http404
        given = LineChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        edit_line(request.user, line, given.validated_data)
        return Response(status=status.HTTP_204_NO_CONTENT)


def _speaker(request: Request, speaker_id: int) -> Speaker:
    speaker = Speaker.objects.select_related("production").filter(
        production__in=visible_productions(request.user), pk=speaker_id).first()
    if speaker is None:
        raise Http404
    require_change(request.user, speaker.production)
    return speaker


class SpeakerView(APIView):
    @extend_schema(request=SpeakerChangeSerializer, responses={204: None})
    def patch(self, request: Request, speaker_id: int) -> Response:
        """Rename a speaker, or say who they are."""
        speaker = _speaker(request, speaker_id)
        given = SpeakerChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        if "name" in given.validated_data:
            rename_speaker(request.user, speaker, given.validated_data["name"])
        if "note" in given.validated_data:
            note_speaker(request.user, speaker, given.validated_data["note"])
        return Response(status=status.HTTP_204_NO_CONTENT)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, speaker_id: int) -> Response:
        """Take a speaker out who has no lines."""
        remove_speaker(request.user, _speaker(request, speaker_id))
        return Response(status=status.HTTP_204_NO_CONTENT)


class MergeView(APIView):
    @extend_schema(request=MergeSerializer, responses={204: None})
    def post(self, request: Request, speaker_id: int) -> Response:
        """Give all lines of a speaker to another one of the same production."""
        speaker = _speaker(request, speaker_id)
        given = MergeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        merge_speakers(request.user, speaker, _speaker(request, given.validated_data["into"]))
        return Response(status=status.HTTP_204_NO_CONTENT)

