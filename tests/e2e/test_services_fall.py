"""Services killed two at once, and the database and the queue away for a while in the middle of the work: all ends by itself."""

from __future__ import annotations

import itertools
import re
import signal
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Playwright

from janoglot.launcher.services import Supervisor
from janoglot.launcher.stack import Stack

LINES = 120
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


@pytest.mark.parametrize("pair", PAIRS, ids="-".join)
def test_two_services_killed_at_once(pair: tuple[str, str], stack: Stack, person: Person) -> None:
    said: list[str] = []
    supervisor = Supervisor(list(stack.services.values()), said.append)
    path, told = voicing(person, f"Killed {' and '.join(pair)}")
    person.settled(lambda: told()["done"] >= 8, supervisor)
    for name in pair:
        process = stack.services[name].process
        assert process is not None
        process.send_signal(signal.SIGKILL)
    person.settled(lambda: all(one.up for one in supervisor.watched.values()), supervisor)
    ended_well(person, path, told, supervisor)
    for name in pair:
        assert f"{name} is back." in said


@pytest.mark.parametrize("name", ["mariadb", "redis"])
def test_away_for_forty_seconds_in_the_middle_of_voicing(name: str, stack: Stack, person: Person) -> None:
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
    while time.monotonic() - began < 40:
        supervisor.look()
        time.sleep(0.5)
    service.start()
    ended_well(person, path, told, Supervisor(list(stack.services.values()), lambda _: None))
    # And everything goes on: a mix is made of it.
    recipe = person.call("post", f"{path}mixes/").json()["recipe"]
    person.settled(lambda: person.call("get", f"{path}mixes/{recipe}/").json()["state"] == "ready", supervisor)


def test_no_two_stacks_share_a_path(stack: Stack) -> None:
    arguments = Path(f"/proc/{stack.services['web'].process.pid}/cmdline").read_bytes()  # type: ignore[union-attr]
    assert b"--no-control-socket" in arguments
