"""The library of sounds: looked through, added to, named and tagged."""

from __future__ import annotations

import hashlib
import shutil
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from django.db import transaction
from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import BadInput
from janoglot.core.guarded import check_value
from janoglot.core.media.source import look_at
from janoglot.core.mix.synthesis.shipped import LICENCE, shipped_sounds
from janoglot.direct.sent_recordings import sent_key
from janoglot.mix.sound_reading import begin_reading_sound, coming_in
from janoglot.productions.keeping import require_room_of
from janoglot.productions.models import FavouriteSound, LibrarySound, Membership, SoundWorld
from janoglot.productions.permissions import signed_in
from janoglot.productions.sounds_in_plans import kept_in, known_sounds
from janoglot.server.storage import media
from janoglot.server.work import require_queue

Data = dict[str, Any]
SOUND_ORIGINS = [("shipped", "shipped"), ("brought in", "brought in")]
SOUND_USES = [("music", "music"), ("effects", "effects"), ("ambience", "ambience")]
LARGEST = 300 * 1024**2
LONGEST = 30 * 60.0
_MOST_TAGS = 20


class LibrarySoundSerializer(serializers.Serializer[Data]):
    name_id = serializers.CharField(help_text="What it goes by: “shipped/…” or “kept/…”.")
    origin = serializers.ChoiceField(SOUND_ORIGINS)
    name = serializers.CharField()
    kind = serializers.ChoiceField(SOUND_USES)
    tags = serializers.ListField(child=serializers.CharField())
    licence = serializers.CharField(allow_blank=True)
    seconds = serializers.FloatField(allow_null=True, help_text="None of what goes on as long as it is wanted.")
    lufs = serializers.FloatField(allow_null=True)
    true_peak_db = serializers.FloatField(allow_null=True)
    state = serializers.ChoiceField(LibrarySound.State.choices, help_text="It can be heard and used where it is ready.")
    fault = serializers.CharField(allow_blank=True)
    favourite = serializers.BooleanField()
    mine = serializers.BooleanField(help_text="Whether it can be changed.")
    sound = serializers.DictField(help_text="As a cue names it.")
    used_in = serializers.ListField(child=serializers.CharField(), help_text="Names of productions.")


class NewLibrarySoundSerializer(serializers.Serializer[Data]):
    file = serializers.FileField()
    kind = serializers.ChoiceField(SOUND_USES, required=False)
    tags = serializers.CharField(required=False, help_text="Parted by commas.")
    licence = serializers.CharField(required=False, max_length=300)


class LibrarySoundChangeSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(required=False, max_length=200)
    kind = serializers.ChoiceField(SOUND_USES, required=False)
    tags = serializers.ListField(child=serializers.CharField(max_length=40), required=False)
    licence = serializers.CharField(required=False, allow_blank=True, max_length=300)


class FavouriteSoundSerializer(serializers.Serializer[Data]):
    name_id = serializers.CharField(max_length=80)
    favourite = serializers.BooleanField()


def _row(row: LibrarySound, user: Any, favourites: set[str], used: dict[str, list[str]]) -> Data:
    name = f"kept/{row.pk}"
    return {
        "name_id": name,
        "origin": "brought in",
        "name": row.name,
        "kind": row.kind,
        "tags": row.tags,
        "licence": row.licence,
        "seconds": row.seconds,
        "lufs": row.lufs,
        "true_peak_db": row.true_peak_db,
        "state": row.state,
        "fault": row.fault,
        "favourite": name in favourites,
        "mine": row.owner_id == user.pk,
        "sound": {"kept": row.pk},
        "used_in": used.get(name, []),
    }


def _used(user: Any) -> dict[str, list[str]]:
    """By what a sound goes by, the names of the productions of a user that it lies in."""
    shipped = {repr(sorted(one.sound.items(), key=str)): f"shipped/{one.id}" for one in shipped_sounds()}
    found: dict[str, list[str]] = {}
    mine = Membership.objects.filter(user=user, production__deleted=None).values("production")
    for world in SoundWorld.objects.filter(production__in=mine).select_related("production"):
        names = {f"kept/{number}" for number in kept_in(world.plan)}
        names |= {shipped.get(repr(sorted(cue.get("sound", {}).items(), key=str)), "")
                  for cue in world.plan.get("cues", [])}
        for name in names - {""}:
            found.setdefault(name, [])
            if world.production.name not in found[name]:
                found[name].append(world.production.name)
    return found


def _matching(rows: Iterable[Data], text: str, kind: str, favourites: bool) -> list[Data]:
    words = text.casefold().split()
    return [
        row
        for row in rows
        if (not kind or row["kind"] == kind)
        and (not favourites or row["favourite"])
        and all(any(word in told.casefold() for told in (row["name"], *row["tags"])) for word in words)
    ]


class LibraryView(APIView):
    @extend_schema(
        parameters=[
            OpenApiParameter("text", str, description="Words of its name or tags."),
            OpenApiParameter("kind", str),
            OpenApiParameter("favourites", bool),
        ],
        responses=LibrarySoundSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        """Every sound that comes with the program, and those that were brought in; favourites first."""
        user = signed_in(request.user)
        favourites = set(FavouriteSound.objects.filter(user=user).values_list("name", flat=True))
        used = _used(user)
        rows: list[Data] = [_row(row, user, favourites, used) for row in known_sounds(user)]
        for one in shipped_sounds():
            name = f"shipped/{one.id}"
            composed = one.sound.get("composed")
            rows.append(
                {
                    "name_id": name,
                    "origin": "shipped",
                    "name": one.name,
                    "kind": one.kind,
                    "tags": list(one.tags),
                    "licence": LICENCE,
                    "seconds": composed["seconds"] if composed else None,
                    "lufs": None,
                    "true_peak_db": None,
                    "state": "ready",
                    "fault": "",
                    "favourite": name in favourites,
                    "mine": False,
                    "sound": dict(one.sound),
                    "used_in": used.get(name, []),
                }
            )
        asked = request.query_params
        rows = _matching(
            rows, str(asked.get("text") or "")[:100], str(asked.get("kind") or ""), asked.get("favourites") == "true"
        )
        return Response(sorted(rows, key=lambda row: (not row["favourite"], row["origin"] == "shipped", row["name"])))

    @extend_schema(request=NewLibrarySoundSerializer, responses={202: LibrarySoundSerializer})
    def post(self, request: Request) -> Response:
        """Bring in a sound: any kind that ffprobe knows, up to 300 MB and half an hour; it is kept as FLAC, once it was
        read."""
        user = signed_in(request.user)
        file = request.FILES.get("file")
        if file is None:
            raise BadInput("Choose a sound.")
        if file.size and file.size > LARGEST:
            raise BadInput(
                "The sound has {size:.0f} MB; at most {most} MB can be brought in.",
                size=file.size / 1024**2,
                most=LARGEST // 1024**2,
            )
        told = request.data if isinstance(request.data, dict) else {}
        kind = str(told.get("kind") or "effects")
        if kind not in dict(SOUND_USES):
            raise BadInput("A sound is music, effects or ambience.")
        require_queue()
        require_room_of(user, file.size or 0)
        digest = hashlib.sha256()
        with tempfile.NamedTemporaryFile(dir=coming_in()) as half:
            for chunk in file.chunks():
                digest.update(chunk)
                half.write(chunk)
            half.flush()
            facts = look_at(Path(half.name))
            if not facts.has_sound:
                raise BadInput("There is no sound in {name}.", name=str(file.name)[:80])
            if facts.seconds > LONGEST:
                raise BadInput(
                    "The sound lasts {minutes:.0f} minutes; at most {most:.0f} can be brought in.",
                    minutes=facts.seconds / 60,
                    most=LONGEST / 60,
                )
            key = f"{digest.hexdigest()[:40]}.flac"
            if not media().has(key):
                media().write(sent_key(key), lambda place: _copied(half.name, place))
        tags = _tags(str(told.get("tags") or "").split(","))
        with transaction.atomic():
            row = LibrarySound.objects.create(
                owner=user,
                name=Path(str(file.name or "sound")).stem[:200] or "sound",
                kind=kind,
                tags=tags,
                licence=str(told.get("licence") or "")[:300],
                key=key,
                seconds=round(facts.seconds, 3),
                size=file.size or 0,
                state=LibrarySound.State.READING,
            )
            begin_reading_sound(row, user)
        row.refresh_from_db()
        return Response(_row(row, user, set(), {}), status=status.HTTP_202_ACCEPTED)


def _copied(file: str, place: Path) -> None:
    shutil.copyfile(file, place)


def _tags(told: Iterable[Any]) -> list[str]:
    return list(dict.fromkeys(str(one).strip()[:40] for one in told if str(one).strip()))[:_MOST_TAGS]


class LibrarySoundView(APIView):
    @extend_schema(request=LibrarySoundChangeSerializer, responses=LibrarySoundSerializer)
    def patch(self, request: Request, sound_id: int) -> Response:
        """Its name, tags, kind or licence."""
        user = signed_in(request.user)
        check_value(request.data)
        with transaction.atomic():
            row = self._own(user, sound_id)
            told = request.data if isinstance(request.data, dict) else {}
            if "kind" in told and str(told["kind"]) not in dict(SOUND_USES):
                raise BadInput("A sound is music, effects or ambience.")
            row.name = str(told.get("name", row.name)).strip()[:200] or row.name
            row.kind = str(told.get("kind", row.kind))
            row.licence = str(told.get("licence", row.licence))[:300]
            if isinstance(told.get("tags"), list):
                row.tags = _tags(told["tags"])
            # What was read of it may be written by a worker at just this moment.
            row.save(update_fields=["name", "kind", "licence", "tags"])
        favourites = set(FavouriteSound.objects.filter(user=user).values_list("name", flat=True))
        return Response(_row(row, user, favourites, _used(user)))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, sound_id: int) -> Response:
        """Offered no more; where it lies under voices it stays."""
        row = self._own(signed_in(request.user), sound_id)
        row.retired = True
        row.save(update_fields=["retired"])
        return Response(status=status.HTTP_204_NO_CONTENT)

    @staticmethod
    def _own(user: Any, sound_id: int) -> LibrarySound:
        row = LibrarySound.objects.filter(owner=user, pk=sound_id, retired=False).first()
        if row is None:
            raise Http404
        return row


class FavouriteSoundsView(APIView):
    @extend_schema(request=FavouriteSoundSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        """Keep a sound at hand, or not any more."""
        user = signed_in(request.user)
        told = request.data if isinstance(request.data, dict) else {}
        name = str(told.get("name_id") or "")[:80]
        known = {f"shipped/{one.id}" for one in shipped_sounds()} | {
            f"kept/{pk}" for pk in known_sounds(user).values_list("pk", flat=True)
        }
        if name not in known:
            raise Http404
        if told.get("favourite") is True:
            FavouriteSound.objects.get_or_create(user=user, name=name)
        else:
            FavouriteSound.objects.filter(user=user, name=name).delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
