"""The recordings of a production: brought in, played, drawn."""

from __future__ import annotations

import base64
import hashlib
import os
import shutil
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.conf import settings
from django.http import Http404, HttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import BadInput
from janoglot.core.guarded import whole_number
from janoglot.core.media.source import LARGEST, look_at
from janoglot.core.speech.peaks import kept_peaks
from janoglot.media.actions.source_media import (
    bring_source_media,
    line_up_bed,
    play_source_media,
    take_out_source_media,
)
from janoglot.media.tasks import MEDIA_STATES, begin_copies, copies_progress
from janoglot.productions.keeping import require_room
from janoglot.productions.models import Media
from janoglot.productions.permissions import production_for
from janoglot.server.storage import media as store
from janoglot.server.storage import serve
from janoglot.server.work import require_queue

Data = dict[str, Any]
_FILES = {"sound.flac": ("sound", "audio/flac"), "picture.mp4": ("picture", "video/mp4")}


class MediaUploadSerializer(serializers.Serializer[Data]):
    file = serializers.FileField()
    purpose = serializers.ChoiceField(Media.Purpose.choices, required=False,
                                      help_text="“bed”: its music and effects without voices.")


class MediaChangeSerializer(serializers.Serializer[Data]):
    played = serializers.BooleanField(required=False, help_text="True: this one is played, and no other.")
    offset = serializers.FloatField(required=False, min_value=-86_400, max_value=86_400,
                                    help_text="Of a bed: seconds that it is later than the source.")


class MediaSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    purpose = serializers.ChoiceField(Media.Purpose.choices)
    played = serializers.BooleanField(help_text="Of those of one purpose, one is.")
    state = serializers.ChoiceField(MEDIA_STATES, help_text="Of its copies to play and draw.")
    share = serializers.FloatField(help_text="Of them, that is made: 0 to 1.")
    fault = serializers.CharField()
    name = serializers.CharField()
    size = serializers.IntegerField(help_text="Bytes of the original.")
    seconds = serializers.FloatField()
    has_sound = serializers.BooleanField()
    has_picture = serializers.BooleanField()
    fps = serializers.FloatField(allow_null=True)
    offset = serializers.FloatField(allow_null=True, help_text="Of a bed: seconds that it is later than the source.")
    sure = serializers.FloatField(help_text="… and how sure that is, 0 to 1.")


class MediaPeaksSerializer(serializers.Serializer[Data]):
    peaks = serializers.CharField(help_text="Base64: a byte for each fiftieth of a second.")


def media_data(row: Media) -> Data:
    told = copies_progress(row)
    return {"id": row.pk, "purpose": row.purpose, "played": row.played, "state": told.state, "share": told.share,
            "fault": told.fault, "name": row.name, "size": row.size, "seconds": row.facts["seconds"],
            "has_sound": row.facts["has_sound"], "has_picture": row.facts["has_picture"], "fps": row.facts["fps"],
            "offset": row.offset, "sure": row.sure}


def _row(request: Request, production_id: int, media_id: int, change: bool = False) -> Media:
    production = production_for(request.user, production_id, change=change)
    row = Media.objects.select_related("production").filter(production=production, pk=media_id).first()
    if row is None:
        raise Http404
    return row


class MediaView(APIView):
    @extend_schema(responses=MediaSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """Every recording of the production, and whether it can be played yet."""
        rows = Media.objects.filter(production=production_for(request.user, production_id))
        return Response([media_data(row) for row in rows])

    @extend_schema(request=MediaUploadSerializer, responses={202: MediaSerializer})
    def post(self, request: Request, production_id: int) -> Response:
        """Bring in a recording or a video: any kind that ffprobe knows, up to 4 GB and 4 hours."""
        production = production_for(request.user, production_id, change=True)
        require_queue()
        require_room(production, whole_number(str(request.META.get("CONTENT_LENGTH") or "0")) or 0)
        file = request.FILES.get("file")
        if file is None:
            raise BadInput("Choose a recording or a video.")
        if file.size and file.size > LARGEST:
            raise BadInput("The recording has {size:.1f} GB; at most {most} GB can be brought in.",
                           size=file.size / 1024**3, most=LARGEST // 1024**3)
        ending = Path(file.name or "").suffix.lower()
        ending = ending if ending[1:].isalnum() and len(ending) <= 6 else ".bin"
        folder = settings.VAR / "coming-in"
        folder.mkdir(parents=True, exist_ok=True)
        digest = hashlib.sha256()
        with tempfile.NamedTemporaryFile(dir=folder, suffix=ending) as half:
            for chunk in file.chunks():
                digest.update(chunk)
                half.write(chunk)
            half.flush()
            facts, size = asdict(look_at(Path(half.name))), half.tell()
            key = f"{digest.hexdigest()[:40]}{ending}"
            if not store().has(key):
                store().write(key, lambda place: _linked(Path(half.name), place))
        purpose = request.data.get("purpose") if isinstance(request.data, dict) else None
        if purpose is not None and purpose not in Media.Purpose.values:
            raise BadInput("A recording is the source, or its bed.")
        row = bring_source_media(request.user, production, key, file.name or "recording", size, facts,
                                 str(purpose or Media.Purpose.SOURCE))
        begin_copies(row, request.user)
        return Response(media_data(row), status=status.HTTP_202_ACCEPTED)


def _linked(from_: Path, to: Path) -> None:
    to.unlink(missing_ok=True)
    try:
        os.link(from_, to)
    except OSError:
        # Another file system, or one without such links.
        shutil.copyfile(from_, to)


class OneMediaView(APIView):
    @extend_schema(responses=MediaSerializer)
    def get(self, request: Request, production_id: int, media_id: int) -> Response:
        """One recording."""
        return Response(media_data(_row(request, production_id, media_id)))

    @extend_schema(request=MediaChangeSerializer, responses=MediaSerializer)
    def patch(self, request: Request, production_id: int, media_id: int) -> Response:
        """Have this recording played instead of the one that is. Its picture's rate becomes the production's."""
        row = _row(request, production_id, media_id, change=True)
        sent = MediaChangeSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        if "offset" in sent.validated_data and row.purpose == Media.Purpose.BED:
            line_up_bed(request.user, row, sent.validated_data["offset"], 1.0, by_hand=True)
            row.refresh_from_db()
            return Response(media_data(row))
        if not sent.validated_data.get("played"):
            raise BadInput("Say which other recording is to be played.")
        play_source_media(request.user, row)
        if row.purpose == Media.Purpose.SOURCE and row.production.media.filter(purpose=Media.Purpose.BED).exists():
            # How much later the bed is than this one is another question than before.
            begin_copies(row, request.user)
        return Response(media_data(row))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, media_id: int) -> Response:
        """Take a recording out of the production. Undoing brings it back."""
        take_out_source_media(request.user, _row(request, production_id, media_id, change=True))
        return Response(status=status.HTTP_204_NO_CONTENT)


class MediaCopiesView(APIView):
    @extend_schema(request=None, responses={202: MediaSerializer})
    def post(self, request: Request, production_id: int, media_id: int) -> Response:
        """Make what is missing of the copies to play and draw, or try once more."""
        row = _row(request, production_id, media_id, change=True)
        if copies_progress(row).state in ("absent", "failed"):
            begin_copies(row, request.user)
        return Response(media_data(row), status=status.HTTP_202_ACCEPTED)


class MediaFileView(APIView):
    @extend_schema(operation_id="productions_media_copy",
                   responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, media_id: int, file: str) -> HttpResponseBase:
        """The sound (sound.flac) or the picture (picture.mp4) to play; ranges are served."""
        row = _row(request, production_id, media_id)
        what, kind = _FILES.get(file, ("", ""))
        key = row.copies.get(what)
        if key is None:
            raise Http404
        try:
            return serve(request._request, store(), key, file, kind)
        except FileNotFoundError:
            raise Http404 from None


class MediaPeaksView(APIView):
    @extend_schema(responses=MediaPeaksSerializer)
    def get(self, request: Request, production_id: int, media_id: int) -> Response | HttpResponse:
        """The waveform of a recording's sound; empty where there is none."""
        key = _row(request, production_id, media_id).copies.get("sound")
        found = kept_peaks(key, store()) if key and store().has(key) else b""
        return Response({"peaks": base64.b64encode(found).decode()})
