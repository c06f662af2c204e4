"""Recordings with nothing in them, or that nothing can be made of: told at once or in the end, and no others are held up."""

from __future__ import annotations

import io
import zipfile
from dataclasses import replace
from datetime import timedelta
from typing import Any

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from janoglot.core.media import ffmpeg
from janoglot.direct import guiding, recording
from janoglot.direct.recording import go_on_with_recordings
from janoglot.productions import jobs
from janoglot.productions.jobs import go_on_with_jobs
from janoglot.productions.models import Edition, GuideRead, Job, Line, LineRecording, Production, WaitingRecording
from janoglot.server import work
from tests.server.conftest import Call, edition_path


def wav(samples: int) -> bytes:
    made = io.BytesIO()
    soundfile.write(made, np.zeros(samples, np.float32), 48_000, format="WAV", subtype="PCM_16")
    return made.getvalue()


def line_of(production: Production) -> Line:
    line = Line.objects.filter(production=production).first()
    assert line is not None
    return line


def cast(call: Call, production: Production) -> str:
    path = edition_path(production)
    call("owner", "post", f"{path}castings/", {})
    return path


@pytest.mark.parametrize("samples", [0, 1, 20, 48_000])
def test_nothing_is_in_it(samples: int, production: Production, call: Call) -> None:
    """A file's head alone, a click, a second of silence: by each way, and beside one that is good."""
    path, file = cast(call, production), wav(samples)
    line = line_of(production)
    assert call("owner", "post", f"{path}recordings/", {"files": [SimpleUploadedFile("001.wav", file)]}, format="multipart").status_code < 500
    for way in ("recording", "guide"):
        answer = call("owner", "post", f"{path}lines/{line.pk}/{way}/", {"file": SimpleUploadedFile("me.wav", file)}, format="multipart")
        assert answer.status_code < 500, (way, answer.content)
    assert not Job.objects.filter(state="running").exists()
    assert not WaitingRecording.objects.filter(state=WaitingRecording.State.LISTENING).exists()
    assert not LineRecording.objects.filter(state=LineRecording.State.READING).exists()
    assert not GuideRead.objects.filter(state=GuideRead.State.READING).exists()
    for _ in range(3):
        go_on_with_recordings(None)
    assert not Job.objects.filter(state="running").exists()


def test_one_that_cannot_be_worked_with_holds_up_no_other(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    path = cast(call, production)
    true = recording.faults_of
    calls: list[int] = []

    def breaks(samples: Any, rate: int, longest: float) -> Any:
        calls.append(len(samples))
        if len(samples) < 60_000:
            raise ZeroDivisionError
        return true(samples, rate, longest)

    monkeypatch.setattr(recording, "faults_of", breaks)
    noise = 0.1 * np.random.default_rng(1).standard_normal(96_000).astype(np.float32)
    good = io.BytesIO()
    soundfile.write(good, noise, 48_000, format="WAV")
    bad = io.BytesIO()
    soundfile.write(bad, noise[:48_000], 48_000, format="WAV")
    files = [SimpleUploadedFile("001_Pilot.wav", bad.getvalue()), SimpleUploadedFile("003_Pilot.wav", good.getvalue())]
    assert call("owner", "post", f"{path}recordings/", {"files": files}, format="multipart").status_code < 300
    told = {row.name: (row.state, [one["code"] for one in row.faults]) for row in WaitingRecording.objects.all()}
    assert told["001_Pilot.wav"] == ("ready", ["unreadable"])
    assert told["003_Pilot.wav"][0] == "ready" and "unreadable" not in told["003_Pilot.wav"][1]
    assert len(calls) == 2


def test_a_job_of_recordings_that_was_given_up_is_not_begun_again(production: Production, call: Call) -> None:
    cast(call, production)
    edition, line = Edition.objects.get(production=production, language="es-MX"), line_of(production)
    LineRecording.objects.create(edition=edition, line=line, key="gone.flac", name="x", said="x", brought=timezone.now() - timedelta(minutes=5))
    job = Job.objects.create(kind="prepare", queue="sketch", production=production, edition=edition, items=[line.pk], tries=99,
                             heartbeat=timezone.now() - timedelta(minutes=5))
    go_on_with_jobs(work.STILL)
    job.refresh_from_db()
    assert job.state == "failed"
    assert LineRecording.objects.get(line=line).state == LineRecording.State.FAILED
    go_on_with_recordings(work.STILL)
    assert not Job.objects.filter(state="running").exists()


def test_a_guide_is_a_job_that_is_handed_out_again_and_has_an_end(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    """Its message was lost with the queue; then whoever has it falls, again and again: told in the end, and let be."""
    cast(call, production)
    edition = Edition.objects.get(production=production, language="es-MX")
    row = GuideRead.objects.create(edition=edition, line=line_of(production), key="gone.flac", brought=timezone.now() - timedelta(minutes=5))
    handed: list[int] = []
    monkeypatch.setattr(jobs, "hand_out", lambda task, job, number, queue: handed.append(job))
    guiding.go_on_with_guides(work.STILL)
    job = Job.objects.get(kind="guide")
    for _ in range(9):
        Job.objects.filter(pk=job.pk).update(heartbeat=timezone.now() - timedelta(minutes=5))
        go_on_with_jobs(work.STILL)
        guiding.go_on_with_guides(work.STILL)
    assert handed == [job.pk] * jobs.MOST_TRIES
    row.refresh_from_db()
    assert (row.state, [one["code"] for one in row.faults]) == ("ready", ["unreadable"])
    assert not Job.objects.filter(state="running").exists()


def test_what_is_sent_is_decoded_by_workers_alone(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    """Sixty pieces of junk, and some that only begin as recordings do: the page's server opens none of them."""
    path = cast(call, production)
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for number in range(60):
            archive.writestr(f"{number:03}.wav", b"junk " * 900 if number % 2 else b"RIFF\xff\xff\x00\x00WAVEfmt " + bytes([200]) * 2000)
    opened: list[str] = []
    in_worker: list[bool] = []
    run = ffmpeg._run
    monkeypatch.setattr(ffmpeg, "_run", lambda command, most: opened.append("worker" if in_worker else "page") or run(command, most))
    listen = recording.LISTENING.work
    work_on = lambda piece: (in_worker.append(True), listen(piece), in_worker.pop())  # noqa: E731
    monkeypatch.setattr(jobs, "_kinds", {**jobs._kinds, "listen": replace(recording.LISTENING, work=work_on)})
    answer = call("owner", "post", f"{path}recordings/", {"files": [SimpleUploadedFile("all.zip", made.getvalue())]}, format="multipart")
    assert answer.status_code == 202 and answer.json()["count"] == 30 and len(answer.json()["left"]) == 20
    assert set(opened) == {"worker"} and len(opened) == 30
    rows = WaitingRecording.objects.all()
    assert {(row.state, row.faults[0]["code"]) for row in rows} == {("ready", "unreadable")}
    assert call("owner", "post", f"{path}recordings/", {"files": [SimpleUploadedFile("a.wav", b"junk " * 90)]}, format="multipart").status_code == 400
