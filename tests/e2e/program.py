"""The interface for programs, as journeys use it to set up what they need: held to ``docs/openapi.yaml`` on the way.

Whatever is sent, and whatever comes back, is validated against the document, so that neither can drift from it unseen.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import yaml
from jsonschema import Draft202012Validator
from playwright.sync_api import APIRequestContext, Page
from referencing import Registry, Resource
from referencing.jsonschema import DRAFT202012

_DOCUMENT = Path(__file__).resolve().parents[2] / "docs" / "openapi.yaml"
_PATIENCE = 300.0
MADE = 900.0
"""Seconds for which what takes a network's time is waited for."""


@cache
def _document() -> dict[str, Any]:
    """As OpenAPI 3.1 would write it: what may be null says so by its type."""

    def plain(node: Any) -> Any:
        if isinstance(node, list):
            return [plain(one) for one in node]
        if not isinstance(node, dict):
            return node
        made = {key: plain(value) for key, value in node.items() if key != "nullable"}
        return {"anyOf": [made, {"type": "null"}]} if node.get("nullable") is True else made

    found: dict[str, Any] = plain(yaml.load(_DOCUMENT.read_text("utf-8"), yaml.CSafeLoader))
    return found


@cache
def _paths() -> list[tuple[re.Pattern[str], str, dict[str, Any]]]:
    found = [(re.sub(r"\\{\w+\\}", "[^/]+", re.escape(path)), path, operations)
             for path, operations in _document()["paths"].items()]
    # Where two fit, the one with fewer places to fill in.
    return [(re.compile(pattern), path, operations)
            for pattern, path, operations in sorted(found, key=lambda one: one[0].count("[^/]+"))]


_HERE = "janoglot:openapi"


@cache
def _registry() -> Registry[Any]:
    return Registry().with_resource(_HERE, Resource(_document(), DRAFT202012))


def _holds(content: dict[str, Any], place: tuple[str, ...], value: Any, what: str) -> None:
    """``place`` is where in the document ``content`` stands, by the steps that lead there."""
    if "application/json" not in content:
        return
    steps = (*place, "content", "application/json", "schema")
    pointer = "".join(f"/{step.replace('~', '~0').replace('/', '~1')}" for step in steps)
    faults = [f"{fault.json_path}: {fault.message[:200]}" for fault in
              Draft202012Validator({"$ref": f"{_HERE}#{pointer}"}, registry=_registry()).iter_errors(value)]
    assert not faults, f"{what} is not as docs/openapi.yaml says: {faults[:5]}"


class Program:
    """Works through the interface for programs, as whoever is signed in where ``request`` comes from."""

    def __init__(self, request: APIRequestContext, address: str) -> None:
        self._request = request
        self._address = address

    @classmethod
    def of(cls, page: Page) -> Program:
        return cls(page.context.request, re.match(r"https?://[^/]+", page.url)[0])  # type: ignore[index]

    def asked(self, method: str, path: str, body: Any = None) -> Any:
        """The answer, whatever it is, to an operation that the document has."""
        plain = path.partition("?")[0]
        found = next((one for one in _paths() if method in one[2] and one[0].fullmatch(plain)), None)
        assert found is not None, f"docs/openapi.yaml has no {method} {plain}"
        place, operation = ("paths", found[1], method), found[2][method]
        if body is not None and "requestBody" in operation:
            _holds(operation["requestBody"]["content"], (*place, "requestBody"), body, f"what is sent to {method} {plain}")
        token = next((one["value"] for one in self._request.storage_state()["cookies"] if one["name"] == "csrftoken"), "")
        more: dict[str, Any] = {} if body is None else {"data": body}
        answer = self._request.fetch(self._address + path, method=method, headers={
            "X-CSRFToken": token, "Referer": self._address}, **more)
        if answer.ok:
            told = operation["responses"].get(str(answer.status))
            assert told is not None, f"docs/openapi.yaml says nothing of {answer.status} from {method} {plain}"
            if answer.headers.get("content-type", "").startswith("application/json"):
                _holds(told.get("content", {}), (*place, "responses", str(answer.status)), answer.json(),
                       f"what came back from {method} {plain}")
        return answer

    def call(self, method: str, path: str, body: Any = None) -> Any:
        """What comes back, as JSON; None where nothing does. An AssertionError where it is refused."""
        answer = self.asked(method, path, body)
        assert answer.ok, f"{method} {path}: {answer.status} {answer.text()[:300]}"
        return answer.json() if answer.headers.get("content-type", "").startswith("application/json") else None

    def get(self, path: str) -> Any:
        return self.call("get", path)

    # ── what journeys need

    def bring_in(self, text: str, name: str) -> int:
        """A production of a pasted script: its number."""
        draft = self.call("post", "/api/imports/", {"text": text})["draft"]
        made: int = self.call("post", f"/api/imports/{draft}/production/", {"name": name})["id"]
        return made

    def demo(self, name: str = "The Tidewater Clock") -> int:
        """The number of a production that comes with the program."""
        return next(int(one["id"]) for one in self.get("/api/productions/") if one["name"] == name)

    def edition(self, production: int, language: str) -> Any:
        return self.get(f"/api/productions/{production}/editions/{language}/")

    def voice(self, production: int, language: str, finish: bool = False) -> None:
        """Everybody cast who is not, and every line voiced that is not: rich ones as sketches, or finished."""
        path = f"/api/productions/{production}/editions/{language}/"
        self.call("post", f"{path}castings/", {})
        for kind in ("take", "finish") if finish else ("take",):
            # Where nothing is to be done that is said, as to a person who presses a button twice.
            answer = self.asked("post", f"{path}voicings/", {"kind": kind})
            if answer.status != 400:
                assert answer.ok, answer.text()[:300]
                self.finish(answer.json())

    def finish(self, job: Any) -> None:
        """Wait until a job has ended, well."""
        if not job or job["state"] != "running":
            return
        until(lambda: self.get(f"/api/jobs/{job['id']}/")["state"] != "running", f"job {job}", MADE)
        told = self.get(f"/api/jobs/{job['id']}/")
        assert told["state"] == "done", told

    def ready(self, production: int, language: str, finish: bool = False) -> str:
        """An edition voiced and mixed: the mix's recipe."""
        self.voice(production, language, finish)
        return self.mix(production, language)

    def mix(self, production: int, language: str) -> str:
        """The mix of how an edition stands, made: its recipe."""
        path = f"/api/productions/{production}/editions/{language}/mixes/"
        recipe: str = self.call("post", path)["recipe"]
        until(lambda: self.get(f"{path}{recipe}/")["state"] == "ready", f"the mix {recipe}", MADE)
        return recipe


def until(holds: Callable[[], bool], what: str, seconds: float = _PATIENCE) -> None:
    """Ask again until it holds. An AssertionError where it never does."""
    over = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < over, f"{what} did not come to be in {seconds:.0f} s"
        time.sleep(0.1)
