"""A person's own takes: many brought in at once and given to their lines, or one dropped on its line."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import PurePosixPath
from typing import Any, cast

from django.core.files.uploadedfile import UploadedFile
from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.guarded import whole_numbers
from janoglot.core.speech.recogniser import hearable, recogniser_missing
from janoglot.core.speech.recordings_by_line import (
    BYS,
    VERDICTS,
    WHYS,
    LineToRecord,
    NamedRecording,
    RecordingMatch,
    match_recordings,
)
from janoglot.direct.actions.record_lines import (
    bring_recordings,
    record_line,
    set_recording,
    take_off_recording,
    take_recordings,
    throw_recordings,
)
from janoglot.direct.guide_api import GuideFaultSerializer
from janoglot.direct.sent_recordings import take_in
from janoglot.editions.state import EditionState
from janoglot.productions.keeping import require_room
from janoglot.productions.models import Edition, Line, LineRecording, WaitingRecording
from janoglot.productions.permissions import edition_for
from janoglot.server.storage import media, serve
from janoglot.server.work import require_queue

Data = dict[str, Any]
MOST_AT_ONCE = 300
_LARGEST = 200 * 1024**2
"""Bytes of one recording."""
_LARGEST_ZIP = 2 * 1024**3
_MOST_TIMES_LARGER = 60
"""Than what was sent: takes with silence between them, as samples, unpack to some ten times of it."""
_MOST_LEFT = 20
"""So many files that could not be read are named."""


class WaitingSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    seconds = serializers.FloatField()
    state = serializers.ChoiceField(WaitingRecording.State.choices)
    heard = serializers.CharField(allow_null=True, help_text="Null where nothing listened.")
    faults = GuideFaultSerializer(many=True)
    line = serializers.IntegerField(allow_null=True, help_text="The line that it is taken for.")
    by = serializers.ChoiceField([(by, by) for by in BYS])
    verdict = serializers.ChoiceField([(verdict, verdict) for verdict in VERDICTS])
    why = serializers.ChoiceField([(why, why) for why in WHYS])
    error = serializers.FloatField(allow_null=True, help_text="The share of the line's sounds heard otherwise.")
    named = serializers.IntegerField(allow_null=True, help_text="The line that its name says, where that is another.")


class RecordingsSerializer(serializers.Serializer[Data]):
    waiting = WaitingSerializer(many=True)
    listening = serializers.BooleanField(help_text="Whether they are being listened to.")
    hears = serializers.BooleanField(help_text="Whether this language can be listened to at all.")
    recorded = serializers.IntegerField(help_text="Lines that have a recording.")
    missing = serializers.IntegerField(help_text="Lines that a person is to record, and has not or not as they are.")


class BroughtRecordingsSerializer(serializers.Serializer[Data]):
    count = serializers.IntegerField()
    left = serializers.ListField(child=serializers.CharField(), help_text="Files that could not be read, and why.")


class RecordingsUploadSerializer(serializers.Serializer[Data]):
    files = serializers.ListField(child=serializers.FileField(), help_text="Recordings, or zips of them.")


class GivenRecordingSerializer(serializers.Serializer[Data]):
    recording = serializers.IntegerField()
    line = serializers.IntegerField()


class TakeRecordingsSerializer(serializers.Serializer[Data]):
    recordings = GivenRecordingSerializer(many=True, allow_empty=False)


class LineRecordingSerializer(serializers.Serializer[Data]):
    state = serializers.ChoiceField([("none", "none"), *LineRecording.State.choices])
    name = serializers.CharField()
    seconds = serializers.FloatField(allow_null=True, help_text="As it is played at its own speed.")
    stretch = serializers.BooleanField(help_text="Whether it may be played quicker or slower to fit.")
    cleaned = serializers.BooleanField(help_text="Whether its steady noise is taken down.")
    holds = serializers.BooleanField(help_text="Whether the line still says what was recorded.")
    said = serializers.CharField(help_text="What the line said when it was recorded.")
    heard = serializers.CharField(allow_null=True)
    faults = GuideFaultSerializer(many=True)
    by = serializers.CharField(allow_null=True)


class LineRecordingChangeSerializer(serializers.Serializer[Data]):
    stretch = serializers.BooleanField(required=False)
    cleaned = serializers.BooleanField(required=False)
    holds = serializers.BooleanField(required=False, help_text="True: it holds for the words as they are now.")


class LineRecordingUploadSerializer(serializers.Serializer[Data]):
    file = serializers.FileField()


def _heard(row: WaitingRecording | LineRecording) -> str | None:
    return row.heard if row.listened else None


def _waiting_data(row: WaitingRecording, match: RecordingMatch) -> Data:
    return {"id": row.pk, "name": row.name, "seconds": round(row.seconds, 3), "state": row.state, "heard": _heard(row),
            "faults": row.faults, "line": match.line, "by": match.by, "verdict": match.verdict, "why": match.why,
            "error": None if match.error is None else round(match.error, 3), "named": match.named}


def _require_few_enough(sent: list[UploadedFile[Any]]) -> int:
    """The bytes that everything which was sent has unpacked, looked at before any of it is. Raises BadInput."""
    count = unpacked = 0
    for file in sent:
        if not str(file.name or "").lower().endswith(".zip"):
            count, unpacked = count + 1, unpacked + (file.size or 0)
            continue
        with _opened(file) as archive:
            inside = _inside(archive)
        size = sum(one.file_size for one in inside)
        if size > _LARGEST_ZIP:
            raise BadInput("This zip unpacks to over {most} GB. Split it into several.", most=_LARGEST_ZIP // 1024**3)
        if size > _MOST_TIMES_LARGER * (file.size or 0) + 1024**2:
            raise BadInput("This zip unpacks to {times} times its size, which no recordings do. Make it again.",
                           times=round(size / max(1, file.size or 0)))
        count, unpacked = count + len(inside), unpacked + size
    if count > MOST_AT_ONCE:
        raise BadInput("At most {most} recordings are brought in at once. Bring them in several times.",
                       most=MOST_AT_ONCE)
    return unpacked


def _files(sent: list[UploadedFile[Any]], left: list[str]) -> Iterator[tuple[str, bytes]]:
    """Every recording that was sent, those in zips too, one after the other in memory. Raises BadInput."""
    for file in sent:
        name = str(file.name or "")
        if name.lower().endswith(".zip"):
            yield from _unpacked(file, left)
        elif (file.size or 0) > _LARGEST:
            left.append(name)
        else:
            yield name, file.read()


@contextmanager
def _opened(file: UploadedFile[Any]) -> Iterator[zipfile.ZipFile]:
    """Raises BadInput where it is damaged."""
    try:
        with zipfile.ZipFile(cast(io.BufferedIOBase, file.file)) as archive:
            yield archive
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, ValueError) as error:
        raise BadInput("This zip is damaged. Make it again.") from error


def _inside(archive: zipfile.ZipFile) -> list[zipfile.ZipInfo]:
    return [one for one in archive.infolist() if not one.is_dir() and _is_recording(one.filename)]


def _unpacked(file: UploadedFile[Any], left: list[str]) -> Iterator[tuple[str, bytes]]:
    with _opened(file) as archive:
        for one in _inside(archive):
            if one.file_size > _LARGEST or one.flag_bits & 1:
                left.append(one.filename)
                continue
            with archive.open(one) as opened:
                # What it says of its size and what is in it may be two things: no more than it says is unpacked.
                data = opened.read(one.file_size + 1)
            if len(data) > one.file_size:
                raise BadInput("This zip is damaged. Make it again.")
            yield one.filename, data


def _is_recording(name: str) -> bool:
    """Not what systems and programs put beside them."""
    parts = PurePosixPath(name.replace("\\", "/")).parts
    return not any(part.startswith((".", "__MACOSX")) for part in parts) and not name.lower().endswith(
        (".txt", ".csv", ".xlsx", ".pdf", ".json", ".docx", ".db", ".ini", ".xml"))


class RecordingsView(APIView):
    @extend_schema(responses=RecordingsSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Recordings that wait in an edition, and which line each is taken for."""
        edition = edition_for(request.user, production_id, language)
        state = EditionState.load(edition)
        rows = list(WaitingRecording.objects.filter(edition=edition))
        lines = [LineToRecord(one.id, one.line.number, one.line.speaker_name, one.words, one.line.recorded is not None)
                 for one in state.lines if one.words.strip() and not one.line.on_screen]
        matches = match_recordings(
            [NamedRecording(row.pk, row.name, _heard(row), bool(row.faults)) for row in rows], lines, language)
        return Response({
            "waiting": [_waiting_data(row, match) for row, match in zip(rows, matches, strict=True)],
            "listening": any(row.state == WaitingRecording.State.LISTENING for row in rows),
            "hears": not recogniser_missing() and hearable(language),
            "recorded": sum(one.line.recorded is not None for one in state.lines),
            "missing": len(state.unrecorded())})

    @extend_schema(request={"multipart/form-data": RecordingsUploadSerializer},
                   responses={202: BroughtRecordingsSerializer})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Bring in recordings of an edition's lines, singly or in zips: any that ffmpeg reads, five minutes each."""
        edition = edition_for(request.user, production_id, language, change=True)
        sent = cast("list[UploadedFile[Any]]", request.FILES.getlist("files"))
        if not sent:
            raise BadInput("Choose recordings, or a zip of them.")
        require_queue()
        require_room(edition.production, _require_few_enough(sent))
        left: list[str] = []
        brought: list[tuple[str, str]] = []
        for name, data in _files(sent, left):
            try:
                key = take_in(data)
            except JanoglotError as error:
                left.append(f"{PurePosixPath(name).name}: {error}")
                continue
            brought.append((key, PurePosixPath(name.replace("\\", "/")).name))
        if not brought:
            raise BadInput("None of these is a recording that can be read. {first}", first=left[0] if left else "")
        bring_recordings(request.user, edition, brought)
        return Response({"count": len(brought), "left": left[:_MOST_LEFT]}, status=status.HTTP_202_ACCEPTED)

    @extend_schema(request=TakeRecordingsSerializer, responses=RecordingsSerializer)
    def put(self, request: Request, production_id: int, language: str) -> Response:
        """Give recordings that wait to lines: all in one act."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = TakeRecordingsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        chosen = {row["recording"]: row["line"] for row in given.validated_data["recordings"]}
        take_recordings(request.user, edition, chosen)
        return self.get(request, production_id, language)

    @extend_schema(parameters=[OpenApiParameter("recordings", str, required=True, description="Ids, by comma.")],
                   responses={204: None})
    def delete(self, request: Request, production_id: int, language: str) -> Response:
        """Have recordings wait no longer."""
        edition = edition_for(request.user, production_id, language, change=True)
        throw_recordings(request.user, edition, whole_numbers(request.query_params.get("recordings", "").split(",")))
        return Response(status=status.HTTP_204_NO_CONTENT)


class WaitingSoundView(APIView):
    @extend_schema(responses={(200, "audio/flac"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, recording_id: int) -> HttpResponseBase:
        """A recording that waits."""
        edition = edition_for(request.user, production_id, language)
        row = WaitingRecording.objects.filter(edition=edition, pk=recording_id).first()
        if row is None or not media().has(row.key):
            raise Http404
        return serve(request._request, media(), row.key, row.name, "audio/flac")


class LineRecordingView(APIView):
    @staticmethod
    def _row(edition: Edition, line_id: int) -> LineRecording | None:
        if not Line.objects.filter(production_id=edition.production_id, pk=line_id).exists():
            raise Http404
        return LineRecording.objects.select_related("edition__production", "line", "by", "take").filter(
            edition=edition, line=line_id).first()

    @extend_schema(responses=LineRecordingSerializer)
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """A line's own recording."""
        edition = edition_for(request.user, production_id, language)
        return Response(_line_data(self._row(edition, line_id)))

    @extend_schema(request={"multipart/form-data": LineRecordingUploadSerializer},
                   responses={202: LineRecordingSerializer})
    def post(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Use a person's recording for a line, as it is: any that ffmpeg reads, five minutes at most."""
        edition = edition_for(request.user, production_id, language, change=True)
        self._row(edition, line_id)
        file = request.FILES.get("file")
        if file is None or (file.size or 0) > _LARGEST:
            raise BadInput("Choose a recording of this line, five minutes long at most.")
        require_queue()
        require_room(edition.production, file.size or 0)
        record_line(request.user, edition, Line.objects.get(pk=line_id), take_in(file.read()), str(file.name or ""))
        return Response(_line_data(self._row(edition, line_id)), status=status.HTTP_202_ACCEPTED)

    @extend_schema(request=LineRecordingChangeSerializer, responses=LineRecordingSerializer)
    def patch(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Let it be played quicker or slower, or say that it holds for the words as they are now."""
        edition = edition_for(request.user, production_id, language, change=True)
        row = self._row(edition, line_id)
        if row is None:
            raise Http404
        given = LineRecordingChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        set_recording(request.user, row, given.validated_data)
        return Response(_line_data(self._row(edition, line_id)))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Take it off the line."""
        edition = edition_for(request.user, production_id, language, change=True)
        row = self._row(edition, line_id)
        if row is None:
            raise Http404
        take_off_recording(request.user, row)
        return Response(status=status.HTTP_204_NO_CONTENT)


class LineRecordingSoundView(APIView):
    @extend_schema(responses={(200, "audio/flac"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, line_id: int) -> HttpResponseBase:
        """A line's own recording as it was brought in."""
        edition = edition_for(request.user, production_id, language)
        row = LineRecording.objects.filter(edition=edition, line=line_id).first()
        if row is None or not media().has(row.key):
            raise Http404
        return serve(request._request, media(), row.key, row.name or "recording.flac", "audio/flac")


def _line_data(row: LineRecording | None) -> Data:
    if row is None:
        return {"state": "none", "name": "", "seconds": None, "stretch": False, "cleaned": False, "holds": True,
                "said": "", "heard": None, "faults": [], "by": None}
    words = row.edition.wordings.filter(line=row.line_id).values_list("text", flat=True).first() or ""
    return {"state": row.state, "name": row.name, "seconds": round(row.take.seconds, 3) if row.take else None,
            "stretch": row.stretch, "cleaned": row.cleaned, "holds": row.core.says(words), "said": row.said,
            "heard": _heard(row), "faults": row.faults, "by": row.by.username if row.by else None}
