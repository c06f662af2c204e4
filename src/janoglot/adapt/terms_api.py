"""The termbase of a production in one language."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.adapt.actions.change_terms import add_terms, change_term, core_terms
from janoglot.adapt.api import BroughtSerializer, CountSerializer
from janoglot.adapt.models import Term
from janoglot.core.adapt.term_files import read_terms, write_csv, write_tbx
from janoglot.core.adapt.termbase import TermPair
from janoglot.core.errors import BadInput
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import content_disposition
from janoglot.server.uploads import uploaded

Data = dict[str, Any]


class TermSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField(read_only=True)
    original = serializers.CharField(max_length=200, allow_blank=True, default="")
    text = serializers.CharField(max_length=200)
    forbidden = serializers.BooleanField(default=False)
    note = serializers.CharField(max_length=400, allow_blank=True, default="")


_NAMES = ("original", "text", "forbidden", "note")


def term_data(term: Term) -> Data:
    return {"id": term.pk, "original": term.source, "text": term.text, "forbidden": term.forbidden, "note": term.note}


class TermsView(APIView):
    @extend_schema(responses=TermSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Every term in this language."""
        edition = edition_for(request.user, production_id, language)
        terms = Term.objects.filter(production=edition.production_id, language=language)
        return Response([term_data(term) for term in terms])

    @extend_schema(request=TermSerializer, responses={201: CountSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Add a term."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = TermSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        count = add_terms(request.user, edition, [TermPair(*(given.validated_data[name] for name in _NAMES))])
        return Response({"count": count}, status=status.HTTP_201_CREATED)


class TermView(APIView):
    @extend_schema(request=TermSerializer, responses=TermSerializer)
    def put(self, request: Request, production_id: int, language: str, term_id: int) -> Response:
        """Change a term."""
        edition = edition_for(request.user, production_id, language, change=True)
        term = _term(edition.production_id, language, term_id)
        given = TermSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        original, text, forbidden, note = (given.validated_data[name] for name in _NAMES)
        change_term(request.user, edition, term,
                    {"source": original, "text": text, "forbidden": forbidden, "note": note})
        return Response(term_data(term))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, language: str, term_id: int) -> Response:
        """Remove a term."""
        edition = edition_for(request.user, production_id, language, change=True)
        change_term(request.user, edition, _term(edition.production_id, language, term_id), None)
        return Response(status=status.HTTP_204_NO_CONTENT)


def _term(production_id: int, language: str, term_id: int) -> Term:
    term = Term.objects.filter(production=production_id, language=language, pk=term_id).first()
    if term is None:
        raise Http404
    return term


class TermsFileView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, layout: str) -> HttpResponse:
        """The termbase as TBX or CSV."""
        edition = edition_for(request.user, production_id, language)
        if layout not in ("tbx", "csv"):
            raise Http404
        terms = core_terms(edition)
        text = write_csv(terms) if layout == "csv" else write_tbx(terms, edition.production.source_language, language)
        kind = "text/csv" if layout == "csv" else "application/x-tbx+xml"
        answer = HttpResponse(text.encode("utf-8-sig" if layout == "csv" else "utf-8"),
                              content_type=f"{kind}; charset=utf-8")
        answer.headers["Content-Disposition"] = content_disposition(
            "attachment", f"{edition.production.name}_{language}_terms.{layout}")
        return answer


class TermsBroughtView(APIView):
    @extend_schema(request=BroughtSerializer, responses=CountSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Bring in a termbase, TBX or a table."""
        edition = edition_for(request.user, production_id, language, change=True)
        content, filename = uploaded(request)
        terms = read_terms(content, filename, edition.production.source_language, language)
        usable = [term for term in terms if term.text and (term.source or term.forbidden)]
        if not usable:
            raise BadInput("There are no terms of these two languages in this file.")
        return Response({"count": add_terms(request.user, edition, usable)})
