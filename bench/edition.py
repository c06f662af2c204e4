"""A production of 5,000 lines in eight languages: saving words, what is fetched behind it, opening Adapt, doubts, and
twelve people at it."""

from __future__ import annotations

import statistics
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import orjson
from playwright.sync_api import sync_playwright

from bench.client import Client
from bench.result import Result
from janoglot.core.timing.placing import TimedLine, place
from janoglot.launcher.places import CHROMIUM
from janoglot.launcher.stack import running_stack

LINES, CLIENTS, MINUTES = 5_000, 12, 2.0
_EVERY = 3.0
"""Seconds between what one person saves and the next."""
LANGUAGES = ("es-MX", "fr-FR", "de-DE", "it-IT", "pt-BR", "pl-PL", "nl-NL")
_WORDS = "Under the floor of room {n} the water turned, and the single hand moved on by the width of a hair."
_FLAGS = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking", "--disable-sync"]


def _made(client: Client) -> int:
    rows = ["\t".join(["part", "speaker", "en-GB", *LANGUAGES, "in", "out"])]
    rows += ["\t".join([f"Chapter {n // 100 + 1}", ("Keeper", "Imka", "Pell", "Narrator")[n % 4], _WORDS.format(n=n),
                        *(f"{tag} {n}: bajo el piso {n % 90}." for tag in LANGUAGES), str(n * 4), str(n * 4 + 3.4)])
             for n in range(LINES)]
    draft = client.call("POST", "/api/imports/", {"text": "\n".join(rows)})["draft"]
    return int(client.call("POST", f"/api/imports/{draft}/production/", {"name": "Bench"})["id"])


def _p95(took: list[float]) -> float:
    return float(np.percentile(took, 95))


def _timed(act: Callable[..., Any], *arguments: Any) -> tuple[float, Any]:
    began = time.perf_counter()
    answer = act(*arguments)
    return time.perf_counter() - began, answer


class _Marks:
    """What a client knows of an edition, and asks for anew after a change."""

    def __init__(self, client: Client, path: str) -> None:
        self.client, self.path = client, path
        self.marks = {name: client.call("GET", f"{path}{name}")["mark"] for name in ("", "wordings/", "doubts/")}

    def fetched(self) -> tuple[float, float]:
        """Kilobytes, and seconds of asking for doubts."""
        size, doubts = 0, 0.0
        for name, mark in self.marks.items():
            took, answer = _timed(self.client.text, "GET", f"{self.path}{name}?after={mark}")
            size += len(answer[0])
            self.marks[name] = answer[1]["mark"]
            if name == "doubts/":
                doubts = took
        return size / 1024, doubts


def _saving(client: Client, production: int) -> Iterator[Result]:
    path = f"/api/productions/{production}/editions/es-MX/"
    lines = client.call("GET", path)["lines"]
    marks = _Marks(client, path)
    # Each process of the server gets to know the edition.
    for _ in range(8):
        marks.fetched()
    saved, sizes, doubts = [], [], []
    for line in lines[100:5000:49]:
        took, _ = _timed(client.call, "PUT", f"{path}wordings/{line['id']}/", {
            "text": f"{line['words']} Otra vez.", "revision": line["revision"]})
        saved.append(1000 * took)
        size, seconds = marks.fetched()
        sizes.append(size)
        doubts.append(1000 * seconds)
    yield Result(f"saving words in {LINES:,} lines × {len(LANGUAGES) + 1}, 95 %", _p95(saved), "ms", 80)
    yield Result("fetched behind it, 95 %", _p95(sizes), "KB", 100)
    yield Result("doubts behind it, 95 %", _p95(doubts), "ms", 50, detail=f"median {statistics.median(doubts):.0f}")


def _placing() -> Iterator[Result]:
    """Without the server: one line of an edition is another length."""
    lines = [TimedLine(n, f"S{n % 4}", "Words.", 2.5 + n % 7 / 5, (n * 4.0, n * 4 + 3.4), str(n // 100))
             for n in range(LINES)]
    place(lines)
    took = []
    for at in range(50, LINES, 99):
        lines[at] = TimedLine(at, f"S{at % 4}", "Words.", 2.9, lines[at].slot, str(at // 100))
        took.append(1000 * _timed(place, lines)[0])
    yield Result(f"placing {LINES:,} lines after one has changed, 95 %", _p95(took), "ms", 30)


def _opening(address: str, production: int) -> Result:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=_FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(address)
        page.get_by_role("button", name="Look around as the demo user").click()
        page.wait_for_selector("h1")
        times = []
        for _ in range(5):
            began = time.perf_counter()
            page.goto(f"{address}/productions/{production}/es-MX/adapt")
            page.wait_for_selector("[data-line] p, [data-line] textarea")
            times.append(time.perf_counter() - began)
            page.wait_for_timeout(4_000)
        browser.close()
    return Result("opening Adapt on it", statistics.median(times), "s", 1.5,
                  detail="[" + ", ".join(f"{one:.1f}" for one in times) + "]")


def _many(address: str, production: int) -> Iterator[Result]:
    """Twelve people open an edition in the same moment; then each, in their own time, saves, and looks at what has
    changed, again and again."""
    took: dict[str, list[float]] = {"opening": [], "saving": [], "since": []}
    until = time.monotonic() + 60 * MINUTES
    faults: list[str] = []
    together = threading.Barrier(CLIENTS)

    def work(number: int) -> None:
        try:
            client = Client(address)
            client.call("POST", "/api/session/demo/", {})
            path = f"/api/productions/{production}/editions/{LANGUAGES[number % len(LANGUAGES)]}/"
            together.wait(60)
            seconds, (_, text) = _timed(client.sent, "GET", path)
            took["opening"].append(seconds)
            # People have machines of their own: what theirs does with it takes nothing from what the others wait for.
            together.wait(60)
            edition = orjson.loads(text)
            mark, lines = edition["mark"], edition["lines"][number * 300: number * 300 + 300]
            stamp = client.call("GET", f"/api/productions/{production}/script/")["stamp"]
            time.sleep(number * _EVERY / CLIENTS)
            for line in lines:
                if time.monotonic() > until:
                    return
                seconds, _ = _timed(client.call, "PUT", f"{path}wordings/{line['id']}/", {
                    "text": f"{line['words']} {number}", "revision": line["revision"]})
                took["saving"].append(seconds)
                seconds, answer = _timed(client.call, "GET", f"{path}?after={mark}")
                mark = answer["mark"]
                took["since"].append(seconds)
                seconds, answer = _timed(client.call, "GET", f"/api/productions/{production}/script/?after={stamp}")
                stamp = answer["stamp"]
                took["since"].append(seconds)
                time.sleep(_EVERY)
        except Exception as error:
            faults.append(f"{type(error).__name__}: {error}")

    threads = [threading.Thread(target=work, args=(number,)) for number in range(CLIENTS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    what = f"{CLIENTS} people at {LINES:,} lines for {MINUTES:g} minutes, 95 %:"
    detail = f"{len(took['saving'])} saved; {len(faults)} faults {faults[:1]}"
    yield Result(f"{what} opening an edition", _p95(took["opening"]), "s", 1.5, detail=detail)
    yield Result(f"{what} saving", _p95(took["saving"]), "s", 0.3)
    yield Result(f"{what} changes since", _p95(took["since"]), "s", 0.3)


def run() -> Iterator[Result]:
    yield from _placing()
    with tempfile.TemporaryDirectory(prefix="janoglot-bench-") as folder, running_stack(
            Path(folder), {"JANOGLOT_FINISH_BEHIND": "0"}) as stack:
        client = Client(stack.address)
        client.call("POST", "/api/session/demo/", {})
        production = _made(client)
        yield from _saving(client, production)
        yield _opening(stack.address, production)
        yield from _many(stack.address, production)
