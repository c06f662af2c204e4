"""Sessions, productions, editions and the record of changes."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.db.models import Count, Max, Q, QuerySet
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
from janoglot.core.speech.engines.rich import natives_missing, rich_missing
from janoglot.editions import serializers as s
from janoglot.editions.serializers import part_data
from janoglot.editions.state import EditionState
from janoglot.productions.actions.add_edition import add_edition
from janoglot.productions.actions.delete_production import bring_back, delete_production
from janoglot.productions.actions.duplicate import duplicate_edition, duplicate_production, remove_edition
from janoglot.productions.actions.set_production import set_production
from janoglot.productions.models import ActionRecord, Edition, Production, Wording
from janoglot.productions.permissions import (
    deleted_productions,
    edition_for,
    production_for,
    role_of,
    visible_productions,
)
from janoglot.productions.recorder import redoable, undoable


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
        editions.append(edition_data(edition, EditionState.of(edition, [])))
        editions[-1]["counts"]["lines"] = count
    said = dict(production.lines.order_by().values_list("speaker_id").annotate(Count("id")))
    return _with_editions(production, user, editions, said, brief=True)


def production_data(production: Production, user: Any) -> dict[str, Any]:
    editions = []
    for edition in production.editions.all():
        edition.production = production
        editions.append(edition_data(edition))
    said = dict(production.lines.order_by().values_list("speaker_id").annotate(Count("id")))
    return _with_editions(production, user, editions, said, brief=False)


def _with_editions(production: Production, user: Any, editions: list[dict[str, Any]], said: Mapping[int, int],
                   brief: bool) -> dict[str, Any]:
    newest = undoable(user, production).first()
    again = redoable(user, production).first()
    return {
        "id": production.pk, "name": production.name, "source_language": production.source_language,
        "target_lufs": production.target_lufs, "timed": production.lines.filter(start_ms__isnull=False).exists(),
        "brief": brief, "commercial": production.commercial,
        "archived": production.archived, "fps": production.fps,
        "role": role_of(user, production), "editions": editions,
        "speakers": [{"id": p.pk, "name": p.name, "position": p.position, "lines": said.get(p.pk, 0), "note": p.note}
                     for p in production.speakers.all()],
        "parts": [part_data(part) for part in production.parts.all()],
        "undo": newest.name if newest else None, "redo": again.name if again else None,
    }


def session_data(username: str | None) -> dict[str, Any]:
    return {"username": username, "demo": settings.DEMO, "rich_missing": rich_missing() or natives_missing()}


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
        user = User.objects.filter(username=settings.DEMO_USER).first() if settings.DEMO else None
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


_NOTHING = {"worded": 0, "approved": 0, "drafts": 0, "voiced": 0}


def _stands(productions: QuerySet[Production]) -> dict[int, dict[str, int]]:
    """By edition id how far it is, counted by the database alone: lines with words, approved ones, drafts that nobody
    has read, and lines that have been voiced."""
    rows = Wording.objects.filter(edition__production__in=productions).values("edition").annotate(
        worded=Count("id", filter=~Q(text="")), approved=Count("id", filter=Q(state="approved")),
        drafts=Count("id", filter=Q(state="draft")), voiced=Count("id", filter=~Q(text="") & ~Q(take_id="")))
    return {row["edition"]: {"worded": row["worded"], "approved": row["approved"], "drafts": row["drafts"],
                             "voiced": row["voiced"]} for row in rows}


class ProductionsView(APIView):
    @extend_schema(parameters=[OpenApiParameter("deleted", bool)],
                   responses=s.ProductionListedSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The productions that you are a member of, the newest first; or those that you deleted and may bring back."""
        found = visible_productions(request.user)
        if request.query_params.get("deleted") == "true":
            found = deleted_productions(request.user)
        found = found.annotate(
            line_count=Count("lines", distinct=True), speaker_count=Count("speakers", distinct=True)).select_related(
                "created_by").order_by("-id")
        stands = _stands(found)
        changed = dict(ActionRecord.objects.filter(production__in=found).values_list("production").annotate(Max("at")))
        return Response([
            {"id": p.pk, "name": p.name, "lines": p.line_count, "speakers": p.speaker_count, "created": p.created,
             "changed": changed.get(p.pk, p.created), "by": p.created_by.username if p.created_by else None,
             "archived": p.archived, "deleted": p.deleted, "role": role_of(request.user, p),
             "languages": [{**language_data(e.language), **stands.get(e.pk, _NOTHING)} for e in p.editions.all()]}
            for p in found.prefetch_related("editions")
        ])


class ProductionView(APIView):
    @extend_schema(parameters=[OpenApiParameter("brief", bool)], responses=s.ProductionSerializer)
    def get(self, request: Request, production_id: int) -> Response:
        """A production with its editions and how each stands; ``brief`` leaves the counts at nothing, at once."""
        data = brief_data if request.query_params.get("brief") == "true" else production_data
        return Response(data(production_for(request.user, production_id), request.user))

    @extend_schema(request=s.ProductionChangeSerializer, responses=s.ProductionSerializer)
    def patch(self, request: Request, production_id: int) -> Response:
        """Change the name, the programme loudness, the frame rate; put it among the archived ones, or back."""
        production = production_for(request.user, production_id, change=True)
        given = s.ProductionChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        set_production(request.user, production, given.validated_data)
        return Response(production_data(production, request.user))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int) -> Response:
        """Delete a production: it can be brought back for thirty days."""
        delete_production(request.user, production_for(request.user, production_id))
        return Response(status=status.HTTP_204_NO_CONTENT)


class BringBackView(APIView):
    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, production_id: int) -> Response:
        """Bring a deleted production back."""
        production = deleted_productions(request.user).filter(pk=production_id).first()
        if production is None:
            raise NotFound
        bring_back(request.user, production)
        return Response(status=status.HTTP_204_NO_CONTENT)


class DuplicateView(APIView):
    @extend_schema(request=s.DuplicateSerializer, responses={201: s.ProductionSerializer})
    def post(self, request: Request, production_id: int) -> Response:
        """Copy a production, with its takes or without."""
        given = s.DuplicateSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        made = duplicate_production(request.user, production_for(request.user, production_id),
                                    given.validated_data["name"], given.validated_data["with_takes"])
        return Response(brief_data(made, request.user), status=status.HTTP_201_CREATED)


class EditionRemovalView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, language: str) -> Response:
        """Take an edition out; undoing brings it back."""
        remove_edition(request.user, edition_for(request.user, production_id, language, change=True))
        return Response(status=status.HTTP_204_NO_CONTENT)


class EditionsView(APIView):
    @extend_schema(request=s.EditionCreateSerializer, responses={201: s.EditionSerializer})
    def post(self, request: Request, production_id: int) -> Response:
        """Add an edition, empty or as a copy of another one."""
        production = production_for(request.user, production_id, change=True)
        given = s.EditionCreateSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        like = given.validated_data.get("like")
        if like:
            edition = duplicate_edition(request.user, edition_for(request.user, production_id, like, change=True),
                                        given.validated_data["language"])
        else:
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
