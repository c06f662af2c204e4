"""Drafts, the translation memory, and what words mean back in the source language."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.adapt.actions.bring_memory import bring_memory
from janoglot.adapt.api import BroughtSerializer, CountSerializer, line_of
from janoglot.adapt.remembering import memory_for, units_for
from janoglot.adapt.tasks import CHUNK
from janoglot.core.adapt.drafting import drafting_engine
from janoglot.core.adapt.rude_words import has_list, rude_words
from janoglot.core.adapt.spelling import speller
from janoglot.core.adapt.tmx import read_tmx, write_tmx
from janoglot.core.errors import BadInput, EngineError, Problem
from janoglot.core.guarded import whole_number
from janoglot.core.languages import english_name
from janoglot.editions.jobs_api import JobSerializer, job_data
from janoglot.productions.jobs import start
from janoglot.productions.models import Edition, Job, Line, Wording
from janoglot.productions.permissions import edition_for, signed_in
from janoglot.productions.writing import source_words
from janoglot.server.faults import translated
from janoglot.server.storage import content_disposition
from janoglot.server.uploads import uploaded
from janoglot.server.work import BULK

Data = dict[str, Any]


class DraftAskSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), required=False, max_length=20_000)
    again = serializers.BooleanField(default=False, help_text="Lines that are a machine's drafts already, too.")


class EngineSerializer(serializers.Serializer[Data]):
    route = serializers.ListField(child=serializers.CharField(), help_text="Languages on the way; empty without one.")
    names = serializers.ListField(child=serializers.CharField())
    by = serializers.ListField(child=serializers.CharField(), help_text="What drafts, step by step.")
    units = serializers.IntegerField(help_text="In the translation memory of this language pair.")
    speller = serializers.BooleanField()
    rude_list = serializers.BooleanField()


class MemoryMatchSerializer(serializers.Serializer[Data]):
    original = serializers.CharField()
    text = serializers.CharField()
    origin = serializers.CharField()
    score = serializers.FloatField()
    difference = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))


class MeaningAskSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    text = serializers.CharField(max_length=4000, help_text="The line's words as they stand in the field.")
    at = serializers.IntegerField(min_value=0)
    length = serializers.IntegerField(min_value=0, help_text="0: the line as a whole.")


class MemoryUseSerializer(serializers.Serializer[Data]):
    original = serializers.CharField()
    text = serializers.CharField()


class MeaningSerializer(serializers.Serializer[Data]):
    phrase = serializers.CharField()
    back = serializers.CharField(help_text="What it means back in the source language; empty where nobody can say.")
    line_back = serializers.CharField()
    why_not = serializers.CharField()
    unknown = serializers.ListField(child=serializers.CharField(), help_text="Words that could not be read back.")
    misspelt = serializers.BooleanField()
    suggestions = serializers.ListField(child=serializers.CharField())
    rude = serializers.BooleanField()
    redraft = serializers.CharField(help_text="Another wording of the whole line, by the engine; may be empty.")
    uses = MemoryUseSerializer(many=True)


def start_drafting(request: Request, edition: Edition, line_ids: list[int] | None, again: bool) -> Job:
    """Raises BadInput where nothing is to be drafted."""
    if edition.is_source:
        raise BadInput("The source is not drafted. Choose an edition in another language.")
    lines = Line.objects.filter(production_id=edition.production_id)
    ids = list((lines if line_ids is None else lines.filter(pk__in=line_ids)).values_list("id", flat=True))
    leave = [Wording.State.EDITED, Wording.State.APPROVED, *([] if again else [Wording.State.DRAFT])]
    done = set(Wording.objects.filter(edition=edition, state__in=leave).values_list("line_id", flat=True))
    wanted = [pk for pk in ids if pk not in done]
    if not wanted:
        raise BadInput("None of these lines is empty: there is nothing to draft.")
    return start("draft", BULK, wanted, edition=edition, user=signed_in(request.user), piece_size=CHUNK)


class DraftsView(APIView):
    @extend_schema(request=DraftAskSerializer, responses={202: JobSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Draft the empty lines named, or all: from the memory first, then by the engine."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = DraftAskSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        job = start_drafting(request, edition, given.validated_data.get("lines"), given.validated_data["again"])
        return Response(job_data(job), status=status.HTTP_202_ACCEPTED)

    @extend_schema(responses=EngineSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """What there is to draft and to check with, in this language."""
        edition = edition_for(request.user, production_id, language)
        source = edition.production.source_language
        steps = drafting_engine().steps(source, language)
        route = [source, *(step.target for step in steps)] if steps else []
        return Response({"route": route, "names": [english_name(tag) for tag in route],
                         "by": [step.drafter.name for step in steps],
                         "units": len(memory_for(request.user, edition)), "speller": speller(language) is not None,
                         "rude_list": has_list(language)})


class MemoryView(APIView):
    @extend_schema(parameters=[OpenApiParameter("line", int, required=True)],
                   responses=MemoryMatchSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """The nearest texts in the memory for a line of the source."""
        edition = edition_for(request.user, production_id, language)
        asked = request.query_params.get("line", "")
        line = line_of(production_id, whole_number(asked) or 0)
        source = source_words(edition.production, [line.pk]).get(line.pk, "")
        return Response([
            {"original": match.unit.source, "text": match.unit.text, "origin": match.unit.origin, "score": match.score,
             "difference": [list(part) for part in match.difference]}
            for match in memory_for(request.user, edition).find(source)])

    @extend_schema(request=BroughtSerializer, responses=CountSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Bring in a TMX."""
        edition = edition_for(request.user, production_id, language, change=True)
        content, _ = uploaded(request)
        units = read_tmx(content, edition.production.source_language, language)
        if not units:
            raise BadInput("This memory has no pair of {source} and {target}.",
                           source=english_name(edition.production.source_language), target=english_name(language))
        return Response({"count": bring_memory(request.user, edition, units)})


class MemoryFileView(APIView):
    @extend_schema(responses={(200, "application/x-tmx+xml"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str) -> HttpResponse:
        """What this production remembers in this language, as TMX."""
        edition = edition_for(request.user, production_id, language)
        text = write_tmx(units_for(request.user, edition, only_here=True), edition.production.source_language, language)
        answer = HttpResponse(text.encode(), content_type="application/x-tmx+xml; charset=utf-8")
        answer.headers["Content-Disposition"] = content_disposition(
            "attachment", f"{edition.production.name}_{language}.tmx")
        return answer


class MeaningView(APIView):
    @extend_schema(request=MeaningAskSerializer, responses=MeaningSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """What a word or phrase of a wording means back in the source language, and what else is known of it."""
        edition = edition_for(request.user, production_id, language)
        given = MeaningAskSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        asked = given.validated_data
        line = line_of(production_id, asked["line"])
        text, source_language = asked["text"], edition.production.source_language
        phrase = text[asked["at"]: asked["at"] + asked["length"]].strip() or text
        engine = drafting_engine()
        back = line_back = redraft = why_not = ""
        unknown: tuple[str, ...] = ()
        if engine.route(language, source_language):
            try:
                one, whole = engine.draft([phrase, text], language, source_language)
                back, line_back, unknown = one.text, whole.text, one.unknown
            except EngineError as error:
                why_not = str(error)
        else:
            why_not = translated(Problem("no_way_back", "Nothing here reads {language} back into {source}.", {
                "language": english_name(language), "source": english_name(source_language)}))
        if engine.route(source_language, language):
            try:
                redraft = engine.draft([source_words(edition.production, [line.pk]).get(line.pk, "")], source_language,
                                       language)[0].text
            except EngineError:
                redraft = ""
        found = speller(language)
        alone = len(phrase.split()) == 1
        misspelt = bool(alone and found and not found.knows(phrase.strip(".,;:!?¿¡…\"“”»«")))
        return Response({
            "phrase": phrase, "back": back, "line_back": line_back, "why_not": why_not, "unknown": list(unknown),
            "misspelt": misspelt, "suggestions": found.suggestions(phrase) if misspelt and found else [],
            "rude": bool(rude_words(phrase, language)), "redraft": "" if redraft == text else redraft,
            "uses": [{"original": unit.source, "text": unit.text}
                     for unit in memory_for(request.user, edition).holding(phrase, in_text=True)],
        })

