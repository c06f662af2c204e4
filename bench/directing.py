"""Directing: how long the melody of a change takes to be seen, and the change to be heard."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from bench.client import Client
from bench.result import Result
from janoglot.launcher.stack import running_stack

WORDS = "Mind the third step, it has been loose since the winter before."
"""About four seconds."""
CHANGES = 24
ROWS = 1_000
PLANNED = 2.0
"""Seconds, before any sound."""
SEEN, SKETCHED, FINISHED = 0.150, 0.7, 3.0
"""Seconds: drawn, heard by a light voice, heard by the voice itself."""
_WARM = 8
"""Changes that are heard before anything is timed: each of the workers has the network by then."""
_PATIENCE = 60.0
_LOOK = 0.15
"""Seconds between the page's looks: asking more often would take from the workers what they need."""
_WEB_WORKERS = 12
"""So often the line is asked for before anything is timed, that each of the web's processes has met it."""


def run() -> Iterator[Result]:
    with running_stack(Path(tempfile.mkdtemp(prefix="janoglot-bench-")),
                       {"JANOGLOT_FINISH_BEHIND": "0", "JANOGLOT_HEAR_BACK": "0"}) as stack:
        client = Client(stack.address)
        client.call("POST", "/api/session/demo/")
        script = f"Pilot: {WORDS}\nPilot: The tide turns at {{time}} on {{weekday}}."
        draft = client.call("POST", "/api/imports/", {"text": script})["draft"]
        made = client.call("POST", f"/api/imports/{draft}/production/", {"name": "Bench"})["id"]
        told = client.call("GET", f"/api/productions/{made}/")
        edition = f"/api/productions/{made}/editions/{told['source_language']}/"
        speaker = told["speakers"][0]["id"]
        client.call("PUT", f"{edition}castings/{speaker}/", {"voice": "buzzard"})
        line = client.call("GET", edition)["lines"][0]["id"]
        path = f"{edition}lines/{line}/"
        # Whatever the demo is made ready with is over.
        _wait(lambda: not any(job["state"] == "running" for production in client.call(
            "GET", "/api/productions/") for job in client.call("GET", f"/api/productions/{production['id']}/jobs/")),
            300.0)
        # The network and the light engine are loaded by whoever opens the stage.
        for _ in range(_WEB_WORKERS):
            client.call("GET", f"{path}stave/")
        for number in range(_WARM):
            client.call("PUT", f"{path}direction/", {"marks": [{"kind": "lift", "word": 1, "amount": 3 + number / 10}]})
            _heard(client, path, "finished")
        seen, sketched, finished = [], [], []
        for number in range(CHANGES):
            marks = {"marks": [{"kind": "lift", "word": number % 12, "amount": 1.0 + number / 50}]}
            began = time.perf_counter()
            client.call("PUT", f"{path}direction/", marks)
            client.call("GET", f"{path}stave/")
            seen.append(time.perf_counter() - began)
            began = time.perf_counter()
            _heard(client, path, "sketched")
            sketched.append(time.perf_counter() - began + seen[-1])
            if number % 4 == 0:
                _heard(client, path, "finished")
                finished.append(time.perf_counter() - began + seen[-1])
            else:
                _heard(client, path, "finished")
        for name, seconds, mark in (("a change's melody is seen, p95", seen, SEEN),
                                    ("a change is heard as a sketch, p95", sketched, SKETCHED),
                                    ("a change is heard in the voice itself, p95", finished, FINISHED)):
            yield Result(name, float(np.percentile(seconds, 95)), "s", mark,
                         detail=f"median {np.median(seconds):.2f} s, {len(seconds)} changes")


        yield _planned(client, made, edition)


def _planned(client: Client, production: int, edition: str) -> Result:
    """A table of a thousand rows, from its coming in until every clip's words are seen and told as yet to be made."""
    template = client.call("GET", edition)["lines"][1]["id"]
    rows = [{"name": f"tide-{number:04}", "time": f"{number % 24}:{number % 60:02}", "weekday": f"day {number}"}
            for number in range(ROWS)]
    taken = []
    for round_ in range(5):
        began = time.perf_counter()
        client.call("PUT", f"/api/productions/{production}/lines/{template}/table/",
                    {"rows": [{**row, "weekday": f"{row['weekday']} of {round_}"} for row in rows],
                     "kinds": {"time": "time"}})
        told = client.call("GET", f"{edition}lines/{template}/clips/")
        taken.append(time.perf_counter() - began)
        if len(told["clips"]) != ROWS or any(clip["made"] or clip["missing"] for clip in told["clips"]):
            raise AssertionError("not every row is a clip that is yet to be made")
    return Result(f"a template of {ROWS:,} rows is planned", float(np.median(taken)), "s", PLANNED,
                  detail=f"worst {max(taken):.2f} s of {len(taken)}")


def _heard(client: Client, path: str, what: str) -> None:
    """Wait as the page does until there is something to hear."""
    _wait(lambda: client.call("POST", f"{path}audition/", {})[what] != "", every=_LOOK)


def _wait(held: Callable[[], bool], patience: float = _PATIENCE, every: float = 0.02) -> None:
    until = time.monotonic() + patience
    while not held():
        if time.monotonic() > until:
            raise TimeoutError("nothing came to be heard")
        time.sleep(every)
