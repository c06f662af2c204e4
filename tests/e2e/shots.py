"""``./janoglot shots``: one picture of each main view, from the demo data, for docs/screenshots."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from janoglot.launcher.places import CHROMIUM
from janoglot.launcher.stack import running_stack
from tests.e2e.conftest import FLAGS, HOME, choose_edition, go_to, make_ready, open_production, open_view
from tests.e2e.test_recordings import said

FOLDER = HOME / "docs" / "screenshots"


def take(page: Page, name: str) -> None:
    page.mouse.move(640, 799)
    # What was told on the way here is no part of the view.
    for close in page.locator("div.fixed:not([role=dialog])").get_by_role("button", name="Close").all():
        close.click()
    # Fonts are loaded and every request is answered: what is on the screen stays so.
    page.wait_for_load_state("networkidle")
    page.evaluate("document.fonts.ready")
    page.screenshot(path=FOLDER / f"{name}.png")


def walk(page: Page) -> None:
    page.goto("/")
    page.get_by_role("button", name="Look around as the demo user").click()
    expect(page.get_by_role("link", name=re.compile("Tidewater"))).to_be_visible()
    take(page, "productions")
    page.get_by_role("button", name="Bring in a script").first.click()
    sheet = page.get_by_role("dialog")
    sheet.locator("input[type=file]").set_input_files(
        {"name": "night-ferry.csv", "mimeType": "text/csv", "buffer": (
            "Scene;Character;Line;Start;Stop;Español (México);Mood\n"
            "Quay;Harbourmaster;The ferry leaves at the turn of the tide.;0:01;0:04,2;El ferry sale con la marea.;dry\n"
            "Quay;Deckhand;Which tide?;0:04,6;0:05,8;¿Qué marea?;\n"
            "Quay;;The next one.;0:06;0:05;La próxima.;\nQuay;Deckhand;;soon;;;\n").encode("cp1252")})
    expect(sheet.get_by_text(re.compile("things to know"))).to_be_visible()
    expect(sheet.get_by_role("option", name="Mexican Spanish").or_(sheet.get_by_text("Mexican Spanish")).first).to_be_attached()
    take(page, "bring-in")
    page.keyboard.press("Escape")
    open_production(page, "Harbour Museum phone prompts", "English", "Direct")
    page.get_by_role("option").filter(has_text="low water is at").click()
    page.get_by_role("button", name=re.compile(r"^Make \d+ clips")).click()
    expect(page.get_by_role("region", name="Template").get_by_role("button", name="ZIP")).to_be_visible(timeout=180_000)
    take(page, "template")
    page.goto("/")
    open_production(page, "The Tidewater Clock", "Deutsch", "Script")
    make_ready(page)
    go_to(page, "Script")
    page.get_by_role("button", name="Choose line 4", exact=True).click()
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("toolbar", name="2 lines chosen")).to_be_visible()
    take(page, "script")
    choose_edition(page, "Español (México)")
    make_ready(page, finish=True)
    go_to(page, "Cast")
    page.get_by_role("button", name=re.compile("^Keeper in Spanish")).click()
    expect(page.get_by_text("How Zopilote is set here")).to_be_visible()
    take(page, "cast")
    page.get_by_role("button", name="Contrast", exact=True).click()
    expect(page.get_by_role("img", name=re.compile("by pitch and brightness"))).to_be_visible()
    take(page, "contrast")
    go_to(page, "Direct")
    page.get_by_role("option").nth(2).click()
    word = page.get_by_role("group", name="The words along their own time").get_by_role("button").nth(4)
    word.click()
    word.press("ArrowUp")
    word.press("b")
    expect(page.get_by_role("slider", name="Stress")).to_have_attribute("aria-valuenow", "1")
    take(page, "direct")
    # As it was: what is handed over further down is finished.
    page.get_by_role("button", name="Take all of it away").click()
    expect(page.get_by_role("button", name="Take all of it away")).to_have_count(0)
    choose_edition(page, "English")
    _recordings(page)
    choose_edition(page, "العربية")
    make_ready(page)
    go_to(page, "Adapt")
    page.get_by_role("textbox", name=re.compile("^Line 3 in")).click()
    expect(page.locator("[data-exact=true]")).to_be_visible()
    take(page, "adapt")
    page.get_by_role("button", name="All languages").click()
    expect(page.get_by_role("button", name=re.compile("The Stair Español.*: voiced"))).to_be_visible()
    take(page, "board")
    choose_edition(page, "Français")
    go_to(page, "Adapt")
    for number in (2, 4):
        field = page.get_by_role("textbox", name=re.compile(f"^Line {number} in"))
        field.fill("")
        field.press("Enter")
    page.get_by_role("button", name="Draft 2 empty lines").click()
    expect(page.get_by_text(re.compile("2 lines drafted"))).to_be_visible()
    third = page.get_by_role("textbox", name=re.compile("^Line 3 in"))
    third.fill("Attention à la troisième marche, elle buge depuis l'hiver, et personne ne l'a jamais réparée.")
    third.press("Enter")
    page.get_by_role("row").filter(has=third).click(position={"x": 60, "y": 12})
    page.get_by_role("complementary", name="A closer look").get_by_role("button", name="buge").click()
    expect(page.get_by_text(re.compile("^Not in the dictionary"))).to_be_visible()
    expect(page.locator("[data-exact=true]")).to_be_visible()
    take(page, "adapt-doubt")
    choose_edition(page, "Deutsch")
    go_to(page, "Time")
    page.get_by_role("button", name=re.compile(r"^Time: \d+ open points?, go")).click()
    page.keyboard.press("Space")
    expect(page.get_by_test_id("spoken").locator("mark")).to_be_visible()
    page.keyboard.press("Space")
    expect(page.get_by_text("Ways to make it fit")).to_be_visible(timeout=30_000)
    take(page, "time")
    go_to(page, "Mix")
    expect(page.get_by_text("Programme −16.0 LUFS")).to_be_visible()
    take(page, "mix")
    page.get_by_role("button", name="Dark").click()
    go_to(page, "Deliver")
    expect(page.get_by_text(re.compile("^0 of 3 items are made"))).to_be_visible()
    take(page, "deliver-dark")
    page.get_by_role("button", name="Light").click()
    choose_edition(page, "Español (México)")
    open_view(page, "Quality report")
    expect(page.get_by_text("Español (México), figure by figure")).to_be_visible()
    take(page, "quality")
    _review(page)


def _review(page: Page) -> None:
    """What a reviewer sees on a telephone."""
    open_view(page, "Review")
    page.get_by_role("button", name="Invite somebody").click()
    page.get_by_label("For whom").fill("Marisol")
    page.get_by_role("button", name="Make the link").click()
    expect(page.get_by_role("button", name="Copy the link")).to_be_visible()
    production = re.search("[0-9]+", page.url.split("productions/")[1])
    assert production
    address = page.request.get(f"/api/productions/{production[0]}/links/").json()[0]["address"]
    browser = page.context.browser
    assert browser
    context = browser.new_context(viewport={"width": 390, "height": 844})
    phone = context.new_page()
    phone.goto(address)
    expect(phone.get_by_role("button", name="Palabras equivocadas")).to_be_visible()
    phone.wait_for_timeout(1_500)
    take(phone, "review-phone")
    context.close()


def _recordings(page: Page) -> None:
    """What comes back from a studio: most of it as it was asked for, one with another's number, one with none."""
    lines = page.request.get(f"/api/productions/{re.search('[0-9]+', page.url.split('productions/')[1])[0]}/editions/en-GB/").json()["lines"]  # type: ignore[index]
    named = {1: "001_Narrator.wav", 2: "002_Narrator.wav", 8: "008_Pell.wav", 13: "004_Keeper.wav", 20: "pickup.wav"}
    page.get_by_role("button", name="Recordings", exact=True).click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Bring in files or a zip…").set_input_files([
        {"name": name, "mimeType": "audio/wav", "buffer": said(lines[number - 1]["words"])} for number, name in named.items()])
    expect(dialog.get_by_text(re.compile(r"\d matched"))).to_be_visible()
    expect(dialog.get_by_role("status")).to_have_count(0, timeout=90_000)
    take(page, "recordings")
    dialog.get_by_role("button", name="Throw all out").click()
    expect(dialog.get_by_text("No recordings wait here.")).to_be_visible()
    page.keyboard.press("Escape")


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="janoglot-shots-") as folder, running_stack(
            Path(folder), {"JANOGLOT_FINISH_BEHIND": "0"}) as stack, \
            sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
        walk(page)
        browser.close()


if __name__ == "__main__":
    main()
