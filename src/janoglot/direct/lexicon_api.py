"""The lexicon: entries, where they are used, what is worth one; in and out as PLS and CSV."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import EngineError
from janoglot.core.speech.engines import formant_engine
from janoglot.core.speech.lexicon import (
    LexiconEntry as CoreEntry,
)
from janoglot.core.speech.lexicon import (
    checked_entry,
    conflicts,
    lexicon_readings,
    proposed,
    read_lexicon,
    spelled_out,
    write_csv,
    write_pls,
)
from janoglot.core.speech.readings import READING_KINDS
from janoglot.core.speech.sounds_of import sounds_of
from janoglot.direct.actions.change_lexicon import add_entries, change_entry, remove_entry
from janoglot.editions.state import EditionState
from janoglot.productions.models import Edition, LexiconEntry, Wording, lexicon_for
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import content_disposition
from janoglot.server.uploads import uploaded

Data = dict[str, Any]
READING_CHOICES = [(kind, kind) for kind in READING_KINDS]


class LexiconEntrySerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField(read_only=True)
    phrase = serializers.CharField(max_length=100)
    kind = serializers.ChoiceField(READING_CHOICES)
    said = serializers.CharField(max_length=200, allow_blank=True, default="")
    language = serializers.CharField(max_length=35, allow_blank=True, required=False,
                                     help_text="Without one, the edition's own; empty: every language.")
    case_matters = serializers.BooleanField(default=False)
    exact = serializers.BooleanField(default=False, help_text="Not with an ending of its language.")
    note = serializers.CharField(max_length=300, allow_blank=True, default="")
    shared = serializers.BooleanField(default=False, help_text="Of all productions of who made this one.")
    lines = serializers.ListField(child=serializers.IntegerField(), read_only=True, help_text="Where it is used.")
    against = serializers.CharField(read_only=True, help_text="What another entry says of the same phrase.")


class ProposedEntrySerializer(serializers.Serializer[Data]):
    phrase = serializers.CharField()
    count = serializers.IntegerField()
    kind = serializers.ChoiceField(READING_CHOICES)


class LexiconSerializer(serializers.Serializer[Data]):
    entries = LexiconEntrySerializer(many=True)
    proposed = ProposedEntrySerializer(many=True)


class SoundSerializer(serializers.Serializer[Data]):
    ipa = serializers.CharField()
    word = serializers.CharField(help_text="A word of this edition that has it.")
    vowel = serializers.BooleanField()


def _entry(edition: Edition, told: Data) -> CoreEntry:
    return checked_entry(told["phrase"], told["kind"], told["said"], told.get("language", edition.language),
                         told["case_matters"], told["exact"], told["note"])


def _shown(user: Any, edition: Edition) -> list[LexiconEntry]:
    """The entries that somebody sees in an edition. What its maker has everywhere is the maker's own: others see what
    of it is read here."""
    rows = lexicon_for(edition)
    if user.pk == edition.production.created_by_id:
        return rows
    said = " ".join(" ".join(words.split()) for words in Wording.objects.filter(
        edition__production=edition.production_id).values_list("text", flat=True)).casefold()
    return [row for row in rows if row.production_id is not None or row.phrase.casefold() in said]


def lexicon_data(user: Any, edition: Edition) -> Data:
    rows = _shown(user, edition)
    lines = EditionState.load(edition).lines
    used: dict[int, list[int]] = {row.pk: [] for row in rows}
    entries = [row.core for row in rows]
    for line in lines:
        words = " ".join(line.words.split())
        for row in rows:
            if lexicon_readings([row.core], words, edition.language):
                used[row.pk].append(line.id)
    texts = [line.words for line in lines]
    often = proposed(texts, entries)
    try:
        spelled = [(word, count) for word, count in spelled_out(texts, edition.language, formant_engine(), entries)
                   if word not in {phrase for phrase, _, _ in often}]
    except EngineError:
        spelled = []
    against = {second: first for first, second in conflicts(entries)}
    return {
        "entries": [{"id": row.pk, **_told(row), "lines": used[row.pk],
                     "against": other.said or other.kind if (other := against.get(row.core)) else ""} for row in rows],
        "proposed": [{"phrase": phrase, "count": count, "kind": kind}
                     for phrase, count, kind in [*often, *((word, count, "alias") for word, count in spelled)]]}


def _told(row: LexiconEntry) -> Data:
    return {"phrase": row.phrase, "kind": row.kind, "said": row.said, "language": row.language,
            "case_matters": row.case_matters, "exact": row.exact, "note": row.note,
            "shared": row.production_id is None}


class LexiconView(APIView):
    @extend_schema(responses=LexiconSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """The entries that hold in an edition, where each is used, and names that stand often and have none."""
        return Response(lexicon_data(request.user, edition_for(request.user, production_id, language)))

    @extend_schema(request=LexiconEntrySerializer, responses={201: LexiconSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Add an entry; one of the same phrase gives way to it."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = LexiconEntrySerializer(data=request.data)
        given.is_valid(raise_exception=True)
        told = given.validated_data
        add_entries(request.user, edition.production, [_entry(edition, told)], told["shared"])
        return Response(lexicon_data(request.user, edition), status=status.HTTP_201_CREATED)


class LexiconEntryView(APIView):
    def _row(self, user: Any, edition: Edition, entry_id: int) -> LexiconEntry:
        row = next((row for row in _shown(user, edition) if row.pk == entry_id), None)
        if row is None:
            raise Http404
        return row

    @extend_schema(request=LexiconEntrySerializer, responses=LexiconSerializer)
    def put(self, request: Request, production_id: int, language: str, entry_id: int) -> Response:
        """Change an entry."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = LexiconEntrySerializer(data=request.data)
        given.is_valid(raise_exception=True)
        change_entry(request.user, edition.production, self._row(request.user, edition, entry_id), _entry(
            edition, given.validated_data))
        return Response(lexicon_data(request.user, edition))

    @extend_schema(responses=LexiconSerializer)
    def delete(self, request: Request, production_id: int, language: str, entry_id: int) -> Response:
        """Take an entry out."""
        edition = edition_for(request.user, production_id, language, change=True)
        remove_entry(request.user, edition.production, self._row(request.user, edition, entry_id))
        return Response(lexicon_data(request.user, edition))


class LexiconFileView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, layout: str) -> HttpResponse:
        """The lexicon as PLS 1.0 or CSV."""
        edition = edition_for(request.user, production_id, language)
        entries = [row.core for row in _shown(request.user, edition)]
        if layout not in ("pls", "csv"):
            raise Http404
        text = write_csv(entries) if layout == "csv" else write_pls(entries, language)
        kind = "text/csv" if layout == "csv" else "application/pls+xml"
        name = f"{edition.production.name}_{language}_lexicon.{layout}"
        return HttpResponse(text.encode("utf-8-sig" if layout == "csv" else "utf-8"),
                            content_type=f"{kind}; charset=utf-8",
                            headers={"Content-Disposition": content_disposition("attachment", name)})


class LexiconFileSerializer(serializers.Serializer[Data]):
    file = serializers.FileField()


class BroughtLexiconSerializer(serializers.Serializer[Data]):
    count = serializers.IntegerField(help_text="Entries that are new, or other than before.")
    left = serializers.ListField(child=serializers.CharField(), help_text="What could not be taken, and why.")


class LexiconBroughtView(APIView):
    @extend_schema(request=LexiconFileSerializer, responses=BroughtLexiconSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Bring in a lexicon, PLS 1.0 or a table."""
        edition = edition_for(request.user, production_id, language, change=True)
        content, filename = uploaded(request)
        entries, left = read_lexicon(content, filename, language)
        return Response({"count": add_entries(request.user, edition.production, entries), "left": left})


class SoundsView(APIView):
    @extend_schema(responses=SoundSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """The sounds of this language in IPA, each with a word that has it."""
        edition = edition_for(request.user, production_id, language)
        words = [line.words for line in EditionState.load(edition).lines]
        return Response([{"ipa": one.ipa, "word": one.word, "vowel": one.vowel}
                         for one in sounds_of(language, words, formant_engine())])
