"""Direct: a line on its stave, by keyboard."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from playwright.sync_api import Page, expect

from tests.e2e.conftest import check_accessibility, open_production

LINE = "productions/1/editions/es-MX/"


def told(page: Page, path: str) -> Any:
    answer = page.request.get(f"/api/{path}")
    assert answer.ok, answer.text()
    return answer.json()


def wait_for(page: Page, held: Callable[[], bool]) -> None:
    for _ in range(100):
        if held():
            return
        page.wait_for_timeout(100)
    raise AssertionError("it did not come to be")


def test_a_word_is_lifted_and_slowed_a_pause_made_longer_and_all_of_it_taken_back(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Español", "Direct")
    stave = page.get_by_role("group", name="The words along their own time")
    expect(stave).to_be_visible(timeout=20_000)
    check_accessibility(page)
    line = told(page, LINE)["lines"][0]
    own = f"{LINE}lines/{line['id']}/"
    before = told(page, f"{own}stave/")
    word = stave.get_by_role("button").nth(2)
    word.click()
    word.press("ArrowUp")
    expect(page.get_by_role("slider", name="Lift")).to_have_attribute("aria-valuenow", "0.5")
    word.press("[")
    expect(page.get_by_role("slider", name="Pace")).to_have_attribute("aria-valuenow", "0.95")
    field = page.get_by_label(re.compile("^Pause"))
    field.fill("600")
    field.press("Enter")
    expect(page.get_by_text("600 ms")).to_be_visible()
    # What is set is shown at once, and kept a moment later.
    wait_for(page, lambda: told(page, f"{own}stave/")["seconds"] > before["seconds"] + 0.4)
    assert {mark["kind"] for mark in told(page, f"{own}direction/")["marks"]} == {"lift", "pace", "gap"}
    for _ in range(3):
        page.get_by_role("button", name=re.compile("^Undo")).click()
    expect(page.get_by_role("slider", name="Pace")).to_have_attribute("aria-valuenow", "1")
    wait_for(page, lambda: told(page, f"{own}direction/")["marks"] == [])
    assert told(page, f"{own}stave/") == before
