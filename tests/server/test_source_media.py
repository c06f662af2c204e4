"""The source recording through the interface for programs."""

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
from janoglot.productions.models import Production, SourceMedia
from tests.server.conftest import Call


def recording(seconds: float = 2.0) -> SimpleUploadedFile:
    out = io.BytesIO()
    soundfile.write(out, 0.5 * np.sin(np.arange(int(seconds * 16_000)) / 10), 16_000, format="WAV")
    return SimpleUploadedFile("source.wav", out.getvalue())


def test_brought_in_played_taken_back_and_done_again(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/source-media/"
    assert call("reader", "get", path).json()["state"] == "absent"
    assert call("editor", "post", path, {"file": recording()}, format="multipart").status_code == 202
    found = call("reader", "get", path).json()
    assert (found["state"], found["has_sound"], found["has_picture"]) == ("ready", True, False)
    assert found["seconds"] == pytest.approx(2.0, abs=0.01)
    peaks = base64.b64decode(call("reader", "get", f"{path}peaks/").json()["peaks"])
    assert len(peaks) == pytest.approx(100, abs=2)
    assert max(peaks) == pytest.approx(127, abs=4)
    assert call("reader", "get", f"{path}source.flac").status_code == 200
    assert call("reader", "get", f"{path}source.mp4").status_code == 404
    # The copies were made behind it, and that is no reason not to undo it.
    assert call("editor", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
    assert not SourceMedia.objects.exists()
    call("editor", "post", f"/api/productions/{production.pk}/redo/", {})
    assert call("reader", "get", path).json()["state"] == "ready"


def test_what_is_no_recording_is_refused_and_nothing_is_left_of_it(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/source-media/"
    bad = SimpleUploadedFile("x.mp4", b"nothing of the kind")
    assert call("editor", "post", path, {"file": bad}, format="multipart").status_code == 400
    assert not SourceMedia.objects.exists()


def test_copies_that_a_worker_left_are_made_by_the_next(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    path = f"/api/productions/{production.pk}/source-media/"
    with monkeypatch.context() as killed:
        killed.setattr(do_piece, "apply_async", lambda *args, **more: None)
        call("editor", "post", path, {"file": recording()}, format="multipart")
    assert call("reader", "get", path).json()["state"] == "making"
    go_on_with_jobs()
    assert call("reader", "get", path).json()["state"] == "ready"


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
    path = f"/api/productions/{production.pk}/source-media/"
    call("editor", "post", path, {"file": SimpleUploadedFile("ferry.mp4", made)}, format="multipart")
    assert call("reader", "get", path).json()["state"] == "ready"
    place = tmp_path / "served.mp4"
    place.write_bytes(b"".join(call("reader", "get", f"{path}source.mp4").streaming_content))
    found = probed(place)
    assert [one["codec_name"] for one in found["streams"]] == ["h264"]
    keys = [n for n, packet in enumerate(found["packets"]) if "K" in packet["flags"]]
    assert keys == list(range(0, len(found["packets"]), 15)), "a key frame each half second"


def test_so_is_a_flac_of_another_rate(production: Production, call: Call, tmp_path: Path) -> None:
    place = tmp_path / "ferry.flac"
    soundfile.write(place, np.zeros((96_000, 2), np.float32) + 0.2, 96_000)
    path = f"/api/productions/{production.pk}/source-media/"
    call("editor", "post", path, {"file": SimpleUploadedFile("ferry.flac", place.read_bytes())}, format="multipart")
    served = b"".join(call("reader", "get", f"{path}source.flac").streaming_content)
    info = soundfile.info(io.BytesIO(served))
    assert (info.samplerate, info.channels) == (48_000, 1)


def test_a_damaged_recording_is_said_and_not_made_for_ever(production: Production, call: Call, tmp_path: Path) -> None:
    place = tmp_path / "ferry.flac"
    soundfile.write(place, np.random.default_rng(3).normal(0, 0.1, 48_000).astype(np.float32), 48_000)
    data = bytearray(place.read_bytes())
    data[len(data) // 8:] = bytes(len(data) - len(data) // 8)
    path = f"/api/productions/{production.pk}/source-media/"
    answer = call("editor", "post", path, {"file": SimpleUploadedFile("ferry.flac", bytes(data))}, format="multipart")
    if answer.status_code == 202:
        told = call("reader", "get", path).json()
        assert told["state"] in ("failed", "ready")
        assert told["state"] == "ready" or told["fault"]


def test_whatever_the_sound_library_stumbles_over_is_said(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    def damaged(*_: Any) -> bytes:
        raise soundfile.LibsndfileError(2)

    monkeypatch.setattr("janoglot.timing.tasks.kept_peaks", damaged)
    path = f"/api/productions/{production.pk}/source-media/"
    call("editor", "post", path, {"file": recording()}, format="multipart")
    told = call("reader", "get", path).json()
    assert (told["state"], "cannot be read" in told["fault"]) == ("failed", True)


def test_sound_is_not_compressed_on_its_way_and_text_is(production: Production, call: Call) -> None:
    path = f"/api/productions/{production.pk}/source-media/"
    call("editor", "post", path, {"file": recording()}, format="multipart")
    sound = call("reader", "get", f"{path}source.flac", headers={"Accept-Encoding": "gzip"})
    assert "Content-Encoding" not in sound
    assert int(sound["Content-Length"]) == len(b"".join(sound.streaming_content))
    assert not sound["ETag"].startswith("W/")
    again = call("reader", "get", f"{path}source.flac", headers={"If-None-Match": sound["ETag"], "Accept-Encoding": "gzip"})
    assert again.status_code == 304
    text = call("reader", "get", f"/api/productions/{production.pk}/script.json", headers={"Accept-Encoding": "gzip"})
    assert text["Content-Encoding"] == "gzip"
