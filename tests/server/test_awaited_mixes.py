"""A mix that is wanted once everything is finished: of what there is then, by itself, and no other before."""

from __future__ import annotations

from typing import Any

import pytest

from janoglot.editions.state import EditionState
from janoglot.mix.awaiting import mix_what_is_awaited
from janoglot.mix.models import AwaitedMix, Mix
from janoglot.productions import jobs
from janoglot.productions.models import Edition, Job, Production
from tests.server.conftest import Call, edition_path


@pytest.fixture
def voiced(production: Production, call: Call) -> str:
    path = edition_path(production)
    call("owner", "post", f"{path}castings/", {})
    call("owner", "post", f"{path}voicings/", {})
    return path


def finishing(production: Production) -> Job:
    """A job that a worker has in hand."""
    return Job.objects.create(kind="finish", queue="finish", production=production, items=[],
                              edition=Edition.objects.get(production=production, language="es-MX"))


def test_it_waits_for_what_is_being_finished(voiced: str, production: Production, call: Call, django_capture_on_commit_callbacks: Any) -> None:
    job = finishing(production)
    told = call("owner", "post", f"{voiced}mixes/", {"when": "finished"}).json()
    assert (told["state"], told["awaited"]) == ("absent", True)
    assert call("reader", "get", f"{voiced}mixes/").json()["awaited"] and not Mix.objects.exists()
    mix_what_is_awaited(None)
    assert not Mix.objects.exists(), "somebody is at it still"
    with django_capture_on_commit_callbacks(execute=True):
        jobs.end_if_done(job.pk)
    told = call("owner", "get", f"{voiced}mixes/").json()
    assert (told["state"], told["awaited"], told["sketches"]) == ("ready", False, 3)
    assert told["recipe"] == EditionState.load(Edition.objects.get(production=production, language="es-MX")).mix_recipe


def test_where_nothing_is_being_made_it_is_begun_at_once(voiced: str, call: Call) -> None:
    told = call("owner", "post", f"{voiced}mixes/", {"when": "finished"}).json()
    assert not told["awaited"]
    assert call("owner", "get", f"{voiced}mixes/").json()["state"] == "ready"


@pytest.mark.parametrize("how", ["stopped", "failed"])
def test_a_job_that_came_to_nothing_is_not_waited_for(how: str, voiced: str, production: Production, call: Call,
                                                      django_capture_on_commit_callbacks: Any) -> None:
    job = finishing(production)
    call("owner", "post", f"{voiced}mixes/", {"when": "finished"})
    with django_capture_on_commit_callbacks(execute=True):
        if how == "failed":
            jobs._fail(job.pk, "It fell.")
        else:
            jobs.stop(job)
            mix_what_is_awaited(None)
    assert call("owner", "get", f"{voiced}mixes/").json()["state"] == "ready" and not AwaitedMix.objects.exists()


def test_one_may_not_want_it_any_more(voiced: str, production: Production, call: Call) -> None:
    job = finishing(production)
    call("owner", "post", f"{voiced}mixes/", {"when": "finished"})
    assert call("owner", "delete", f"{voiced}mixes/").status_code == 204
    jobs.end_if_done(job.pk)
    mix_what_is_awaited(None)
    assert not Mix.objects.exists()


def test_an_edition_that_is_taken_out_takes_it_along(voiced: str, production: Production, call: Call) -> None:
    finishing(production)
    call("owner", "post", f"{voiced}mixes/", {"when": "finished"})
    assert call("owner", "delete", f"{voiced}removal/").status_code == 204
    mix_what_is_awaited(None)
    assert call("owner", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
