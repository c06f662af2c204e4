"""A change that lost a race is made once more, by itself: a few times, of what can be read again, and of nothing else."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, OperationalError
from django.http import HttpRequest, JsonResponse
from django.test import RequestFactory

from janoglot.server import once_more
from janoglot.server.once_more import LOST, OnceMore, lost_a_race


@pytest.fixture(autouse=True)
def no_pauses(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(once_more, "_PAUSE", 0.0)


def losing(times: int, seen: list[bytes]) -> Callable[[HttpRequest], Any]:
    def answer(request: HttpRequest) -> JsonResponse:
        seen.append(request.body)
        response = JsonResponse({}, status=409 if len(seen) <= times else 200)
        if len(seen) <= times:
            setattr(response, LOST, True)
        return response

    return answer


@pytest.mark.parametrize(("lost", "status", "tries"), [(0, 200, 1), (1, 200, 2), (4, 200, 5), (5, 409, 5), (99, 409, 5)])
def test_as_often_as_it_takes_and_no_oftener(lost: int, status: int, tries: int) -> None:
    seen: list[bytes] = []
    body = json.dumps({"words": "La marea"})
    response = OnceMore(losing(lost, seen))(RequestFactory().post("/api/x/", body, content_type="application/json"))
    assert (response.status_code, len(seen)) == (status, tries)
    assert set(seen) == {body.encode()}, "each time with what was sent"


def test_what_asks_only_and_what_brings_files_is_not_done_again(settings: Any) -> None:
    for request in (RequestFactory().get("/api/x/"), RequestFactory().post("/api/x/", {"file": "x"})):
        seen: list[bytes] = []
        OnceMore(losing(1, seen))(request)
        assert len(seen) == 1
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 10
    count: list[int] = []

    def lost(request: HttpRequest) -> JsonResponse:
        count.append(1)
        response = JsonResponse({}, status=409)
        setattr(response, LOST, True)
        return response

    OnceMore(lost)(RequestFactory().post("/api/x/", "x" * 100, content_type="application/json"))
    assert len(count) == 1
    # Nor is what a stranger sends at length read at all.
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 10**7
    for user, tries in ((AnonymousUser(), 2), (User(username="x"), 7)):
        large = RequestFactory().post("/api/x/", "x" * 100_000, content_type="application/json")
        large.user = user
        OnceMore(lost)(large)
        assert len(count) == tries


@pytest.mark.parametrize(("error", "lost"), [
    (OperationalError(1213, "Deadlock found"), True), (OperationalError(1205, "Lock wait timeout"), True), (IntegrityError(1062, "Duplicate"), True),
    (OperationalError(2006, "gone away"), False), (OperationalError(), False), (ValueError(), False)])
def test_what_is_a_race_and_what_is_a_service_that_is_away(error: Exception, lost: bool) -> None:
    assert lost_a_race(error) is lost
