"""Finding words in an edition, and replacing them."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.adapt.actions.replace_words import replace_words
from janoglot.core.script.replacing import hits, pattern
from janoglot.productions.models import Wording
from janoglot.productions.permissions import edition_for, require_change

Data = dict[str, Any]
_MOST_HITS = 500


class ReplaceSerializer(serializers.Serializer[Data]):
    find = serializers.CharField(trim_whitespace=False, max_length=300)
    replacement = serializers.CharField(trim_whitespace=False, allow_blank=True, max_length=2000, default="")
    regular = serializers.BooleanField(default=False)
    exact_case = serializers.BooleanField(default=False)
    whole_words = serializers.BooleanField(default=False)
    lines = serializers.ListField(child=serializers.IntegerField(), required=False, max_length=20_000)
    apply = serializers.BooleanField(default=False)
    reopen = serializers.BooleanField(default=False, help_text="Replace in approved wordings too, which opens them.")


class HitSerializer(serializers.Serializer[Data]):
    line = serializers.IntegerField()
    text = serializers.CharField()
    spans = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    replaced = serializers.CharField()
    approved = serializers.BooleanField(help_text="A translation that is approved: left, but where it is to be opened.")


class HitsSerializer(serializers.Serializer[Data]):
    count = serializers.IntegerField(help_text="Places.")
    line_count = serializers.IntegerField()
    applied = serializers.IntegerField(help_text="Lines that were changed.")
    hits = HitSerializer(many=True)


class ReplaceView(APIView):
    @extend_schema(request=ReplaceSerializer, responses=HitsSerializer)
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Find words in an edition; with ``apply``, replace them in the lines named, or in all."""
        edition = edition_for(request.user, production_id, language)
        given = ReplaceSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        asked = given.validated_data
        if asked["apply"]:
            require_change(request.user, edition.production)
        search = pattern(asked["find"], asked["regular"], asked["exact_case"], asked["whole_words"])
        wordings = Wording.objects.filter(edition=edition).order_by("line__position")
        if "lines" in asked:
            wordings = wordings.filter(line_id__in=asked["lines"])
        found = list(hits(wordings.values_list("line_id", "text"), search, asked["replacement"], asked["regular"]))
        approved = set() if edition.is_source else set(
            wordings.filter(state=Wording.State.APPROVED).values_list("line_id", flat=True))
        applied = 0
        if asked["apply"]:
            applied = replace_words(request.user, edition, found, f"{asked['find'][:60]} → {asked['replacement'][:60]}",
                                    asked["reopen"])
        return Response({
            "count": sum(len(hit.spans) for hit in found), "line_count": len(found), "applied": applied,
            "hits": [{"line": hit.line, "text": hit.text, "spans": [list(span) for span in hit.spans],
                      "replaced": hit.replaced, "approved": hit.line in approved} for hit in found[:_MOST_HITS]],
        })
