"""Wordings: their words and states, what is to doubt about them, how long they will be, and translated captions."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.adapt.actions.set_brief import set_brief
from janoglot.adapt.actions.set_state import set_state
from janoglot.adapt.actions.set_wording import set_wording
from janoglot.adapt.actions.write_wordings import write_wordings
from janoglot.adapt.doubts import Ground, doubts, wording_data
from janoglot.core.adapt.aligning import DOUBTFUL, Aligned, Clock, TimedText, align
from janoglot.core.errors import BadInput, Counted, Problem
from janoglot.core.script.formats import read_script
from janoglot.core.script.model import Script
from janoglot.editions.gauging import gauge_for
from janoglot.editions.keeping import SeenMark, current
from janoglot.editions.line_api import AFTER, asked_after
from janoglot.productions.models import ADDRESSES, ORIGINS, Line, Wording
from janoglot.productions.permissions import edition_for, require_change
from janoglot.productions.writing import NewWords, source_words
from janoglot.server.fields import FiniteField
from janoglot.server.uploads import ProblemSerializer, problem_data, uploaded

Data = dict[str, Any]
STATES = Wording.State.choices
SETTABLE = [("draft", "draft"), ("edited", "edited"), ("approved", "approved")]


class WordingChangeSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(allow_blank=True, max_length=20_000)
    revision = serializers.IntegerField(help_text="Of the words that were typed over; 0 where there were none.")
    reopen = serializers.BooleanField(default=False, help_text="Change the words though they are approved.")


class WordingSerializer(serializers.Serializer[Data]):
    text = serializers.CharField()
    revision = serializers.IntegerField()
    state = serializers.ChoiceField(STATES)


class StateChangeSerializer(serializers.Serializer[Data]):
    lines = serializers.ListField(child=serializers.IntegerField(), max_length=20_000)
    state = serializers.ChoiceField(SETTABLE)


class BroughtSerializer(serializers.Serializer[Data]):
    file = serializers.FileField()


class CountSerializer(serializers.Serializer[Data]):
    count = serializers.IntegerField()


class WordingStandingSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    state = serializers.ChoiceField(STATES)
    origin = serializers.ChoiceField(ORIGINS)
    by = serializers.CharField(allow_null=True)
    at = serializers.DateTimeField(allow_null=True)
    score = serializers.FloatField(allow_null=True, help_text="Of the memory's match that a draft is.")
    drafted_by = serializers.ListField(child=serializers.CharField(),
                                       help_text="What drafted it, step by step; empty where that is not known.")
    alignment = serializers.FloatField(allow_null=True, help_text="How unsure it is that this caption is this line's.")
    memory_difference = serializers.ListField(child=serializers.ListField(child=serializers.CharField()),
                                              help_text="What the memory's source had otherwise: same, gone, new.")
    source_difference = serializers.ListField(child=serializers.ListField(child=serializers.CharField()),
                                              help_text="What the source says otherwise since.")


class TermUseSerializer(serializers.Serializer[Data]):
    at = serializers.IntegerField()
    length = serializers.IntegerField()
    original = serializers.CharField(help_text="As the source has it.")
    text = serializers.CharField()
    kept = serializers.BooleanField()
    forbidden = serializers.BooleanField()
    note = serializers.CharField()


class WordingFindingSerializer(serializers.Serializer[Data]):
    code = serializers.CharField()
    message = serializers.CharField()


class WordingStandingsSerializer(serializers.Serializer[Data]):
    mark = serializers.CharField(help_text="Ask with it, and only wordings that are otherwise since are told.")
    whole = serializers.BooleanField()
    wordings = WordingStandingSerializer(many=True)


class MisheardSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(help_text="What the recogniser heard of the finished sound.")
    error = serializers.FloatField(help_text="The share of its sounds that were heard otherwise.")
    otherwise = serializers.ListField(child=serializers.ListField(), help_text="Words that were heard otherwise: "
                                      "place, length, what was heard there. Of no length: what was heard beside them.")


class DoubtSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    unknown = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()),
                                    help_text="Words that the drafting engine did not know: place and length.")
    misspelt = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    rude = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    terms = TermUseSerializer(many=True)
    findings = WordingFindingSerializer(many=True)
    heard = MisheardSerializer(allow_null=True, help_text="Of a finished sound that was not heard right.")


class GaugeAskSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(allow_blank=True, max_length=4000)


class GaugeSerializer(serializers.Serializer[Data]):
    """Seconds. ``room``: the slot and the silence that may be used after it."""

    natural = serializers.FloatField()
    slot = serializers.FloatField(allow_null=True)
    room = serializers.FloatField(allow_null=True)
    rate = serializers.FloatField(help_text="At which it fits its room, 1 or faster.")
    over = serializers.FloatField(help_text="Too long at the fastest rate allowed; below nothing: to spare.")
    standing = serializers.ChoiceField(["spare", "fits", "fast", "over"])
    syllables = serializers.IntegerField()
    trim = serializers.IntegerField(help_text="About how many syllables less would be said in comfort.")


class CaptionsSerializer(serializers.Serializer[Data]):
    file = serializers.FileField(required=False)
    text = serializers.CharField(required=False, trim_whitespace=False)
    offset = FiniteField(required=False, min_value=-86_400, max_value=86_400)
    drift = FiniteField(required=False, min_value=0.5, max_value=2)
    apply = serializers.BooleanField(default=False)
    overwrite = serializers.BooleanField(default=True, help_text="Lines that have words already, too.")


class CaptionMatchSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    number = serializers.IntegerField()
    speaker = serializers.CharField()
    original = serializers.CharField(help_text="The source's words.")
    text = serializers.CharField()
    now = serializers.CharField(help_text="What the wording is now.")
    doubt = serializers.FloatField(help_text="0 is sure; from 0.5 on it deserves a look.")


class CaptionsMatchedSerializer(serializers.Serializer[Data]):
    applied = serializers.BooleanField()
    matched = serializers.IntegerField()
    doubtful = serializers.IntegerField()
    offset = serializers.FloatField(help_text="Source time = drift × caption time + offset, seconds.")
    drift = serializers.FloatField()
    agreeing = serializers.FloatField(help_text="The share of the captions' edges that meet a line's by that clock.")
    lines = CaptionMatchSerializer(many=True)
    left = serializers.ListField(child=serializers.CharField(), help_text="Captions that belong to no line.")
    problems = ProblemSerializer(many=True)


class BriefSerializer(serializers.Serializer[Data]):
    address = serializers.ChoiceField(ADDRESSES, required=False)
    brief = serializers.CharField(required=False, allow_blank=True, max_length=2000)


class BriefedSerializer(serializers.Serializer[Data]):
    address = serializers.ChoiceField(ADDRESSES)
    brief = serializers.CharField()


def line_of(production_id: int, line_id: int) -> Line:
    return get_object_or_404(Line.objects.select_related("part"), production_id=production_id, pk=line_id)


class WordingView(APIView):
    @extend_schema(request=WordingChangeSerializer, responses=WordingSerializer)
    def put(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Write a line's words. 409 with what stands there now where somebody else was first, or where the words are
        approved and ``reopen`` is not said."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = WordingChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wording = set_wording(request.user, line_of(production_id, line_id), edition, given.validated_data["text"],
                              given.validated_data["revision"], given.validated_data["reopen"])
        return Response({"text": wording.text, "revision": wording.revision, "state": wording.state})


class WordingsView(APIView):
    @extend_schema(parameters=[AFTER], responses=WordingStandingsSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """How every wording came to be as it is; or those that are otherwise since."""
        edition = edition_for(request.user, production_id, language)
        found = current(edition, asked_after(request))
        sources = source_words(edition.production, found.since)
        rows = Wording.objects.filter(edition=edition).select_related("changed_by")
        if found.since is not None:
            rows = rows.filter(line_id__in=found.since)
        return Response({"mark": str(found.mark), "whole": found.since is None, "wordings": [
            wording_data(row, sources.get(row.line_id, "")) for row in rows]})

    @extend_schema(request=StateChangeSerializer, responses=CountSerializer)
    def patch(self, request: Request, production_id: int, language: str) -> Response:
        """Approve wordings, or take that back."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = StateChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        count = set_state(request.user, edition, given.validated_data["lines"], given.validated_data["state"])
        return Response({"count": count})


class DoubtsSerializer(serializers.Serializer[Data]):
    mark = serializers.CharField(help_text="Ask with it, and only lines that are otherwise since are told.")
    whole = serializers.BooleanField()
    lines = serializers.ListField(child=serializers.IntegerField(), help_text="That were looked at; empty: all.")
    doubts = DoubtSerializer(many=True, help_text="Of lines that have any.")


class DoubtsView(APIView):
    @extend_schema(parameters=[AFTER],
                   responses=DoubtsSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Everything about the wordings that deserves a look; or of those that are otherwise since."""
        edition = edition_for(request.user, production_id, language)
        asked, _, terms = str(request.query_params.get("after") or "").partition("/")
        ground = Ground.of(edition)
        # With other terms or names every line is to be looked at again.
        found = current(edition, SeenMark.read(asked) if terms == ground.mark else None)
        mark = f"{found.mark}/{ground.mark}"
        return Response({"mark": mark, "whole": found.since is None, "lines": sorted(found.since or ()),
                         "doubts": doubts(found.state, ground, found.since)})


class GaugeView(APIView):
    @extend_schema(request=GaugeAskSerializer, responses=GaugeSerializer)
    def post(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """How long a line would be with these words, said by its own voice with its own settings."""
        edition = edition_for(request.user, production_id, language)
        given = GaugeAskSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(gauge_for(edition, line_id, given.validated_data["text"]))


class BriefView(APIView):
    @extend_schema(responses=BriefedSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """What whoever adapts this edition should know."""
        edition = edition_for(request.user, production_id, language)
        return Response({"address": edition.address, "brief": edition.brief})

    @extend_schema(request=BriefSerializer, responses=BriefedSerializer)
    def patch(self, request: Request, production_id: int, language: str) -> Response:
        """Say how people are addressed, and what else matters."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = BriefSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        set_brief(request.user, edition, given.validated_data)
        return Response({"address": edition.address, "brief": edition.brief})


class CaptionsView(APIView):
    @extend_schema(request=CaptionsSerializer, responses=CaptionsMatchedSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Align translated captions with the lines, however they were cut and whatever their clock: shown first,
        written with ``apply``. What is doubtful is kept as a draft."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = CaptionsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        asked = given.validated_data
        if edition.is_source:
            raise BadInput("These are captions in the source language. Choose the edition that they translate into.")
        content, filename = uploaded(request)
        script = read_script(content, filename)
        lines = list(Line.objects.filter(production_id=production_id).select_related("speaker"))
        sources = source_words(edition.production)
        clock = Clock(asked.get("offset", 0.0), asked.get("drift", 1.0)) if {"offset", "drift"} & set(asked) else None
        aligned = _aligned(lines, sources, script, clock)
        now = dict(edition.wordings.values_list("line_id", "text"))
        if asked["apply"]:
            require_change(request.user, edition.production)
            write_wordings(request.user, edition, [
                NewWords(line.pk, text, Wording.State.DRAFT if doubt >= DOUBTFUL else Wording.State.EDITED, "captions",
                         {"alignment": round(doubt, 3)} if doubt >= DOUBTFUL else {})
                for line, text, doubt in zip(lines, aligned.texts, aligned.doubts, strict=True)
                if text and (asked["overwrite"] or not now.get(line.pk))], "add_captions")
        return Response({
            "applied": asked["apply"], "matched": sum(map(bool, aligned.texts)),
            "doubtful": sum(doubt >= DOUBTFUL for doubt in aligned.doubts),
            "offset": round(aligned.clock.offset, 3), "drift": aligned.clock.drift, "agreeing": aligned.clock.share,
            "lines": [{"line": line.pk, "number": number, "speaker": line.speaker.name,
                       "original": sources.get(line.pk, ""), "text": text, "now": now.get(line.pk, ""),
                       "doubt": round(doubt, 3)}
                      for number, (line, text, doubt) in enumerate(
                          zip(lines, aligned.texts, aligned.doubts, strict=True), 1)],
            "left": [script.lines[k].words for k in aligned.left],
            "problems": [problem_data(p) for p in (*(p for p in script.problems if p.code != "no_speakers"),
                                                   *_problems(aligned, lines))],
        })


def _aligned(lines: list[Line], sources: dict[int, str], script: Script, clock: Clock | None) -> Aligned:
    """Raises BadInput where nothing belongs together."""
    cues = [TimedText(line.start, line.end, line.words) for line in script.lines]
    found = align([line.slot for line in lines], [sources.get(line.pk, "") for line in lines], cues, clock)
    timed = any(line.slot for line in lines) and all(cue.start is not None for cue in cues)
    if not any(found.texts) or (timed and clock is None and found.clock.share < 0.1 and len(cues) > 3):
        raise BadInput("None of the captions falls where a line is spoken. Is it the right file?")
    return found


def _problems(aligned: Aligned, lines: list[Line]) -> list[Problem]:
    missing = sum(1 for line, text in zip(lines, aligned.texts, strict=True) if not text)
    if not missing:
        return []
    return [Problem("lines_without_caption", Counted("{count} line has no caption: it stays without words.",
                                                     "{count} lines have no caption: they stay without words."),
                    {"count": missing}, severity="note")]
