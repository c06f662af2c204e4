"""Recordings through the interface for programs."""

from __future__ import annotations

import base64
import io
import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.productions.jobs import do_piece, go_on_with_jobs
from janoglot.productions.models import Media, Production
from janoglot.server.storage import media
from tests.server.conftest import Call


def recording(seconds: float = 2.0) -> SimpleUploadedFile:
    out = io.BytesIO()
    soundfile.write(out, 0.5 * np.sin(np.arange(int(seconds * 16_000)) / 10), 16_000, format="WAV")
    return SimpleUploadedFile("source.wav", out.getvalue())


def played(call: Call, path: str) -> dict[str, Any]:
    """The recording that is played."""
    found: list[dict[str, Any]] = [one for one in call("reader", "get", path).json() if one["played"]]
    assert len(found) == 1
    return found[0]


def bring(call: Call, path: str, name: str = "", data: bytes = b"", seconds: float = 2.0) -> dict[str, Any]:
    file = SimpleUploadedFile(name, data) if data else recording(seconds)
    answer = call("editor", "post", path, {"file": file}, format="multipart")
    assert answer.status_code == 202, answer.json()
    found: dict[str, Any] = answer.json()
    return found


def test_brought_in_played_taken_back_and_done_again(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/media/"
    assert call("reader", "get", path).json() == []
    bring(call, path)
    found = played(call, path)
    assert (found["state"], found["has_sound"], found["has_picture"]) == ("ready", True, False)
    assert found["seconds"] == pytest.approx(2.0, abs=0.01)
    assert found["size"] == 16_000 * 2 * 2 + 44
    own = f"{path}{found['id']}/"
    peaks = base64.b64decode(call("reader", "get", f"{own}peaks/").json()["peaks"])
    assert len(peaks) == pytest.approx(100, abs=2)
    assert max(peaks) == pytest.approx(127, abs=4)
    assert call("reader", "get", f"{own}sound.flac").status_code == 200
    assert call("reader", "get", f"{own}picture.mp4").status_code == 404
    # The copies were made behind it, and that is no reason not to undo it.
    assert call("editor", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
    assert not Media.objects.exists()
    call("editor", "post", f"/api/productions/{production.pk}/redo/", {})
    assert played(call, path)["state"] == "ready"


def test_a_production_has_many_and_one_is_played(production: Production, call: Call, tmp_path: Path) -> None:
    path = f"/api/productions/{production.pk}/media/"
    first = bring(call, path)["id"]
    second = bring(call, path, seconds=3.0)["id"]
    picture = video(tmp_path, "cut.mp4", "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "aac")
    third = bring(call, path, "cut.mp4", picture)["id"]
    assert played(call, path)["id"] == third
    production.refresh_from_db()
    assert production.fps == 30
    assert call("editor", "patch", f"{path}{first}/", {"played": True}).json()["played"]
    assert played(call, path)["id"] == first
    assert call("editor", "patch", f"{path}{first}/", {"played": False}).status_code == 400
    # What is taken out and not played changes nothing; of what is played, the newest of the rest takes the place.
    assert call("editor", "delete", f"{path}{second}/").status_code == 204
    assert played(call, path)["id"] == first
    assert call("editor", "delete", f"{path}{first}/").status_code == 204
    assert played(call, path)["id"] == third
    for _ in range(2):
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
    assert [one["id"] for one in call("reader", "get", path).json()] == [first, second, third]
    assert played(call, path)["id"] == first


def test_the_same_file_twice_is_kept_once(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/media/"
    one, other = bring(call, path), bring(call, path)
    assert one["id"] != other["id"]
    assert len({row.key for row in Media.objects.all()}) == 1
    assert {kept.key.partition(".")[2] for kept in media().all()} == {"wav", "flac", "peaks"}
    assert played(call, path)["state"] == "ready"


def test_copies_that_are_gone_can_be_made_again(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/media/"
    own = f"{path}{bring(call, path)['id']}/"
    media().remove(Media.objects.get().copies["sound"])
    assert call("reader", "get", own).json()["state"] == "absent"
    assert call("reader", "get", f"{own}sound.flac").status_code == 404
    assert call("reader", "post", f"{own}copies/", {}).status_code == 403
    assert call("editor", "post", f"{own}copies/", {}).status_code == 202
    assert call("reader", "get", own).json()["state"] == "ready"


def test_what_is_no_recording_is_refused_and_nothing_is_left_of_it(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/media/"
    bad = SimpleUploadedFile("x.mp4", b"nothing of the kind")
    assert call("editor", "post", path, {"file": bad}, format="multipart").status_code == 400
    assert not Media.objects.exists()


def test_copies_that_a_worker_left_are_made_by_the_next(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    path = f"/api/productions/{production.pk}/media/"
    with monkeypatch.context() as killed:
        killed.setattr(do_piece, "apply_async", lambda *args, **more: None)
        call("editor", "post", path, {"file": recording()}, format="multipart")
    assert played(call, path)["state"] == "making"
    go_on_with_jobs()
    assert played(call, path)["state"] == "ready"


def video(folder: Path, name: str, *arguments: str) -> bytes:
    place = folder / name
    subprocess.run(["ffmpeg", "-nostdin", "-loglevel", "error", "-f", "lavfi", "-i", "testsrc=size=320x180:rate=30:duration=2", "-f", "lavfi",
                    "-i", "sine=frequency=300:sample_rate=96000:duration=2", "-ac", "2", *arguments, "-y", str(place)], check=True)
    return place.read_bytes()


def probed(place: Path) -> dict[str, Any]:
    told = subprocess.run(["ffprobe", "-v", "error", "-show_streams", "-show_entries", "packet=stream_index,flags", "-of", "json", str(place)],
                          check=True, capture_output=True, text=True).stdout
    found: dict[str, Any] = json.loads(told)
    return found


def test_a_recording_named_as_its_copies_are_is_copied_all_the_same(production: Production, call: Call, tmp_path: Path) -> None:
    """An .mp4 whose codec no browser plays, with one key frame: what is served is the even copy, never the original."""
    made = video(tmp_path, "ferry.mp4", "-c:v", "mpeg4", "-g", "600", "-c:a", "aac")
    path = f"/api/productions/{production.pk}/media/"
    call("editor", "post", path, {"file": SimpleUploadedFile("ferry.mp4", made)}, format="multipart")
    assert played(call, path)["state"] == "ready"
    place = tmp_path / "served.mp4"
    place.write_bytes(b"".join(call("reader", "get", f"{path}{played(call, path)['id']}/picture.mp4").streaming_content))
    found = probed(place)
    assert [one["codec_name"] for one in found["streams"]] == ["h264"]
    keys = [n for n, packet in enumerate(found["packets"]) if "K" in packet["flags"]]
    assert keys == list(range(0, len(found["packets"]), 15)), "a key frame each half second"


def test_so_is_a_flac_of_another_rate(production: Production, call: Call, tmp_path: Path) -> None:
    place = tmp_path / "ferry.flac"
    soundfile.write(place, np.zeros((96_000, 2), np.float32) + 0.2, 96_000)
    path = f"/api/productions/{production.pk}/media/"
    call("editor", "post", path, {"file": SimpleUploadedFile("ferry.flac", place.read_bytes())}, format="multipart")
    served = b"".join(call("reader", "get", f"{path}{played(call, path)['id']}/sound.flac").streaming_content)
    info = soundfile.info(io.BytesIO(served))
    assert (info.samplerate, info.channels) == (48_000, 1)


def test_a_damaged_recording_is_said_and_not_made_for_ever(production: Production, call: Call, tmp_path: Path) -> None:
    place = tmp_path / "ferry.flac"
    soundfile.write(place, np.random.default_rng(3).normal(0, 0.1, 48_000).astype(np.float32), 48_000)
    data = bytearray(place.read_bytes())
    data[len(data) // 8:] = bytes(len(data) - len(data) // 8)
    path = f"/api/productions/{production.pk}/media/"
    answer = call("editor", "post", path, {"file": SimpleUploadedFile("ferry.flac", bytes(data))}, format="multipart")
    if answer.status_code == 202:
        told = played(call, path)
        assert told["state"] in ("failed", "ready")
        assert told["state"] == "ready" or told["fault"]


def test_whatever_the_sound_library_stumbles_over_is_said(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    def damaged(*_: Any) -> bytes:
        raise soundfile.LibsndfileError(2)

    monkeypatch.setattr("janoglot.media.tasks.kept_peaks", damaged)
    path = f"/api/productions/{production.pk}/media/"
    call("editor", "post", path, {"file": recording()}, format="multipart")
    told = played(call, path)
    assert (told["state"], "cannot be read" in told["fault"]) == ("failed", True)


def test_sound_is_not_compressed_on_its_way_and_text_is(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/media/"
    call("editor", "post", path, {"file": recording()}, format="multipart")
    sound = call("reader", "get", f"{path}{played(call, path)['id']}/sound.flac", headers={"Accept-Encoding": "gzip"})
    assert "Content-Encoding" not in sound
    assert int(sound["Content-Length"]) == len(b"".join(sound.streaming_content))
    assert not sound["ETag"].startswith("W/")
    again = call("reader", "get", f"{path}{played(call, path)['id']}/sound.flac", headers={"If-None-Match": sound["ETag"], "Accept-Encoding": "gzip"})
    assert again.status_code == 304
    text = call("reader", "get", f"/api/productions/{production.pk}/script/", headers={"Accept-Encoding": "gzip"})
    assert text["Content-Encoding"] == "gzip"
