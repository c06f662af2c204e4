"""The source recording: brought in, played, drawn."""

from __future__ import annotations

import base64
import hashlib
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
from janoglot.productions.keeping import require_room
from janoglot.productions.models import MEDIA_STATES, Production, SourceMedia
from janoglot.productions.permissions import production_for
from janoglot.server.storage import media, serve_sound
from janoglot.server.work import require_queue
from janoglot.timing.actions.bring_source_media import bring_source_media, take_out_source_media
from janoglot.timing.tasks import begin_copies

Data = dict[str, Any]
SHOWN = [*MEDIA_STATES, ("absent", "absent")]
_KINDS = {"flac": "audio/flac", "mp4": "video/mp4"}


class MediaUploadSerializer(serializers.Serializer[Data]):
    file = serializers.FileField()


class SourceMediaSerializer(serializers.Serializer[Data]):
    state = serializers.ChoiceField(SHOWN)
    key = serializers.CharField()
    name = serializers.CharField()
    seconds = serializers.FloatField()
    has_sound = serializers.BooleanField()
    has_picture = serializers.BooleanField()
    fps = serializers.FloatField(allow_null=True)
    fault = serializers.CharField()


class MediaPeaksSerializer(serializers.Serializer[Data]):
    peaks = serializers.CharField(help_text="Base64: a byte for each fiftieth of a second.")


def media_data(row: SourceMedia | None) -> Data:
    if row is None:
        return {"state": "absent", "key": "", "name": "", "seconds": 0.0, "has_sound": False, "has_picture": False,
                "fps": None, "fault": ""}
    return {"state": row.state, "key": row.stem, "name": row.name, "seconds": row.facts["seconds"],
            "has_sound": row.facts["has_sound"], "has_picture": row.facts["has_picture"], "fps": row.facts["fps"],
            "fault": row.fault}


def _row(production: Production) -> SourceMedia | None:
    """Brought back by undo it may say that copies are still being made which are there already."""
    row = SourceMedia.objects.select_related("production").filter(production=production).first()
    if row and row.state == "making":
        wanted = [row.sound_key] * bool(row.facts["has_sound"]) + [row.picture_key] * bool(row.facts["has_picture"])
        if all(media().has(key) for key in wanted):
            row.state = "ready"
    return row


class SourceMediaView(APIView):
    @extend_schema(responses=SourceMediaSerializer)
    def get(self, request: Request, production_id: int) -> Response:
        """What the source recording is, and whether it can be played yet."""
        return Response(media_data(_row(production_for(request.user, production_id))))

    @extend_schema(request=MediaUploadSerializer, responses={202: SourceMediaSerializer})
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
        folder = settings.VAR / "media"
        folder.mkdir(parents=True, exist_ok=True)
        digest = hashlib.sha256()
        with tempfile.NamedTemporaryFile(dir=folder, suffix=ending) as half:
            for chunk in file.chunks():
                digest.update(chunk)
                half.write(chunk)
            half.flush()
            facts = asdict(look_at(Path(half.name)))
            key = f"{digest.hexdigest()[:40]}{ending}"
            if not media().has(key):
                media().write(key, lambda place: _linked(Path(half.name), place))
        row = bring_source_media(request.user, production, key, file.name or "recording", facts)
        begin_copies(row, request.user)
        return Response(media_data(row), status=status.HTTP_202_ACCEPTED)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int) -> Response:
        """Take the recording out of the production."""
        row = _row(production_for(request.user, production_id, change=True))
        if row is None:
            raise Http404
        take_out_source_media(request.user, row)
        return Response(status=status.HTTP_204_NO_CONTENT)


def _linked(from_: Path, to: Path) -> None:
    to.unlink(missing_ok=True)
    to.hardlink_to(from_)


class SourceMediaFileView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, ending: str) -> HttpResponseBase:
        """The sound (flac) or the picture (mp4) to play; ranges are served."""
        row = _row(production_for(request.user, production_id))
        key = (row.sound_key if ending == "flac" else row.picture_key) if row else ""
        if ending not in _KINDS or not row or not media().has(key):
            raise Http404
        return serve_sound(request._request, media().path(key), f"source.{ending}", _KINDS[ending])


class SourceMediaPeaksView(APIView):
    @extend_schema(responses=MediaPeaksSerializer)
    def get(self, request: Request, production_id: int) -> Response | HttpResponse:
        """The waveform of the source's sound; empty where there is none."""
        row = _row(production_for(request.user, production_id))
        key = row.sound_key if row else ""
        found = kept_peaks(key, media()) if row and media().has(key) else b""
        return Response({"peaks": base64.b64encode(found).decode()})
