"""Wordings out to translators, and back."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.adapt.actions.write_wordings import write_wordings
from janoglot.adapt.api import STATES
from janoglot.core.adapt.bilingual import read_docx, read_xlsx, write_docx, write_xlsx
from janoglot.core.adapt.outgoing import Here, Outgoing, OutgoingLine, Report, Returned, compare
from janoglot.core.adapt.xliff import read_xliff, write_xliff
from janoglot.core.errors import BadInput
from janoglot.core.guarded import whole_number
from janoglot.core.languages import english_name, primary
from janoglot.core.script.formats.packages import holds
from janoglot.productions.models import Edition, Line, Wording, line_numbers
from janoglot.productions.permissions import edition_for
from janoglot.productions.writing import NewWords, source_words
from janoglot.server.storage import content_disposition
from janoglot.server.uploads import uploaded

Data = dict[str, Any]
WHAT = ["new", "changed", "same", "emptied", "source_changed", "changed_here", "approved_here", "unknown"]
_LETTERS_A_SECOND = 15.0
_SIGNS_A_SECOND = 5.0
_ON_SCREEN_A_SECOND = 17.0


class ReturnSerializer(serializers.Serializer[Data]):
    file = serializers.FileField()
    apply = serializers.BooleanField(default=False)
    choices = serializers.JSONField(
        required=False, default=None, help_text="By line id what is to be written and what it was seen to replace: "
        "{“12”: {“text”: …, “over”: …}}. Without it, everything that is new or was changed there alone.")


class ReturnedSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField(allow_null=True)
    number = serializers.IntegerField(allow_null=True)
    what = serializers.ChoiceField(WHAT)
    needs_asking = serializers.BooleanField()
    original = serializers.CharField(help_text="The source, as the translator saw it.")
    original_now = serializers.CharField()
    text = serializers.CharField()
    now = serializers.CharField()
    state = serializers.ChoiceField(STATES)


class ReturnReportSerializer(serializers.Serializer[Data]):
    written = serializers.IntegerField()
    moved = serializers.ListField(child=serializers.IntegerField(), help_text="Lines that were changed here while the "
                                  "report was looked at: left as they are.")
    lines = ReturnedSerializer(many=True)
    missing = serializers.ListField(child=serializers.IntegerField(), help_text="Lines that the file leaves out.")


def longest_for(line: Line, language: str) -> int | None:
    """About how many characters can be said, or read, in the line's slot."""
    if line.slot is None:
        return None
    seconds = line.slot[1] - line.slot[0]
    signs = primary(language) in ("ja", "zh", "ko", "yue")
    letters = _ON_SCREEN_A_SECOND if line.kind == Line.Kind.ON_SCREEN else _LETTERS_A_SECOND
    a_second = _SIGNS_A_SECOND if signs else letters
    return max(1, int(seconds * a_second))


def outgoing_of(edition: Edition) -> Outgoing:
    """The edition as it goes out: ids are the lines' own, which stay wherever lines move."""
    production = edition.production
    sources = source_words(production)
    wordings = {w.line_id: w for w in edition.wordings.all()}
    found = Outgoing(production.name, production.source_language, edition.language, [], edition.address, edition.brief)
    rows = Line.objects.filter(production=production).select_related("speaker", "part")
    for number, line in enumerate(rows, 1):
        source = sources.get(line.pk, "")
        if not source.strip():
            continue
        wording = wordings.get(line.pk)
        state: Any = wording.state if wording else "empty"
        found.lines.append(OutgoingLine(
            str(line.pk), source, wording.text if wording else "", state, number, line.speaker.name,
            line.part.name if line.part else "", line.slot, longest_for(line, edition.language),
            line.kind == Line.Kind.ON_SCREEN, line.notes, state == Wording.State.APPROVED))
    return found


_KINDS = {"xlf": "application/xliff+xml", "1.2.xlf": "application/xliff+xml",
          "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
          "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}


class OutgoingView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, layout: str) -> HttpResponse:
        """The wordings beside their source: as XLIFF 2.0 or 1.2, DOCX or XLSX."""
        edition = edition_for(request.user, production_id, language)
        if layout not in _KINDS:
            raise Http404
        if edition.is_source:
            raise BadInput("Choose the edition that is to be translated; this is the source.")
        outgoing = outgoing_of(edition)
        content = {
            "xlf": lambda: write_xliff(outgoing).encode(), "1.2.xlf": lambda: write_xliff(outgoing, "1.2").encode(),
            "docx": lambda: write_docx(outgoing), "xlsx": lambda: write_xlsx(outgoing)}[layout]()
        answer = HttpResponse(content, content_type=_KINDS[layout])
        answer.headers["Content-Disposition"] = content_disposition(
            "attachment", f"{edition.production.name}_{language}.{layout}")
        return answer


class ReturnedView(APIView):
    @extend_schema(request=ReturnSerializer, responses=ReturnReportSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Bring wordings back: a report first; with ``apply`` what was chosen of it is written."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = ReturnSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        content, filename = uploaded(request)
        coming = _read(content, filename)
        if coming.language and primary(coming.language) != primary(language):
            raise BadInput("This file is {there}; this edition is {here}.", there=english_name(coming.language),
                           here=english_name(language))
        sources = source_words(edition.production)
        here = {str(pk): Here(source, "", "empty") for pk, source in sources.items() if source.strip()}
        for wording in edition.wordings.all():
            if str(wording.line_id) in here:
                state: Any = wording.state
                here[str(wording.line_id)] = Here(sources[wording.line_id], wording.text, state)
        report = compare(coming, here)
        written = 0
        moved: list[int] = []
        if given.validated_data["apply"]:
            words, moved = _chosen(given.validated_data["choices"], report, here)
            written = write_wordings(request.user, edition, words, "bring_wordings")
        numbers = line_numbers(production_id)
        return Response({
            "written": written, "moved": moved, "missing": [int(one) for one in report.missing],
            "lines": [_returned_data(one, numbers, sources) for one in report.returned if one.what != "same"],
        })


def _chosen(choices: Any, report: Report, here: dict[str, Here]) -> tuple[list[NewWords], list[int]]:
    """What is to be written, and the lines that have moved on since they were looked at. Raises BadInput."""
    came = {one.id: one for one in report.returned if one.id in here}

    def new(line: str, text: str) -> NewWords:
        one = came.get(line)
        taken = one is not None and one.text == text
        state = one.state if one and taken and one.state != "empty" else Wording.State.EDITED
        return NewWords(int(line), text, state, "file" if taken else "")

    if choices is None:
        return [new(one.id, one.text) for one in came.values() if one.what in ("new", "changed")], []
    if not isinstance(choices, dict) or not all(
            isinstance(one, dict) and isinstance(one.get("text"), str) and isinstance(one.get("over"), str)
            for one in choices.values()):
        raise BadInput("Say by line what is to be written, and over which words.")
    words, moved = [], []
    for line, one in choices.items():
        if line not in here:
            continue
        if one["over"].split() != here[line].text.split():
            moved.append(int(line))
        else:
            words.append(new(line, one["text"]))
    return words, moved


def _returned_data(one: Returned, numbers: dict[int, int], sources: dict[int, str]) -> Data:
    pk = whole_number(one.id)
    pk = pk if pk in numbers else None
    return {"line": pk, "number": numbers.get(pk) if pk else None, "what": one.what, "needs_asking": one.needs_asking,
            "original": one.source, "original_now": sources.get(pk, "") if pk else "", "text": one.text, "now": one.now,
            "state": one.state}


def _read(content: bytes, filename: str) -> Outgoing:
    if holds(content, "word/document.xml"):
        return read_docx(content)
    if content.startswith(b"PK"):
        return read_xlsx(content)
    if not filename.lower().endswith((".xlf", ".xliff", ".xml")) and b"<xliff" not in content[:4000]:
        raise BadInput("Wordings come back as XLIFF, DOCX or XLSX; “{name}” is none of them.", name=filename[:80])
    return read_xliff(content)
