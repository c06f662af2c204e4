"""A script of 5,000 lines: saving one, opening it in Chromium, scrolling it, and a book of 400 pages coming in."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.client import Client
from bench.result import Result
from janoglot.launcher.places import CHROMIUM
from janoglot.launcher.stack import running_stack

LINES = 5_000
_WORDS = "Under the floor of room {n} the water turned, and the single hand moved on by the width of a hair."
_PAGE = "The tide turned under the floor, and Dr. Ash wrote it down at 9.30. Nobody came to the clock. " * 20
_FLAGS = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking", "--disable-sync"]
_SCROLL = """async () => {
    const box = document.querySelector('[role=list]');
    let blank = 0;
    for (let step = 0; step < 120; step++) {
        box.scrollTop += 900;
        await new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)));
        const rows = [...box.querySelectorAll('[data-line]')].filter(row => {
            const at = row.getBoundingClientRect(); return at.bottom > 100 && at.top < 700; });
        if (rows.length < 8) blank++;
    }
    return blank;
}"""
_FIRST_DATA = """() => performance.getEntriesByType('resource').filter(one => one.name.includes('/api/')
    && one.responseEnd <= performance.now()).reduce((sum, one) => sum + one.transferSize, 0) / 1024"""


def _made(client: Client) -> dict[str, Any]:
    rows = ["part\tspeaker\ten-GB\tes-MX\tin\tout"]
    rows += [f"Chapter {n // 100 + 1}\t{('Keeper', 'Imka', 'Pell', 'Narrator')[n % 4]}\t{_WORDS.format(n=n)}\t"
             f"Bajo el piso {n}.\t{n * 4}\t{n * 4 + 3.9}" for n in range(LINES)]
    draft = client.call("POST", "/api/imports/", {"text": "\n".join(rows)})["draft"]
    made: dict[str, Any] = client.call("POST", f"/api/imports/{draft}/production/", {"name": "Bench"})
    return made


def _saving(client: Client, production: int) -> float:
    """95th percentile of saving one line, in milliseconds, over 100 of them."""
    path = f"/api/productions/{production}/"
    lines = client.call("GET", f"{path}script/")["lines"]
    took = []
    for line in lines[100:5000:49]:
        began = time.perf_counter()
        client.call("PUT", f"{path}editions/en-GB/wordings/{line['id']}/",
                    {"text": f"{line['words']} Again.", "revision": line["revision"]})
        took.append(1000 * (time.perf_counter() - began))
    return float(np.percentile(took, 95))


def _opened(page: Page, address: str) -> float:
    """Seconds from asking for the page until a line can be typed in."""
    began = time.perf_counter()
    page.goto(address)
    page.wait_for_selector("textarea[data-words]")
    return time.perf_counter() - began


def _book(client: Client) -> float:
    book = "".join(f"Chapter {n}\n\n{(_PAGE + chr(10) * 2) * 20}" for n in range(1, 21))
    began = time.perf_counter()
    draft = client.call("POST", "/api/imports/", {"text": book})["draft"]
    client.call("POST", f"/api/imports/{draft}/production/", {"name": "Book"})
    return time.perf_counter() - began


def run() -> Iterator[Result]:
    with tempfile.TemporaryDirectory(prefix="janoglot-bench-") as folder, running_stack(Path(folder)) as stack:
        client = Client(stack.address)
        client.call("POST", "/api/session/demo/", {})
        made = _made(client)
        yield Result(f"saving one line of {LINES:,}, 95 %", _saving(client, made["id"]), "ms", 50)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=_FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(stack.address)
            page.get_by_role("button", name="Look around as the demo user").click()
            page.wait_for_selector("h1")
            address = f"{stack.address}/productions/{made['id']}/en-GB/script"
            times = []
            for _ in range(5):
                times.append(_opened(page, address))
                # What the page asks for behind that is not to slow the next opening.
                page.wait_for_timeout(5_000)
            data = float(page.evaluate(_FIRST_DATA))
            yield Result(f"opening a production of {LINES:,} lines until it can be used", statistics.median(times), "s",
                         1.5, detail="[" + ", ".join(f"{one:.1f}" for one in times) + "]")
            yield Result("its first data", data, "KB", 300)
            yield Result("scrolled through, of 120 looks with blank rows", float(page.evaluate(_SCROLL)), "", 0)
            browser.close()
        yield Result("a book of 400 pages comes in", _book(client), "s", 5)
