"""Sketches, and the rich voices that are finished behind them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from celery import Task
from celery.signals import worker_ready

from janoglot.direct import tasks
from janoglot.productions.jobs import do_piece, go_on_with_jobs
from janoglot.productions.models import Job, Production, Sound, Speaker, Take, Wording
from janoglot.server import storage
from tests.server.conftest import Call, edition_path, handed, lines
from tests.server.test_making import cast_and_voice


@pytest.fixture
def finished(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The words of every line that is really finished, in order."""
    words: list[str] = []
    real = tasks.make_rendition

    def noted(recipe: Any, seconds: float, natural: float, store: Any) -> str:
        words.append(recipe.words)
        return real(recipe, seconds, natural, store)

    monkeypatch.setattr(tasks, "make_rendition", noted)
    return words


def qualities(call: Call, production: Production) -> list[str | None]:
    return [line["quality"] for line in lines(call, production)]


def test_a_sketch_stands_at_the_length_of_what_comes_after_it(production: Production, call: Call) -> None:
    path = cast_and_voice(call, production)
    assert qualities(call, production) == ["sketch"] * 3
    counts = call("owner", "get", path).json()["edition"]["counts"]
    assert (counts["current"], counts["sketch"]) == (3, 3)
    before = [(line["start"], line["seconds"], line["marks"]) for line in lines(call, production)]
    first = call("owner", "post", f"{path}mixes/", {}).json()["recipe"]
    call("owner", "post", f"{path}voicings/", {"kind": "finish"})
    assert qualities(call, production) == ["finish"] * 3
    assert [(line["start"], line["seconds"], line["marks"]) for line in lines(call, production)] == before
    assert Take.objects.count() == 3
    assert call("owner", "post", f"{path}mixes/", {}).json()["recipe"] != first
    for sound in Sound.objects.all():
        assert storage.takes().has(sound.key)


def test_the_longest_is_finished_first_and_nothing_twice(production: Production, call: Call,
                                                         finished: list[str]) -> None:
    path = cast_and_voice(call, production)
    job = call("owner", "post", f"{path}voicings/", {"kind": "finish"}).json()
    assert (job["kind"], job["total"]) == ("finish", 3)
    natural = {line["words"]: line["natural"] for line in lines(call, production)}
    assert finished == sorted(natural, key=lambda words: -natural[words])
    done = call("reader", "get", f"/api/jobs/{job['id']}/").json()
    assert (done["state"], done["done"]) == ("done", 3)
    answer = call("owner", "post", f"{path}voicings/", {"kind": "finish"})
    assert answer.status_code == 400
    assert "Nothing is left to finish" in answer.json()["message"]
    line = lines(call, production)[1]
    call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "La sopa espera.", "revision": line["revision"]})
    call("owner", "post", f"{path}voicings/", {})
    assert qualities(call, production) == ["finish", "sketch", "finish"]
    call("owner", "post", f"{path}voicings/", {"kind": "finish", "lines": [line["id"]]})
    assert finished[3:] == ["La sopa espera."]


def test_voicing_has_the_rest_finished_behind_it(production: Production, call: Call, settings: Any) -> None:
    settings.FINISH_BEHIND = True
    cast_and_voice(call, production)
    assert qualities(call, production) == ["finish"] * 3
    assert list(Job.objects.order_by("id").values_list("kind", "state")) == [("take", "done"), ("finish", "done")]


def test_finishing_goes_on_after_a_worker_died(production: Production, call: Call, finished: list[str],
                                               monkeypatch: pytest.MonkeyPatch,
                                               django_capture_on_commit_callbacks: Any) -> None:
    path = cast_and_voice(call, production)
    with monkeypatch.context() as patch:
        patch.setattr(Task, "apply_async", lambda *_, **__: None)
        job = call("owner", "post", f"{path}voicings/", {"kind": "finish"}).json()
        again = call("owner", "post", f"{path}voicings/", {"kind": "finish"}).json()
        assert again["id"] == job["id"]
    row = Job.objects.get(pk=job["id"])
    Job.objects.filter(pk=row.pk).update(piece_size=1)
    do_piece(row.pk, 0)
    half = call("reader", "get", f"/api/jobs/{row.pk}/").json()
    assert (half["done"], half["state"]) == (1, "running")
    assert half["seconds_left"] is not None
    # The worker dies here, with two lines in hand; the next one takes up what is left.
    with django_capture_on_commit_callbacks(execute=True):
        go_on_with_jobs()
    assert qualities(call, production) == ["finish"] * 3
    assert len(finished) == 3
    assert list(Job.objects.filter(kind="finish").values_list("state", flat=True)) == ["done"]


def test_a_delivery_of_sketches_says_so_and_asks(production: Production, call: Call) -> None:
    path = cast_and_voice(call, production)
    call("owner", "post", f"{path}mixes/", {})
    row = next(r for r in call("owner", "get", f"/api/productions/{production.pk}/deliveries/").json()
               if r["language"] == "es-MX")
    assert len(row["sketches"]) == 3
    assert not row["finishing"]
    for file in ("mix.wav", "clips.zip"):
        refused = handed(call, path, file)
        assert refused.status_code == 400
        assert "3 lines are sketches" in refused.json()["message"]
        given = handed(call, path, file, sketch=True)
        assert "The-Night-Ferry_es-MX_sketch." in given["Content-Disposition"]
    assert handed(call, path, "captions.srt").status_code == 200


def test_a_line_out_of_date_is_played_as_it_was_kept(production: Production, call: Call) -> None:
    path = cast_and_voice(call, production)
    line = lines(call, production)[0]
    call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "Otra cosa.", "revision": line["revision"]})
    assert call("owner", "get", f"{path}lines/{line['id']}/take.wav").status_code == 200
    assert call("owner", "post", f"{path}mixes/", {}).status_code == 202
    assert call("owner", "get", f"{path}mixes/").json()["state"] == "ready"
    # With the old words back, what was played meanwhile does not pass for the finished sound.
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert qualities(call, production) == ["sketch"] * 3
    take = Take.objects.get(hash=Wording.objects.get(line_id=line["id"], edition__language="es-MX").take_id)
    assert not storage.takes().has(f"{take.hash}.wav")


def test_a_light_voice_has_no_sketch(production: Production, call: Call) -> None:
    path = edition_path(production)
    for speaker in Speaker.objects.filter(production=production):
        call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": "quetzal"})
    call("owner", "post", f"{path}voicings/", {})
    assert qualities(call, production) == ["finish"] * 3
    assert call("owner", "post", f"{path}voicings/", {"kind": "finish"}).status_code == 400


def test_readers_may_not_have_lines_finished(production: Production, call: Call) -> None:
    path = cast_and_voice(call, production)
    assert call("reader", "post", f"{path}voicings/", {"kind": "finish"}).status_code == 403


@pytest.mark.parametrize(("name", "goes_on"), [(None, True), ("worker", True), ("now", False), ("helper", False)])
def test_one_worker_alone_goes_on_with_what_was_in_hand(name: str | None, goes_on: bool, tmp_path: Path,
                                                        monkeypatch: pytest.MonkeyPatch) -> None:
    begun: list[object] = []
    monkeypatch.setattr("janoglot.server.work.CHORES", [begun.append])
    monkeypatch.setattr("janoglot.server.work.look_after", lambda *_: None)
    if name is None:
        monkeypatch.delenv("JANOGLOT_WORKER", raising=False)
    else:
        monkeypatch.setenv("JANOGLOT_WORKER", name)
    monkeypatch.setenv("JANOGLOT_WORKER_READY", str(tmp_path / "ready"))
    worker_ready.send(sender=None)
    assert begun == ([None] if goes_on else [])
    # Whoever starts it learns that it is there in either case.
    assert (tmp_path / "ready").exists()
