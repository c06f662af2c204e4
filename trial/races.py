"""``./janoglot trial races``: every action, eight people at once, on a whole Janoglot of its own.

Nobody may be answered by a fault of the server; nothing may go on for ever; what was answered yes is there, once, also
where the same attempt is sent twice.
"""

from __future__ import annotations

import json
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from janoglot.launcher.places import VAR
from trial.people import Answer, Somebody, at_once, janoglot, new_production, signed_in, still_running

PEOPLE = 8
_SLOW = 20.0
"""Seconds."""


@dataclass
class Told:
    """What came of it all."""

    actions: int = 0
    requests: int = 0
    statuses: Counter[int] = field(default_factory=Counter)
    worst: float = 0.0
    slow: list[str] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)

    def add(self, what: str, answers: list[Answer]) -> None:
        self.actions += 1
        self.requests += len(answers)
        self.statuses.update(one.status for one in answers)
        self.worst = max(self.worst, *(one.seconds for one in answers))
        self.slow += [what] if max(one.seconds for one in answers) > _SLOW else []
        self.faults += [f"{what}: {one.status} {one.text[:200]}" for one in answers if one.status >= 500 or not one.status]


def main(only: list[str]) -> int:
    """Exit status: 0 where nothing was found."""
    with janoglot() as stack:
        two = [signed_in(stack, "owner"), signed_in(stack, "editor")]
        people = [two[number % 2] for number in range(PEOPLE)]
        told = Told()
        _everything(people, told, only)
        lost, twice = ([], []) if only else _counted(people, told)
        stuck = still_running(180)
    print(f"\n{told.actions} actions, {told.requests} requests, {PEOPLE} at once")
    print("answers:", ", ".join(f"{status}: {count}" for status, count in sorted(told.statuses.items())))
    print(f"slowest {told.worst:.1f} s")
    found = {"5xx or no answer": told.faults, f"over {_SLOW:.0f} s": told.slow, "stuck": stuck, "lost": lost, "twice": twice}
    for name, rows in found.items():
        print(f"{name}: {len(rows)}", *rows[:20], sep="\n  ")
    (VAR / "races.json").write_text(json.dumps({
        "actions": told.actions, "requests": told.requests, "statuses": told.statuses, "slowest": told.worst, **found},
        indent=1))
    return 1 if any(found.values()) else 0


def _everything(people: list[Somebody], told: Told, only: list[str]) -> None:
    """Every endpoint of the interface, by everybody, of the same thing."""
    from tests.server.test_permissions import ENDPOINTS, sent_to, things_of

    for method, path, body, _ in ENDPOINTS:
        what = f"{method} {path}"
        if only and not any(one in what for one in only):
            continue
        things = things_of(new_production()) | {"job": 0, "mix": "none"}
        address, sent = sent_to(path, body, things)
        if path == "{p}undo/":
            people[0].ask("patch", things["p"], {"name": "Newer"})
        if path == "{p}redo/":
            people[0].ask("patch", things["p"], {"name": "Newer"})
            people[0].ask("post", f"{things['p']}undo/", {})
        answers = at_once([(one, method, address, _of_something(sent, things)) for one in people])
        told.add(what, answers)
        # And what it was done to can still be looked at.
        seen = [people[0].ask("get", things[place]) for place in ("p", "e")]
        told.faults += [f"{what}, then get: {one.status} {one.text[:200]}" for one in seen if one.status >= 500]
        print(f"{what}: {dict(Counter(one.status for one in answers))}", flush=True)


def _of_something(body: Any, things: dict[str, Any]) -> Any:
    """What is sent, about things that are there where the table's is about none."""
    if not isinstance(body, dict):
        return body
    real = {"lines": [things["line"]], "line": things["line"], "speakers": [things["speaker"]], "into": things["other"],
            "behind": things["line"]}
    return {name: real[name] if value in (0, [0]) and value is not False and name in real else value
            for name, value in body.items()}


Maker = tuple[str, str, Callable[[int], Any], Callable[[Somebody, str, str], list[str]], Callable[[int], str]]


def _counted(people: list[Somebody], told: Told) -> tuple[list[str], list[str]]:
    """Things that everybody makes of their own, three rounds of them, each attempt sent twice at the same time: what is
    missing of what was answered yes, and what is there more than once."""
    def listed(field_name: str, at: str) -> Callable[[Somebody, str, str], list[str]]:
        return lambda one, p, e: [row[field_name] for row in _rows(one.ask("get", at.format(p=p, e=e)).told)]

    makers: dict[str, Maker] = {
        "terms": ("post", "{e}terms/", lambda n: {"original": f"tide {n}", "text": "marea"},
                  listed("original", "{e}terms/"), lambda n: f"tide {n}"),
        "lexicon": ("post", "{e}lexicon/", lambda n: {"phrase": f"word{n}", "kind": "alias", "said": "x"},
                    listed("phrase", "{e}lexicon/"), lambda n: f"word{n}"),
        "lines": ("post", "{p}script/add/", lambda n: {"behind": None, "text": f"The water rose by {n}."},
                  listed("words", "{p}editions/en-GB/"),
                  lambda n: f"The water rose by {n}."),
        "links": ("post", "{p}links/", lambda n: {"name": f"Reader {n}", "languages": ["es-MX"], "interface": "es"},
                  listed("name", "{p}links/"), lambda n: f"Reader {n}"),
        "copies": ("post", "{p}duplicate/", lambda n: {"name": f"Copy {n}"}, listed("name", "/api/productions/"),
                   lambda n: f"Copy {n}"),
    }
    lost: list[str] = []
    twice: list[str] = []
    for what, (method, path, body, seen, name) in makers.items():
        production = new_production(f"Counted {what}")
        p, e = f"/api/productions/{production.pk}/", f"/api/productions/{production.pk}/editions/es-MX/"
        yes: Counter[str] = Counter()
        for turn in range(3):
            numbers = [turn * PEOPLE + number for number in range(PEOPLE)]
            asked = [(_Keyed(people[n % PEOPLE], f"{what}-{n}"), method, path.format(p=p, e=e), body(n))
                     for n in numbers for _ in range(2)]
            answers = at_once(asked)  # type: ignore[arg-type]
            told.add(f"{what}, each sent twice", answers)
            for n, answer in zip([n for n in numbers for _ in range(2)], answers, strict=True):
                if 200 <= answer.status < 300:
                    yes[name(n)] += 1
        # What a person makes of their own, as a copy is, the other does not see.
        both = [Counter(seen(one, p, e)) for one in people[:2]]
        there = both[0] | both[1]
        lost += [f"{what}: {one}" for one in yes if not there[one]]
        twice += [f"{what}: {one} × {there[one]}" for one in yes if there[one] > 1]
        print(f"{what}: {len(yes)} of {3 * PEOPLE} answered yes, {sum(there[one] for one in yes)} there", flush=True)
    return lost, twice


class _Keyed:
    """Somebody whose attempt carries a key."""

    def __init__(self, one: Somebody, key: str) -> None:
        self._one, self._key = one, key

    def ask(self, method: str, path: str, body: Any = None) -> Answer:
        return self._one.ask(method, path, body, key=self._key)


def _rows(told: Any) -> list[Any]:
    if isinstance(told, list):
        return told
    return next((told[name] for name in ("lines", "terms", "entries") if isinstance(told.get(name), list)), [])


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
