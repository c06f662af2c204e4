"""Jobs end whatever becomes of their lines, and none is lost with a message, a worker, a database or a queue."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from celery import Task
from celery.exceptions import Retry
from django.db import OperationalError
from django.utils import timezone
from redis.exceptions import ConnectionError as RedisAway

from janoglot.direct import tasks
from janoglot.mix.models import Mix
from janoglot.productions import jobs
from janoglot.productions.jobs import MOST_TRIES, do_piece, go_on_with_jobs
from janoglot.productions.models import Job, Line, Production, Speaker, Wording
from janoglot.server import work
from tests.server.conftest import Call, content, edition_path, handed, lines


@pytest.fixture
def waiting(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> Job:
    """A job whose messages nobody has taken yet, a line a piece."""
    call("owner", "post", f"{edition_path(production)}castings/", {})
    with monkeypatch.context() as patch:
        patch.setattr(Task, "apply_async", lambda *_, **__: None)
        made = call("owner", "post", f"{edition_path(production)}voicings/", {}).json()
    Job.objects.filter(pk=made["id"]).update(piece_size=1)
    return Job.objects.get(pk=made["id"])


def shorten(call: Call, production: Production, line: int) -> None:
    call("editor", "put", f"{edition_path(production)}wordings/{line}/", {"text": "No.", "revision": 1})


def empty(call: Call, production: Production, line: int) -> None:
    call("editor", "put", f"{edition_path(production)}wordings/{line}/", {"text": "", "revision": 1})


def remove(call: Call, production: Production, line: int) -> None:
    call("editor", "post", f"/api/productions/{production.pk}/script/remove/?after=0", {"lines": [line]})


def split(call: Call, production: Production, line: int) -> None:
    words = Wording.objects.get(line=line, edition__language="en-GB").text
    assert call("editor", "post", f"/api/lines/{line}/split/?after=0", {"text": words, "at": 8, "revision": 1}).status_code == 200


def join(call: Call, production: Production, line: int) -> None:
    assert call("editor", "post", f"/api/lines/{line}/join/?after=0", {}).status_code == 200


def recast(call: Call, production: Production, line: int) -> None:
    speaker = Line.objects.get(pk=line).speaker_id
    call("editor", "put", f"{edition_path(production)}castings/{speaker}/", {"pace": 1.1})


def uncast(call: Call, production: Production, line: int) -> None:
    Speaker.objects.get(pk=Line.objects.get(pk=line).speaker_id).castings.all().delete()


def on_screen(call: Call, production: Production, line: int) -> None:
    call("editor", "post", f"/api/productions/{production.pk}/script/mark/?after=0", {"lines": [line], "kind": "on_screen"})


EDITS: list[Callable[[Call, Production, int], None]] = [shorten, empty, remove, split, join, recast, uncast, on_screen]


class TestEveryEdit:
    @pytest.mark.parametrize("edit", EDITS)
    @pytest.mark.parametrize("pieces_before", [0, 1, 2])
    def test_a_job_ends_under_it(self, edit: Callable[[Call, Production, int], None], pieces_before: int,
                                 production: Production, call: Call, waiting: Job) -> None:
        ids = list(Line.objects.filter(production=production).values_list("id", flat=True))
        for number in range(pieces_before):
            do_piece(waiting.pk, number)
        edit(call, production, ids[1])
        for number in range(pieces_before, 3):
            do_piece(waiting.pk, number)
        job = call("reader", "get", f"/api/jobs/{waiting.pk}/").json()
        assert (job["state"], job["done"]) == ("done", 3)

    @pytest.mark.parametrize("edit", EDITS)
    def test_so_does_finishing(self, edit: Callable[[Call, Production, int], None], production: Production, call: Call,
                               monkeypatch: pytest.MonkeyPatch) -> None:
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        call("owner", "post", f"{path}voicings/", {})
        with monkeypatch.context() as patch:
            patch.setattr(Task, "apply_async", lambda *_, **__: None)
            made = call("owner", "post", f"{path}voicings/", {"kind": "finish"}).json()
        edit(call, production, list(Line.objects.filter(production=production).values_list("id", flat=True))[1])
        job = Job.objects.get(pk=made["id"])
        for number in job.pieces:
            do_piece(job.pk, number)
        job.refresh_from_db()
        assert job.state == "done"


class TestRedelivery:
    def test_a_piece_twice_is_once(self, waiting: Job, monkeypatch: pytest.MonkeyPatch) -> None:
        made: list[str] = []
        real = tasks.make_take
        monkeypatch.setattr(tasks, "make_take", lambda recipe, store: made.append(recipe.words) or real(recipe, store))
        for number in (0, 0, 1, 0, 2, 2):
            do_piece(waiting.pk, number)
        waiting.refresh_from_db()
        assert (waiting.state, sorted(waiting.pieces_done), len(made)) == ("done", [0, 1, 2], 3)

    def test_what_nobody_has_in_hand_is_handed_out_again(self, waiting: Job) -> None:
        do_piece(waiting.pk, 0)
        go_on_with_jobs(work.STILL)
        waiting.refresh_from_db()
        assert waiting.state == "running", "it was beaten just now"
        Job.objects.update(heartbeat=timezone.now() - 2 * work.STILL)
        go_on_with_jobs(work.STILL)
        waiting.refresh_from_db()
        assert waiting.state == "done"

    def test_what_waits_in_the_queue_is_left_there(self, waiting: Job, monkeypatch: pytest.MonkeyPatch) -> None:
        Job.objects.update(heartbeat=timezone.now() - 2 * work.STILL)
        monkeypatch.setattr(jobs, "nothing_waits", lambda queue: queue != work.SKETCH)
        go_on_with_jobs(work.STILL)
        waiting.refresh_from_db()
        assert waiting.pieces_done == []

    def test_the_last_piece_done_and_its_end_untold(self, waiting: Job, monkeypatch: pytest.MonkeyPatch) -> None:
        with monkeypatch.context() as patch:
            patch.setattr(jobs, "end_if_done", lambda _: None)
            for number in range(3):
                do_piece(waiting.pk, number)
        assert Job.objects.get(pk=waiting.pk).state == "running"
        go_on_with_jobs(timedelta())
        assert Job.objects.get(pk=waiting.pk).state == "done"

    def test_asking_how_far_changes_nothing(self, waiting: Job, call: Call) -> None:
        Job.objects.filter(pk=waiting.pk).update(pieces_done=[0, 1, 2])
        before = Job.objects.filter(pk=waiting.pk).values().get()
        call("reader", "get", f"/api/jobs/{waiting.pk}/")
        assert Job.objects.filter(pk=waiting.pk).values().get() == before


class TestAway:
    def test_a_database_that_is_away_has_the_task_tried_again(self, waiting: Job, monkeypatch: pytest.MonkeyPatch) -> None:
        def away(*_: Any) -> None:
            raise OperationalError(2006, "MySQL server has gone away")

        monkeypatch.setattr(jobs, "_taken_up", away)
        monkeypatch.setattr(do_piece, "retry", lambda *_, **given: Retry(exc=given.get("exc")))
        with pytest.raises(Retry):
            do_piece.apply((waiting.pk, 0), throw=True).get()

    @pytest.mark.parametrize("error", work.AWAY)
    def test_everything_in_the_background_is_tried_again(self, error: type[Exception]) -> None:
        from janoglot.editions.tasks import hear_recipe

        for task in (do_piece, hear_recipe):
            assert error in task.autoretry_for
            assert task.max_retries is None

    @pytest.mark.parametrize("body", [{}, {"kind": "finish"}])
    def test_without_the_queue_nothing_is_begun(self, body: Any, production: Production, call: Call,
                                                monkeypatch: pytest.MonkeyPatch) -> None:
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        monkeypatch.setattr(work, "_client", _Away())
        began = time.monotonic()
        answer = call("owner", "post", f"{path}voicings/", body)
        assert (answer.status_code, answer.json()["code"]) == (503, "away")
        assert time.monotonic() - began < 3
        assert not Job.objects.exists()

    def test_nor_is_a_mix_or_a_recording(self, production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        call("owner", "post", f"{path}voicings/", {})
        monkeypatch.setattr(work, "_client", _Away())
        assert call("owner", "post", f"{path}mixes/", {}).status_code == 503
        assert not Mix.objects.exists()
        assert call("owner", "post", f"/api/productions/{production.pk}/media/", {}, format="multipart").status_code == 503

    def test_a_queue_that_goes_just_then_loses_nothing(self, production: Production, call: Call,
                                                       monkeypatch: pytest.MonkeyPatch) -> None:
        def away(*_: Any, **__: Any) -> None:
            raise RedisAway("gone")

        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        with monkeypatch.context() as patch:
            patch.setattr(Task, "apply_async", away)
            assert call("owner", "post", f"{path}voicings/", {}).status_code == 202
        Job.objects.update(heartbeat=timezone.now() - 2 * work.STILL)
        go_on_with_jobs(work.STILL)
        assert Job.objects.get().state == "done"


class TestNoneForEver:
    def test_what_never_gets_any_further_has_failed(self, waiting: Job, monkeypatch: pytest.MonkeyPatch, call: Call) -> None:
        """As when a worker is killed at it each time."""
        monkeypatch.setattr(Task, "apply_async", lambda *_, **__: None)
        for tries in range(1, MOST_TRIES + 2):
            Job.objects.update(heartbeat=timezone.now() - 2 * work.STILL)
            go_on_with_jobs(work.STILL)
            waiting.refresh_from_db()
            assert waiting.state == ("running" if tries <= MOST_TRIES else "failed")
        told = call("reader", "get", f"/api/jobs/{waiting.pk}/").json()
        assert "never got any further" in told["fault"]
        do_piece(waiting.pk, 0)
        assert Job.objects.get(pk=waiting.pk).pieces_done == []

    def test_getting_further_counts_anew(self, waiting: Job, monkeypatch: pytest.MonkeyPatch) -> None:
        Job.objects.update(tries=MOST_TRIES)
        do_piece(waiting.pk, 1)
        waiting.refresh_from_db()
        assert waiting.tries == 0

    def test_a_piece_that_takes_too_long_ends_it(self, waiting: Job, monkeypatch: pytest.MonkeyPatch) -> None:
        from celery.exceptions import SoftTimeLimitExceeded

        def too_long(piece: jobs.Piece) -> None:
            raise SoftTimeLimitExceeded

        monkeypatch.setitem(jobs._kinds, "take", jobs.JobKind("take", too_long))
        do_piece(waiting.pk, 0)
        waiting.refresh_from_db()
        assert waiting.state == "failed"
        assert "60 minutes" in waiting.fault

    def test_messages_wait_longer_than_any_task_can_be(self, settings: Any) -> None:
        assert settings.CELERY_TASK_SOFT_TIME_LIMIT < settings.CELERY_TASK_TIME_LIMIT
        assert settings.CELERY_BROKER_TRANSPORT_OPTIONS["visibility_timeout"] > settings.CELERY_TASK_TIME_LIMIT


class TestStopping:
    def test_what_is_done_stays_done(self, waiting: Job, call: Call, production: Production) -> None:
        do_piece(waiting.pk, 0)
        assert call("reader", "delete", f"/api/jobs/{waiting.pk}/").status_code == 403
        assert call("editor", "delete", f"/api/jobs/{waiting.pk}/").json()["state"] == "stopped"
        do_piece(waiting.pk, 1)
        waiting.refresh_from_db()
        assert (waiting.state, waiting.pieces_done) == ("stopped", [0])
        states = [line["state"] for line in lines(call, production)]
        assert states == ["current", "unvoiced", "unvoiced"]

    def test_one_view_of_all_that_runs(self, waiting: Job, call: Call, production: Production) -> None:
        Job.objects.create(kind="draft", queue="bulk", production=production, items=[1, 2], edition=waiting.edition)
        told = call("reader", "get", f"/api/productions/{production.pk}/jobs/").json()
        assert [(one["kind"], one["language"], one["total"], one["by"]) for one in told] == [
            ("draft", "es-MX", 2, None), ("take", "es-MX", 3, "owner")]
        assert call("stranger", "get", f"/api/productions/{production.pk}/jobs/").status_code == 404
        assert call("stranger", "get", f"/api/jobs/{waiting.pk}/").status_code == 404


class _Away:
    def ping(self) -> None:
        raise RedisAway("gone")


class TestMixes:
    @pytest.fixture
    def asked(self, production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> Mix:
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        call("owner", "post", f"{path}voicings/", {})
        with monkeypatch.context() as patch:
            patch.setattr(Task, "apply_async", lambda *_, **__: None)
            call("reader", "post", f"{path}mixes/", {})
        return Mix.objects.get()

    def test_one_that_was_asked_for_is_made_though_the_edition_moves_on(self, asked: Mix, production: Production,
                                                                        call: Call) -> None:
        path = edition_path(production)
        call("owner", "post", f"{path}voicings/", {"kind": "finish"})
        shorten(call, production, lines(call, production)[0]["id"])
        do_piece(Job.objects.get(kind="mix").pk, 0)
        told = call("reader", "get", f"{path}mixes/{asked.recipe}/").json()
        assert told["state"] == "ready"
        assert call("reader", "get", f"{path}mixes/{asked.recipe}/sound.wav").status_code == 200
        assert call("reader", "get", f"{path}mixes/").json()["recipe"] != asked.recipe

    def test_just_what_was_shown_can_be_had(self, asked: Mix, production: Production, call: Call) -> None:
        path = edition_path(production)
        do_piece(Job.objects.get(kind="mix").pk, 0)
        pilot = Speaker.objects.get(production=production, name="Pilot").pk
        call("owner", "post", f"{path}voicings/", {"kind": "finish"})
        shorten(call, production, lines(call, production)[0]["id"])
        assert handed(call, path, "mix.wav").status_code == 400
        for file in ("mix.wav", "captions.srt"):
            answer = handed(call, path, file, sketch=True, mix=asked.recipe)
            assert answer.status_code == 200, file
        assert b"La marea est" in content(handed(call, path, "captions.srt", mix=asked.recipe))
        assert handed(call, path, "mix.wav", mix=asked.recipe).status_code == 400, "sketches are asked for"
        assert handed(call, path, "mix.wav", who="stranger", mix=asked.recipe).status_code == 404
        call("owner", "patch", f"/api/speakers/{pilot}/", {"name": "The Pilot"})
        zipped = content(handed(call, path, "clips.zip", sketch=True, mix=asked.recipe))
        assert b"The-Pilot" in zipped
        assert b"001_Pilot" not in zipped

    def test_a_lost_one_is_made_all_the_same(self, asked: Mix) -> None:
        Job.objects.update(heartbeat=timezone.now() - 2 * work.STILL)
        go_on_with_jobs(work.STILL)
        asked.refresh_from_db()
        assert asked.report

    def test_a_long_one_does_not_pass_for_dead(self, asked: Mix, call: Call, production: Production,
                                               monkeypatch: pytest.MonkeyPatch) -> None:
        Mix.objects.update(asked=timezone.now() - timedelta(hours=1))
        Job.objects.update(created=timezone.now() - timedelta(hours=1), heartbeat=timezone.now())
        begun: list[int] = []
        monkeypatch.setattr(do_piece, "apply_async", lambda arguments, **_: begun.append(arguments[0]))
        call("reader", "post", f"{edition_path(production)}mixes/", {})
        go_on_with_jobs(work.STILL)
        assert begun == []


@pytest.mark.django_db(transaction=True)
def test_the_heart_beats_as_long_as_it_takes(production: Production, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(work, "BEAT", 0.05)
    edition = production.editions.first()
    assert edition is not None
    job = Job.objects.create(edition=edition, kind="take", queue="now", heartbeat=timezone.now() - timedelta(hours=1))
    over = threading.Event()
    with work.in_hand(Job, job.pk):
        until = time.monotonic() + 10
        while not over.is_set() and time.monotonic() < until:
            job.refresh_from_db()
            assert job.heartbeat is not None
            if timezone.now() - job.heartbeat < timedelta(seconds=5):
                over.set()
    assert over.is_set()


def test_why_something_waits_is_told(waiting: Job, production: Production, call: Call) -> None:
    """What is more urgent, and what is as urgent and older, are before it; what has begun is behind nothing."""
    path = f"/api/jobs/{waiting.pk}/"
    count = len(waiting.items)
    assert call("owner", "get", path).json()["ahead"] is None
    other = Production.objects.create(name="Elsewhere", source_language="en-GB", created_by=production.created_by)
    younger = Job.objects.create(kind="take", queue=waiting.queue, items=[1, 2], production=other)
    assert call("owner", "get", path).json()["ahead"] is None, "that is behind it"
    mixing = Job.objects.create(kind="mix", queue=work.BULK, items=["mix"], production=production)
    assert call("owner", "get", f"/api/jobs/{mixing.pk}/").json()["ahead"] == {"lines": count + 2, "elsewhere": False}
    Job.objects.filter(pk=waiting.pk).update(pieces_done=[0])
    assert call("owner", "get", f"/api/jobs/{mixing.pk}/").json()["ahead"] == {"lines": count + 1, "elsewhere": False}
    Job.objects.filter(pk=waiting.pk).update(state="done")
    assert call("owner", "get", f"/api/jobs/{mixing.pk}/").json()["ahead"] == {"lines": 2, "elsewhere": True}
    Job.objects.filter(pk=younger.pk).update(kind="measure", queue=work.FINISH)
    assert call("owner", "get", f"/api/jobs/{mixing.pk}/").json()["ahead"] is None, "less urgent"
    Job.objects.filter(pk=younger.pk).update(queue=work.SOON)
    assert call("owner", "get", f"/api/jobs/{mixing.pk}/").json()["ahead"] == {"lines": 0, "elsewhere": True}
    Job.objects.filter(pk=mixing.pk).update(begun=timezone.now())
    assert call("owner", "get", f"/api/jobs/{mixing.pk}/").json()["ahead"] is None
