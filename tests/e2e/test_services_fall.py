"""Services killed two at once, the database and the queue away for a while in the middle of the work, the page with no server:
all ends by itself, and nothing is lost."""

from __future__ import annotations

import itertools
import os
import re
import signal
import socket
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, Playwright, expect

from janoglot.launcher.services import Supervisor
from janoglot.launcher.stack import Stack
from tests.e2e.conftest import open_production, stack_of

LINES = 160
HEARTBEAT = 4.0
"""Seconds, of the services here: what is lost is missed the sooner."""
PATIENCE = 8
"""Seconds that a statement may take here."""
_houses = itertools.count(1)


def script() -> str:
    """Words that nobody has voiced before, so that there is something to do."""
    house = next(_houses)
    return "speaker\ten-GB\tes-MX\n" + "".join(
        f"{'Keeper' if n % 2 else 'Imka'}\tUnder room {n} of house {house} the water turned."
        f"\tBajo el cuarto {n} de la casa {house} el agua cambió de rumbo.\n" for n in range(LINES))


class Person:
    """Somebody who works with it through its interface for programs, and asks again where it is away."""

    def __init__(self, playwright: Playwright, stack: Stack) -> None:
        self._request = playwright.request.new_context(base_url=stack.address)
        self._request.get("/")
        self.call("post", "/api/session/demo/")

    def call(self, method: str, path: str, body: Any = None) -> Any:
        token = next((c["value"] for c in self._request.storage_state()["cookies"] if c["name"] == "csrftoken"), "")
        answer = getattr(self._request, method)(path, headers={"X-CSRFToken": token}, **({} if body is None else {"data": body}))
        assert answer.status < 500 or answer.status == 503, (path, answer.status, answer.text()[:300])
        return answer

    def settled(self, look: Callable[[], bool], supervisor: Supervisor, most: float = 180.0) -> None:
        """Wait until ``look`` is true, the services looked after meanwhile."""
        until = time.monotonic() + most
        while True:
            supervisor.look()
            try:
                if look():
                    return
            except Exception as error:  # the web server itself may be away
                if isinstance(error, AssertionError):
                    raise
            assert time.monotonic() < until, "it did not end by itself"
            time.sleep(0.25)


@pytest.fixture(scope="module")
def stack(prepared: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    with stack_of(prepared, tmp_path_factory.mktemp("var") / "of", JANOGLOT_HEARTBEAT=str(HEARTBEAT),
                  JANOGLOT_DATABASE_PATIENCE=str(PATIENCE)) as running:
        yield running


@pytest.fixture(scope="module")
def person(playwright: Playwright, stack: Stack) -> Person:
    return Person(playwright, stack)


def voicing(person: Person, name: str) -> tuple[str, Callable[[], dict[str, Any]]]:
    """A production that is just being voiced: the edition's address, and how its job stands."""
    draft = person.call("post", "/api/imports/", {"text": script()}).json()["draft"]
    production = person.call("post", f"/api/imports/{draft}/production/", {"name": name}).json()["id"]
    path = f"/api/productions/{production}/editions/es-MX/"
    assert person.call("post", f"{path}castings/", {}).status == 200
    job = person.call("post", f"{path}voicings/", {}).json()["id"]

    def told() -> dict[str, Any]:
        answer = person.call("get", f"/api/jobs/{job}/")
        found: dict[str, Any] = answer.json() if answer.ok else {"state": "away", "done": 0}
        return found

    return path, told


def ended_well(person: Person, path: str, told: Callable[[], dict[str, Any]], supervisor: Supervisor) -> None:
    person.settled(lambda: told()["state"] == "done", supervisor)
    lines = person.call("get", path).json()["lines"]
    assert len(lines) == LINES
    assert {line["state"] for line in lines} == {"current"}
    assert told()["done"] == LINES


PAIRS = list(itertools.combinations(("mariadb", "redis", "worker", "now", "web"), 2))
TWICE = list(zip(PAIRS[::2], PAIRS[1::2], strict=True))


@pytest.mark.parametrize("pairs", TWICE, ids=lambda pairs: " then ".join("-".join(pair) for pair in pairs))
def test_two_services_killed_at_once_and_two_more(pairs: tuple[tuple[str, str], ...], stack: Stack, person: Person) -> None:
    """In the middle of one and the same voicing."""
    said: list[str] = []
    supervisor = Supervisor(list(stack.services.values()), said.append)
    path, told = voicing(person, f"Killed {pairs}")
    for number, pair in enumerate(pairs):
        person.settled(lambda least=8 + 60 * number: told()["done"] >= least, supervisor)
        assert told()["done"] < LINES, "there is nothing left to be interrupted"
        for name in pair:
            process = stack.services[name].process
            assert process is not None
            process.send_signal(signal.SIGKILL)
        for name in pair:
            stack.services[name].process.wait()  # type: ignore[union-attr]
        person.settled(lambda: all(one.up for one in supervisor.watched.values()), supervisor)
        for name in pair:
            assert f"{name} is back." in said
        said.clear()
    ended_well(person, path, told, supervisor)


@pytest.mark.parametrize("name", ["mariadb", "redis"])
def test_away_for_a_while_in_the_middle_of_voicing(name: str, stack: Stack, person: Person) -> None:
    supervisor = Supervisor([one for one in stack.services.values() if one.name != name], lambda _: None)
    service = stack.services[name]
    path, told = voicing(person, f"Without {name}")
    person.settled(lambda: told()["done"] >= 8, supervisor)
    assert service.process is not None
    service.process.send_signal(signal.SIGKILL)
    service.process.wait()
    began = time.monotonic()
    asked = person.call("post", f"{path}mixes/")
    assert (asked.status, re.search("tried again|try again|in a moment", asked.json()["message"]) is not None) == (503, True)
    assert time.monotonic() - began < 5, "who asks is told at once"
    # Longer than a heartbeat may stand.
    while time.monotonic() - began < 4 * HEARTBEAT:
        supervisor.look()
        time.sleep(0.5)
    service.start()
    ended_well(person, path, told, Supervisor(list(stack.services.values()), lambda _: None))
    # And everything goes on: a mix is made of it.
    recipe = person.call("post", f"{path}mixes/").json()["recipe"]
    person.settled(lambda: person.call("get", f"{path}mixes/{recipe}/").json()["state"] == "ready", supervisor)


def test_a_database_that_stands_still_is_one_that_is_away(stack: Stack, person: Person) -> None:
    path, told = voicing(person, "Standing still")
    process = stack.services["mariadb"].process
    assert process is not None
    process.send_signal(signal.SIGSTOP)
    try:
        began = time.monotonic()
        health = person.call("get", "/health/")
        assert (health.status, health.json()) == (503, {"database": "away", "queue": "ok"})
        assert time.monotonic() - began < 6
        began = time.monotonic()
        assert person.call("get", path).status == 503
        assert time.monotonic() - began < 2 * PATIENCE + 6, "asked twice at most"
    finally:
        process.send_signal(signal.SIGCONT)
    ended_well(person, path, told, Supervisor(list(stack.services.values()), lambda _: None))


def test_those_who_never_finish_asking_take_nobody_elses_place(stack: Stack, person: Person) -> None:
    host, port = stack.address.removeprefix("http://").split(":")
    slow = [socket.create_connection((host, int(port))) for _ in range(30)]
    try:
        for one in slow:
            one.sendall(b"GET /api/session/ HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ")
        began = time.monotonic()
        assert person.call("get", "/health/").status == 200
        # Thirty of them on twelve threads: each has ten seconds for its head.
        assert time.monotonic() - began < 40
        assert person.call("get", "/api/productions/").status == 200
    finally:
        for one in slow:
            one.close()


def test_no_two_stacks_share_a_path(stack: Stack) -> None:
    arguments = Path(f"/proc/{stack.services['web'].process.pid}/cmdline").read_bytes()  # type: ignore[union-attr]
    assert b"--no-control-socket" in arguments


def test_a_worker_that_is_killed_while_voicing_loses_nothing(page: Page, stack: Stack) -> None:
    open_production(page, "The Tidewater Clock", "Português (Brasil)", "Adapt")
    main = page.get_by_role("banner")
    main.get_by_role("button", name="Voice 48 lines").click()
    expect(main.get_by_text(re.compile(r"[1-9]\d* of 48 voiced"))).to_be_visible()
    worker = stack.services["worker"]
    assert worker.process is not None
    children = Path(f"/proc/{worker.process.pid}/task/{worker.process.pid}/children").read_text().split()
    for child in children:
        os.kill(int(child), signal.SIGKILL)
    worker.process.kill()
    worker.process.wait()
    worker.start()
    expect(main.get_by_role("button", name="Finish 48 lines")).to_be_visible(timeout=90_000)
    lines = page.request.get(f"{stack.address}/api/productions/1/editions/pt-BR/").json()["lines"]
    assert [line["quality"] for line in lines] == ["sketch"] * 48


def test_when_the_server_is_away_what_was_typed_is_kept(page: Page, stack: Stack) -> None:
    open_production(page, "The Tidewater Clock", "Français", "Adapt")
    field = page.get_by_label("Line 3 in")
    page.context.set_offline(True)
    field.fill("Attention à la troisième marche, elle branle.")
    field.press("Enter")
    expect(page.get_by_role("alert").filter(has_text="What you typed is kept here")).to_be_visible()
    expect(field).to_have_value("Attention à la troisième marche, elle branle.")
    page.context.set_offline(False)
    field.press("Enter")
    expect(field).to_have_attribute("aria-invalid", "false")
    page.reload()
    expect(page.get_by_label("Line 3 in")).to_have_value("Attention à la troisième marche, elle branle.")
