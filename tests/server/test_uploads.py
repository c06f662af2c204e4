"""Every way by which a recording comes in: what it opens is the file that was sent, and no other."""

from __future__ import annotations

import io
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from django.core.cache import cache
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from janoglot.core.media import ffmpeg
from janoglot.productions import jobs
from janoglot.productions.keeping import unneeded
from janoglot.productions.models import ActionRecord, Job, LibrarySound, Line, Media, Production, WaitingRecording
from janoglot.review.models import Remark
from janoglot.server.storage import handed, media
from tests.core.test_media_door import POINTERS
from tests.server.conftest import Call, edition_path

Send = Callable[[Call, Production, SimpleUploadedFile], Any]


def line_path(production: Production) -> str:
    line = Line.objects.filter(production=production).first()
    assert line is not None
    return f"{edition_path(production)}lines/{line.pk}/"


def tone(seconds: float, number: int = 1) -> bytes:
    made = io.BytesIO()
    soundfile.write(made, 0.2 * np.sin(np.arange(round(seconds * 48_000)) * 0.01 * number), 48_000, format="WAV", subtype="PCM_16")
    return made.getvalue()


def zipped(file: SimpleUploadedFile) -> SimpleUploadedFile:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        archive.writestr("001.wav", file.read())
    return SimpleUploadedFile("all.zip", made.getvalue())


def remark(call: Call, production: Production, file: SimpleUploadedFile) -> Any:
    """Somebody without an account."""
    told = call("owner", "post", f"/api/productions/{production.pk}/links/",
                {"name": "Marisol", "languages": ["es-MX"], "interface": "es"}).json()
    page = f"/api/review/{told['address'].rpartition('/')[2]}/"
    return Client().post(f"{page}remarks/", {"language": "es-MX", "kind": "delivery", "at": "2", "sound": file})


WAYS: dict[str, Send] = {
    "the source's recording": lambda call, to, file: call(
        "editor", "post", f"/api/productions/{to.pk}/media/", {"file": file}, format="multipart"),
    "a guide": lambda call, to, file: call("editor", "post", f"{line_path(to)}guide/", {"file": file}, format="multipart"),
    "a line's recording": lambda call, to, file: call(
        "editor", "post", f"{line_path(to)}recording/", {"file": file}, format="multipart"),
    "recordings": lambda call, to, file: call(
        "editor", "post", f"{edition_path(to)}recordings/", {"files": [file]}, format="multipart"),
    "recordings in a zip": lambda call, to, file: call(
        "editor", "post", f"{edition_path(to)}recordings/", {"files": [zipped(file)]}, format="multipart"),
    "a sound of the library": lambda call, to, file: call(
        "editor", "post", "/api/library/sounds/", {"file": file, "kind": "effects"}, format="multipart"),
    "a spoken remark": remark,
}


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("kind", ["HLS", "DASH", "concat"])
def test_a_list_of_files_opens_none_of_them(way: str, kind: str, production: Production, call: Call, tmp_path: Path) -> None:
    cache.clear()
    for ending in ("flac", "m4a"):
        subprocess.run(["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=d=2", str(tmp_path / f"theirs.{ending}")], check=True)
    text = POINTERS[kind](str(tmp_path / "theirs.flac"))
    answer = WAYS[way](call, production, SimpleUploadedFile("mine.mp3", text.encode(), "audio/mpeg"))
    assert answer.status_code < 500
    if way.startswith("recordings"):
        # Of many, those that cannot be read are told beside the others.
        assert not WaitingRecording.objects.exists()
    else:
        assert answer.status_code == 400, answer.content[:300]
        assert "theirs" not in answer.json()["message"]
    assert not list(media().all())
    assert not [one for one in handed().all() if one.key.endswith(".flac")]
    assert not Media.objects.exists()
    assert not LibrarySound.objects.exists()
    assert not Remark.objects.exists()


@pytest.mark.parametrize("way", WAYS)
def test_the_pages_server_decodes_nothing(way: str, production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is sent is looked at and kept; with no worker there it is still to be read, and so it is told."""
    cache.clear()
    run: list[str] = []
    true = ffmpeg._run
    monkeypatch.setattr(ffmpeg, "_run", lambda command, most: (run.append(command[0]), true(command, most))[1])
    monkeypatch.setattr(jobs, "hand_out", lambda *_, **__: None)
    call("owner", "post", f"{edition_path(production)}castings/", {})
    answer = WAYS[way](call, production, SimpleUploadedFile("001.wav", tone(2.0), "audio/wav"))
    assert answer.status_code < 300, answer.content[:300]
    assert "ffmpeg" not in run
    assert [kept.key for store in (media(), handed()) for kept in store.all() if kept.key.endswith((".sent", ".wav"))]


@pytest.mark.parametrize("way", ["a sound of the library", "a spoken remark"])
def test_what_only_begins_as_a_recording_does_is_told_of(way: str, production: Production, call: Call) -> None:
    cache.clear()
    junk = tone(2.0)[:44] + bytes(range(256)) * 40 if way.startswith("a sound") else b"OggS" + bytes(range(255, -1, -1)) * 40
    answer = WAYS[way](call, production, SimpleUploadedFile("001.wav", junk, "audio/wav"))
    for job in Job.objects.filter(state="running"):
        jobs.begin(job)
    assert answer.status_code in (201, 202, 400) and not Job.objects.filter(state="running").exists()
    remarks = call("owner", "get", f"/api/productions/{production.pk}/remarks/").json()
    if way == "a spoken remark":
        assert [(one["spoken"], one["unreadable"]) for one in remarks] == [(True, True)]


def test_the_librarys_sounds_count_until_nobody_needs_them(production: Production, call: Call, settings: Any) -> None:
    cache.clear()
    sound = tone(2.0)
    settings.MEDIA_QUOTA = 1.5 * len(sound)

    def bring(number: int) -> Any:
        return call("owner", "post", "/api/library/sounds/", {"file": SimpleUploadedFile(f"{number}.wav", tone(2.0, number)), "kind": "effects"},
                    format="multipart")

    first = bring(1)
    assert first.status_code == 202
    refused = bring(2)
    assert (refused.status_code, refused.json()["code"]) == (400, "quota")
    number = first.json()["sound"]["kept"]
    world = f"/api/productions/{production.pk}/sounds/"
    assert call("owner", "put", world, {"cues": [{"layer": "effects", "sound": {"kept": number}, "at": 1}]}).status_code == 200
    call("owner", "delete", f"/api/library/sounds/{number}/")
    assert bring(2).status_code == 400, "it lies under voices still"
    key = LibrarySound.objects.get(pk=number).key
    assert call("owner", "put", world, {"cues": []}).status_code == 200
    assert bring(2).status_code == 400, "undo would bring it back"
    assert key not in {kept.key for _, kept in unneeded()}
    ActionRecord.objects.all().delete()
    assert key in {kept.key for _, kept in unneeded()}
    assert bring(2).status_code == 202
