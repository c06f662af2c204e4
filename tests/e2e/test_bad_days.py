"""Services that go away and come back."""

from __future__ import annotations

import os
import re
import signal
from pathlib import Path

from playwright.sync_api import Page, expect

from janoglot.launcher.stack import Stack
from tests.e2e.conftest import open_production


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
