"""Sessions, productions, editions and the record of changes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.db.models import Count
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import status
from rest_framework.exceptions import NotFound
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import ScopedRateThrottle
from rest_framework.views import APIView

from janoglot.core import languages
from janoglot.core.errors import BadInput
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.engines.rich import rich_missing
from janoglot.direct.state import EditionState
from janoglot.productions import serializers as s
from janoglot.productions.actions.add_edition import add_edition
from janoglot.productions.actions.set_production import set_production
from janoglot.productions.demo import DEMO_USER
from janoglot.productions.models import ActionRecord, Edition, Production
from janoglot.productions.permissions import production_for, role_of, signed_in, visible_productions
from janoglot.productions.recorder import redoable, undoable
from janoglot.script.importing import create_production, read_draft, source_language_of
from janoglot.script.models import ImportDraft, Line
from janoglot.script.reading import part_data


@lru_cache(maxsize=1024)
def language_data(tag: str) -> dict[str, Any]:
    count = sum(voice.speaks(tag) for voice in catalogue().values())
    return {"tag": tag, "name": languages.english_name(tag), "own_name": languages.own_name(tag),
            "direction": languages.direction(tag), "voices": count}


def edition_data(edition: Edition, state: EditionState | None = None) -> dict[str, Any]:
    state = state or EditionState.load(edition)
    tag = edition.language
    return {"language": tag, "name": languages.english_name(tag), "own_name": languages.own_name(tag),
            "direction": languages.direction(tag), "is_source": edition.is_source, "counts": state.counts()}


def brief_data(production: Production, user: Any) -> dict[str, Any]:
    """As :func:`production_data`, without looking at a single line: how the editions stand is left at nothing."""
    count = production.lines.count()
    editions = []
    for edition in production.editions.all():
        edition.production = production
        editions.append(edition_data(edition, EditionState(edition, [], [], [])))
        editions[-1]["counts"]["lines"] = count
    said = dict(production.lines.order_by().values_list("speaker_id").annotate(Count("id")))
    return _around(production, user, editions, said, production.lines.filter(start_ms__isnull=False).exists(), True)


def production_data(production: Production, user: Any) -> dict[str, Any]:
    lines = list(Line.objects.filter(production=production).prefetch_related("speaker", "part"))
    editions = []
    for edition in production.editions.all():
        edition.production = production
        state = EditionState(edition, lines, edition.wordings.all(), edition.castings.all(),
                             edition.line_castings.all(), edition.line_timings.all())
        editions.append(edition_data(edition, state))
    said = Counter(line.speaker_id for line in lines)
    return _around(production, user, editions, said, any(line.slot for line in lines), False)


def _around(production: Production, user: Any, editions: list[dict[str, Any]], said: Mapping[int, int], timed: bool,
            brief: bool) -> dict[str, Any]:
    newest = undoable(user, production).first()
    again = redoable(user, production).first()
    return {
        "id": production.pk, "name": production.name, "source_language": production.source_language,
        "target_lufs": production.target_lufs, "timed": timed, "brief": brief, "commercial": production.commercial,
        "role": role_of(user, production), "editions": editions,
        "speakers": [{"id": p.pk, "name": p.name, "position": p.position, "lines": said.get(p.pk, 0)}
                     for p in production.speakers.all()],
        "parts": [part_data(part) for part in production.parts.all()],
        "undo": newest.name if newest else None, "redo": again.name if again else None,
    }


def session_data(username: str | None) -> dict[str, Any]:
    return {"username": username, "demo": settings.DEMO, "rich_missing": rich_missing()}


class SessionView(APIView):
    permission_classes = [AllowAny]
    throttle_scope = "sign-in"

    def get_throttles(self) -> list[Any]:
        return [ScopedRateThrottle()] if self.request.method == "POST" else []

    @extend_schema(responses=s.SessionSerializer)
    def get(self, request: Request) -> Response:
        """Who is signed in."""
        user = request.user
        return Response(session_data(user.username if user.is_authenticated else None))

    @extend_schema(request=s.SignInSerializer, responses=s.SessionSerializer)
    def post(self, request: Request) -> Response:
        """Sign in."""
        given = s.SignInSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        user = authenticate(request, **given.validated_data)
        if user is None:
            raise BadInput("This name and this password do not belong together.")
        login(request, user)
        return Response(session_data(user.get_username()))

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """Sign out."""
        logout(request)
        return Response(status=status.HTTP_204_NO_CONTENT)


class DemoSessionView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(request=None, responses=s.SessionSerializer)
    def post(self, request: Request) -> Response:
        """Sign the demo user in."""
        user = User.objects.filter(username=DEMO_USER).first() if settings.DEMO else None
        if user is None:
            raise NotFound
        login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        return Response(session_data(user.username))


class LanguagesView(APIView):
    @extend_schema(responses=s.LanguageSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Languages that can be chosen for an edition: every locale of the catalogue and common others."""
        tags = dict.fromkeys([*_COMMON, *(v.locale for v in catalogue().values() if "-x-" not in v.locale)])
        return Response(sorted(map(language_data, tags), key=lambda data: str(data["name"])))


_COMMON = ("en-GB", "en-US", "en-AU", "en-CA", "en-IE", "en-IN", "es-ES", "es-MX", "es-AR", "es-CO", "es-US", "fr-FR",
           "fr-CA", "fr-BE", "fr-CH", "pt-PT", "pt-BR", "de-DE", "de-AT", "de-CH", "it-IT", "nl-NL", "nl-BE", "zh-CN",
           "zh-TW", "hi-IN", "ar-EG", "ar-SA", "ja-JP", "ko-KR", "ru-RU", "uk-UA", "pl-PL", "tr-TR", "el-GR", "sv-SE",
           "da-DK", "nb-NO", "fi-FI", "cs-CZ", "hu-HU", "ro-RO", "id-ID", "vi-VN")


class ProductionsView(APIView):
    @extend_schema(responses=s.ProductionListedSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The productions that you are a member of, the newest first."""
        found = visible_productions(request.user).annotate(
            line_count=Count("lines", distinct=True), speaker_count=Count("speakers", distinct=True)).order_by("-id")
        return Response([
            {"id": p.pk, "name": p.name, "lines": p.line_count, "speakers": p.speaker_count, "created": p.created,
             "languages": [language_data(e.language) for e in p.editions.all()]}
            for p in found.prefetch_related("editions")
        ])

    @extend_schema(request=s.ProductionCreateSerializer, responses={201: s.ProductionSerializer})
    def post(self, request: Request) -> Response:
        """Make a production from a draft that was brought in."""
        given = s.ProductionCreateSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        draft = ImportDraft.objects.filter(user=signed_in(request.user), pk=given.validated_data["draft"]).first()
        if draft is None:
            raise NotFound
        script = read_draft(draft)
        production = create_production(signed_in(request.user), given.validated_data["name"], script,
                                       source_language_of(draft, script))
        draft.delete()
        return Response(brief_data(production, request.user), status=status.HTTP_201_CREATED)


class ProductionView(APIView):
    @extend_schema(parameters=[OpenApiParameter("brief", bool)], responses=s.ProductionSerializer)
    def get(self, request: Request, production_id: int) -> Response:
        """A production with its editions and how each stands; ``brief`` leaves the counts at nothing, at once."""
        data = brief_data if request.query_params.get("brief") == "true" else production_data
        return Response(data(production_for(request.user, production_id), request.user))

    @extend_schema(request=s.ProductionChangeSerializer, responses=s.ProductionSerializer)
    def patch(self, request: Request, production_id: int) -> Response:
        """Change the name or the programme loudness."""
        production = production_for(request.user, production_id, change=True)
        given = s.ProductionChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        set_production(request.user, production, given.validated_data)
        return Response(production_data(production, request.user))


class EditionsView(APIView):
    @extend_schema(request=s.EditionCreateSerializer, responses={201: s.EditionSerializer})
    def post(self, request: Request, production_id: int) -> Response:
        """Add an edition."""
        production = production_for(request.user, production_id, change=True)
        given = s.EditionCreateSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        edition = add_edition(request.user, production, given.validated_data["language"])
        return Response(edition_data(edition), status=status.HTTP_201_CREATED)


class HistoryView(APIView):
    @extend_schema(responses=s.RecordSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """The last 300 changes, the newest first."""
        records = ActionRecord.objects.filter(production=production_for(request.user, production_id))
        return Response([
            {"id": r.pk, "name": r.name, "summary": r.summary, "details": r.details,
             "user": r.user.username if r.user else None, "at": r.at, "undone": r.undone}
            for r in records.select_related("user").defer("changes")[:300]
        ])
