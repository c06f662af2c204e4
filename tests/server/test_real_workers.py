"""Jobs with Celery really running: workers that are killed in the middle, two at the same job, messages that come twice."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from django.contrib.auth.models import User
from django.utils import timezone

from janoglot.core.script.formats import read_script
from janoglot.productions.actions.create_production import create_production
from janoglot.productions.jobs import do_piece, go_on_with_jobs
from janoglot.productions.models import Job, Production, Speaker, Take
from janoglot.server import work
from janoglot.server.celery import app
from tests.server.conftest import Call, Workers, edition_path, kill, until
from tests.server.test_media import recording

LINES = 60
@pytest.fixture
def long(transactional_db: None) -> Production:
    user = User.objects.create_user("owner", password="a long enough password")
    rows = ["speaker\ten-GB\tes-MX"] + [f"{('Pilot', 'Cook')[n % 2]}\tThe tide turns in room {n}.\t" for n in range(LINES)]
    return create_production(user, "Long", read_script("\n".join(rows), "long.tsv"), "en-GB")


def cast(call: Call, production: Production) -> str:
    path = edition_path(production, "en-GB")
    for speaker, voice in zip(Speaker.objects.filter(production=production), ("curlew", "rook"), strict=True):
        assert call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": voice}).status_code == 200
    return path


def take(call: Call, production: Production) -> None:
    call("owner", "post", f"{cast(call, production)}voicings/", {})


def draft(call: Call, production: Production) -> None:
    call("owner", "post", f"{edition_path(production, 'es-MX')}drafts/", {})


def measure(call: Call, production: Production) -> None:
    # Voices of languages that few ask for come unmeasured.
    call("owner", "post", f"/api/productions/{production.pk}/editions/", {"language": "cy"})
    assert call("owner", "post", f"{edition_path(production, 'cy')}measures/", {}).status_code == 202


def copy(call: Call, production: Production) -> None:
    call("owner", "post", f"/api/productions/{production.pk}/media/", {"file": recording()}, format="multipart")


def mix(call: Call, production: Production) -> None:
    path = cast(call, production)
    app.conf.task_always_eager = True
    call("owner", "post", f"{path}voicings/", {})
    app.conf.task_always_eager = False
    assert call("owner", "post", f"{path}mixes/", {}).status_code == 202


def deliver(call: Call, production: Production) -> None:
    mix(call, production)
    job = Job.objects.get(kind="mix")
    do_piece(job.pk, 0)
    answer = call("owner", "post", f"{edition_path(production, 'en-GB')}files/", {"file": "mix.mp3", "sketch": True})
    assert answer.status_code == 202, answer.json()


@pytest.mark.parametrize("begin", [take, draft, measure, copy, mix, deliver], ids=lambda begin: begin.__name__)
def test_a_worker_killed_in_the_middle_of_it(begin: Callable[[Call, Production], None], workers: Workers, long: Production,
                                             call: Call) -> None:
    begin(call, long)
    job = Job.objects.filter(state="running").get()
    first = workers()
    until(lambda: Job.objects.get(pk=job.pk).begun is not None)
    kill(first)
    job.refresh_from_db()
    # Its messages went with it.
    app.control.purge()
    Job.objects.filter(pk=job.pk).update(heartbeat=timezone.now() - 2 * work.STILL)
    workers()
    if job.state == "running":
        go_on_with_jobs(work.STILL)
    until(lambda: Job.objects.get(pk=job.pk).state != "running")
    job.refresh_from_db()
    assert (job.state, job.faults, job.items_done) == ("done", {}, len(job.items))


def test_two_workers_and_every_message_twice(workers: Workers, long: Production, call: Call) -> None:
    take(call, long)
    job = Job.objects.get()
    for number in (*job.pieces, *job.pieces):
        do_piece.apply_async((job.pk, number), queue=job.queue)
    workers()
    workers()
    until(lambda: Job.objects.get(pk=job.pk).state == "done")
    job.refresh_from_db()
    assert sorted(job.pieces_done) == list(job.pieces)
    assert Take.objects.count() == LINES
    assert job.faults == {}
    # Nothing is left of the messages that came too late.
    until(lambda: all(work.nothing_waits(queue) for queue in work.QUEUES))
    assert Job.objects.count() == 1
    assert {line["state"] for line in call("owner", "get", edition_path(long, "en-GB")).json()["lines"]} == {"current"}
