"""Every way by which a recording comes in: what it opens is the file that was sent, and no other."""

from __future__ import annotations

import io
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.core.cache import cache
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from janoglot.productions.models import LibrarySound, Line, Media, Production, WaitingRecording
from janoglot.review.models import Remark
from janoglot.server.storage import handed, media
from tests.core.test_media_door import POINTERS
from tests.server.conftest import Call, edition_path

Send = Callable[[Call, Production, SimpleUploadedFile], Any]


def line_path(production: Production) -> str:
    line = Line.objects.filter(production=production).first()
    assert line is not None
    return f"{edition_path(production)}lines/{line.pk}/"


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
