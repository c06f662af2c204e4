"""The length gauge: how soon it moves after a key, and how right it is; and the ladder of 5,000 lines."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.client import Client
from bench.result import Result
from bench.script import _FLAGS, _made
from janoglot.launcher.places import CHROMIUM
from janoglot.launcher.stack import running_stack

_KEYS = 40
# From the key to what the gauge says then: the estimate, and the exact answer.
_TYPED = """async ([letter]) => {
    const field = document.activeElement;
    const gauge = () => document.querySelector('[data-natural]');
    const before = gauge().dataset.natural;
    const set = Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set;
    const began = performance.now();
    set.call(field, field.value + letter);
    field.dispatchEvent(new Event('input', { bubbles: true }));
    let moved = 0, exact = 0;
    while (!exact && performance.now() - began < 3000) {
        await new Promise(done => setTimeout(done, 1));
        const now = gauge();
        if (!moved && now && (now.dataset.natural !== before || now.dataset.exact === 'false'))
            moved = performance.now() - began;
        if (moved && now.dataset.exact === 'true') exact = performance.now() - began;
    }
    return [moved, exact];
}"""
# The end of a line is typed at so many milliseconds a key; then, after a pause of 60 ms, what the gauge shows, and
# what it shows in the end. Answers: seconds shown, seconds in the end, whether it was exact already.
_PAUSED = """async ([words, keys, pace]) => {
    const field = document.activeElement;
    const gauge = () => document.querySelector('[data-natural]');
    const wait = ms => new Promise(done => setTimeout(done, ms));
    const set = Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set;
    const put = text => { set.call(field, text); field.dispatchEvent(new Event('input', { bubbles: true })); };
    const exact = async () => { while (gauge()?.dataset.exact !== 'true') await wait(5); };
    const letters = Array.from(words);
    put(letters.slice(0, Math.max(1, letters.length - keys)).join(''));
    await wait(40);
    await exact();
    for (let at = Math.max(2, letters.length - keys + 1); at <= letters.length; at++) {
        await wait(pace);
        put(letters.slice(0, at).join(''));
    }
    await wait(60);
    const shown = [Number(gauge().dataset.natural), gauge().dataset.exact === 'true'];
    await exact();
    return [shown[0], Number(gauge().dataset.natural), shown[1]];
}"""
_SCROLL = """async () => {
    const box = document.querySelector('[role=list]');
    const took = []; let blank = 0;
    for (let step = 0; step < 150; step++) {
        const began = performance.now();
        box.scrollTop += 700;
        await new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)));
        took.push(performance.now() - began);
        if ([...box.querySelectorAll('[role=listitem]')].filter(one => {
            const at = one.getBoundingClientRect(); return at.bottom > 150 && at.top < 700; }).length < 3) blank++;
    }
    return [took.sort((a, b) => a - b)[142], blank];
}"""


def run() -> list[Result]:
    with tempfile.TemporaryDirectory() as folder, running_stack(Path(folder), {"JANOGLOT_FINISH_BEHIND": "0"}) as stack:
        client = Client(stack.address)
        client.call("POST", "/api/session/demo/")
        results = [*_right(client)]
        made = _made(client)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=_FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(stack.address)
            page.get_by_role("button", name="Look around as the demo user").click()
            page.get_by_role("link").first.wait_for()
            results += _typed(page, stack.address, "es-MX", "rich voices")
            results += _paused(page, client, stack.address, "es-MX")
            results += _ladder(page, stack.address, made["id"])
            browser.close()
        return results


def _right(client: Client) -> list[Result]:
    """Demo lines whose take is as long as was told before: within a twentieth."""
    near = total = 0
    for language in ("en-GB", "es-MX", "fr-FR"):
        path = f"/api/productions/1/editions/{language}/"
        told = {line["id"]: client.call("POST", f"{path}wordings/{line['id']}/gauge/",
                                        {"text": line["words"]})["natural"]
                for line in client.call("GET", path)["lines"]}
        job = client.call("POST", f"{path}voicings/", {})
        while client.call("GET", f"/api/jobs/{job['id']}/")["state"] == "running":
            pass
        for line in client.call("GET", path)["lines"]:
            if line["natural"]:
                total += 1
                near += abs(told[line["id"]] / line["natural"] - 1) <= 0.05
    return [Result("gauge: demo lines whose take is as long as was told, to a twentieth", 100 * near / total, "%", 95,
                   at_least=True, detail=f"of {total}")]


def _typed(page: Page, address: str, language: str, voices: str) -> list[Result]:
    page.goto(f"{address}/productions/1/{language}/adapt")
    moved, exact = [], []
    for number in (3, 8, 20, 31):
        field = page.get_by_role("textbox", name=f"Line {number} in").first
        field.scroll_into_view_if_needed()
        field.click()
        page.locator("[data-exact=true]").wait_for()
        for key in range(_KEYS // 4):
            one, other = page.evaluate(_TYPED, [" mar"[key % 4]])
            moved.append(one)
            exact.append(other)
        field.press("Escape")
    return [Result(f"gauge: from a key until it moves, 95 %, {voices}", float(np.percentile(moved, 95)), "ms", 60),
            Result("gauge: … until it is exact, 95 %", float(np.percentile(exact, 95)), "ms", 250)]


def _paused(page: Page, client: Client, address: str, language: str) -> list[Result]:
    """The end of every demo line typed at a hundred words a minute: how right the gauge is 60 ms after the last key."""
    lines = client.call("GET", f"/api/productions/1/editions/{language}/")["lines"]
    page.goto(f"{address}/productions/1/{language}/adapt")
    page.get_by_role("textbox").first.wait_for()
    off = []
    ready = 0
    for line in lines:
        page.goto(f"{address}/productions/1/{language}/adapt?line={line['id']}")
        field = page.locator(f"[data-line='{line['id']}'] textarea")
        field.click()
        page.locator("[data-natural]").wait_for()
        # Without its first word: what stood there is remembered, and would be known at once.
        words = line["words"].partition(" ")[2]
        if not words:
            continue
        shown, exact, was = page.evaluate(_PAUSED, [words, 30, 110])
        field.press("Escape")
        if exact:
            off.append(abs(shown / exact - 1))
            ready += was
    right = 100 * float(np.mean(np.array(off) <= 0.05))
    return [Result("gauge: demo lines right to a twentieth 60 ms after the last key", right, "%", 95, at_least=True,
                   detail=f"of {len(off)}; {ready} exact by then; off by {100 * np.median(off):.1f} % in the middle, "
                   f"{100 * np.percentile(off, 95):.1f} % at 95 %")]


def _ladder(page: Page, address: str, production: int) -> list[Result]:
    page.goto(f"{address}/productions/{production}/es-MX/time")
    page.get_by_role("list", name="Lines in time").wait_for()
    page.locator("[role=listitem]").first.wait_for()
    took, blank = page.evaluate(_SCROLL)
    return [Result("ladder of 5,000 lines: two frames after scrolling, 95 %", took, "ms", 50),
            Result("ladder: of 150 looks, with nothing in sight", blank, "", 0)]
