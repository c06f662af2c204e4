"""The source recording through the interface for programs."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.productions.models import Production
from janoglot.timing.models import SourceMedia
from janoglot.timing.tasks import copy_source_media, go_on_with_copies
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
        killed.setattr(copy_source_media, "apply_async", lambda *args, **more: None)
        call("editor", "post", path, {"file": recording()}, format="multipart")
    assert call("reader", "get", path).json()["state"] == "making"
    go_on_with_copies()
    assert call("reader", "get", path).json()["state"] == "ready"
