"""Script and Cast as places to work: by keyboard, together with somebody else, at size."""

from __future__ import annotations

import io
import re
import time

import docx
from playwright.sync_api import Browser, Page, expect

from janoglot.launcher.stack import Stack
from tests.e2e.conftest import check_accessibility, go_to, open_at, open_production
from tests.e2e.program import Program

SCRIPT = """# Quay
Pilot: The tide is turning. Mind the rope.
Cook: Then the the soup must wait.
PILOT (O.S.): Everything waits.
# Deck
Mate: Nobody said so.
"""


def bring_in(page: Page, text: str, name: str, prose: bool = False) -> None:
    page.goto("/")
    page.get_by_role("button", name="Bring in a script").first.click()
    sheet = page.get_by_role("dialog", name="Bring in a script")
    sheet.get_by_label("Or paste it").fill(text)
    sheet.get_by_role("button", name="Read it").click()
    if prose:
        # Seen to be a book without being told.
        expect(sheet.get_by_label("This is a book's text")).to_be_checked()
        expect(sheet.get_by_text("20 parts")).to_be_visible()
    sheet.get_by_label("Name", exact=True).fill(name)
    sheet.get_by_role("button", name=re.compile("^Create with")).click()
    expect(page.get_by_role("list", name="The script")).to_be_visible()


def brought_in(page: Page, text: str, name: str) -> None:
    """The same without the sheet, open at Script: for journeys that begin there."""
    open_at(page, Program.of(page).bring_in(text, name), "en-GB", "Script")
    expect(page.get_by_role("list", name="The script")).to_be_visible()


def words(page: Page) -> list[str]:
    return [field.input_value() for field in page.get_by_label(re.compile("^Words of line")).all()]


def expect_words(page: Page, wanted: list[str]) -> None:
    fields = page.get_by_label(re.compile("^Words of line"))
    expect(fields).to_have_count(len(wanted))
    for at, text in enumerate(wanted):
        expect(fields.nth(at)).to_have_value(text)


def test_a_script_is_written_by_keyboard_and_every_change_goes_back(page: Page) -> None:
    bring_in(page, SCRIPT, "Ferry by hand")
    check_accessibility(page)
    first = page.get_by_label("Words of line 1")
    first.click()
    page.keyboard.press("Home")
    for _ in range(len("The tide is turning.")):
        page.keyboard.press("ArrowRight")
    # Typed on at once: no letter may fall into the wrong line.
    page.keyboard.press("Enter")
    page.keyboard.type("Now. ")
    expect_words(page, ["The tide is turning.", "Now. Mind the rope.", "Then the the soup must wait.", "Everything waits.",
                        "Nobody said so."])
    expect(page.get_by_label("Words of line 2")).to_be_focused()
    page.keyboard.press("Home")
    page.keyboard.press("Backspace")
    expect_words(page, ["The tide is turning. Now. Mind the rope.", "Then the the soup must wait.", "Everything waits.",
                        "Nobody said so."])
    expect(page.get_by_label("Words of line 1")).to_be_focused()
    # Up and down, then a line moved, then a speaker by two letters.
    page.keyboard.press("ArrowDown")
    expect(page.get_by_label("Words of line 2")).to_be_focused()
    page.keyboard.press("Alt+ArrowUp")
    expect(page.get_by_label("Words of line 1")).to_have_value("Then the the soup must wait.")
    page.get_by_role("combobox", name="Speaker of line 1").click()
    page.keyboard.type("ma")
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Speaker of line 1")).to_have_value("Mate")
    page.get_by_role("tab", name="History").click()
    expect(page.get_by_text("Gave 1 line to Mate")).to_be_visible()
    page.get_by_role("listitem").filter(has_text="Split line 1").get_by_role("button", name="Back to here").click()
    page.get_by_role("listitem").filter(has_text="later changes are undone").get_by_role("button", name="Back to here").click()
    expect_words(page, ["The tide is turning.", "Mind the rope.", "Then the the soup must wait.", "Everything waits.",
                        "Nobody said so."])
    page.keyboard.press("Control+y")
    expect_words(page, ["The tide is turning.", "Now. Mind the rope.", "Then the the soup must wait.", "Everything waits.",
                        "Nobody said so."])


def test_checks_labels_find_and_several_lines_at_once(page: Page) -> None:
    brought_in(page, SCRIPT, "Ferry checked")
    page.get_by_role("button", name="Make them one").click()
    expect(page.get_by_role("heading", name="3 speakers")).to_be_visible()
    expect(page.get_by_text("O.S.", exact=True)).to_be_visible()
    page.get_by_role("tab", name=re.compile("^Checks")).click()
    page.get_by_role("button", name="“the” stands twice in a row.").click()
    expect(page).to_have_url(re.compile(r"line=\d+"))
    page.get_by_role("tab", name="Find").click()
    page.get_by_role("textbox", name="Find").fill("the the")
    page.get_by_label("Replace by").fill("the")
    page.get_by_role("button", name="Replace in 1 line").click()
    expect(page.get_by_label("Words of line 2")).to_have_value("Then the soup must wait.")
    expect(page.get_by_text("stands twice in a row")).to_have_count(0)
    page.get_by_role("button", name="Choose line 2", exact=True).click()
    page.keyboard.press("Shift+ArrowDown")
    bar = page.get_by_role("toolbar", name="2 lines chosen")
    expect(bar).to_be_visible()
    bar.get_by_role("combobox", name="Give to").fill("Stoker")
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Speaker of line 3")).to_have_value("Stoker")
    bar.get_by_label("Spoken or on screen").select_option("on_screen")
    expect(page.get_by_role("img", name="On screen", exact=True)).to_have_count(2)
    bar.get_by_role("button", name="Take 2 lines out").click()
    expect(page.get_by_label(re.compile("^Words of line"))).to_have_count(2)
    page.keyboard.press("Control+z")
    expect(page.get_by_label(re.compile("^Words of line"))).to_have_count(4)
    page.get_by_role("tab", name="Parts").click()
    page.get_by_role("button", name=re.compile("^Begin a part at line")).click()
    expect(page.get_by_role("textbox", name="Title of the part New part").first).to_be_visible()


def test_two_people_at_one_script(page: Page, stack: Stack, browser: Browser) -> None:
    brought_in(page, SCRIPT, "Ferry for two")
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=stack.address)
    other = context.new_page()
    other.goto("/")
    other.get_by_role("button", name="Look around as the demo user").click()
    expect(other.get_by_role("heading", name="Productions")).to_be_visible()
    other.goto(page.url)
    theirs = other.get_by_label("Words of line 3")
    theirs.fill("Everything waits for the tide.")
    theirs.press("Tab")
    # It appears without a reload.
    expect(page.get_by_label("Words of line 3")).to_have_value("Everything waits for the tide.")
    # Both at one line: the second is told, and nothing is lost.
    mine = page.get_by_label("Words of line 1")
    mine.click()
    page.keyboard.press("End")
    page.context.set_offline(True)
    page.keyboard.type(" Quickly.")
    other.get_by_label("Words of line 1").fill("The tide has turned.")
    other.get_by_label("Words of line 1").press("Tab")
    expect(other.get_by_label("Words of line 1")).to_have_attribute("aria-invalid", "false")
    page.context.set_offline(False)
    mine.press("Tab")
    told = page.get_by_role("alert").filter(has_text="Somebody else has changed this line")
    expect(told).to_contain_text("The tide has turned.")
    expect(mine).to_have_value("The tide is turning. Mind the rope. Quickly.")
    told.get_by_role("button", name="Both, one after the other").click()
    mine.press("Tab")
    expect(other.get_by_label("Words of line 1")).to_have_value(
        "The tide has turned. The tide is turning. Mind the rope. Quickly.")
    context.close()


def test_a_book_comes_in_and_opens_and_scrolls_without_blanks(page: Page) -> None:
    page_of_text = "The tide turned under the floor, and Dr. Ash wrote it down at 9.30. Nobody came. " * 20 + "\n\n"
    book = "".join(f"Chapter {n}\n\n{page_of_text * 20}" for n in range(1, 21))
    bring_in(page, book, "The Long Book", prose=True)
    began = time.monotonic()
    page.reload()
    expect(page.get_by_label("Words of line 1", exact=True)).to_be_visible()
    assert time.monotonic() - began < 6  # the mark of 1.5 s is the benchmark's; this machine may be busy
    blank = page.evaluate("""async () => {
        const box = document.querySelector('[role=list][aria-label="The script"]');
        let blank = 0;
        for (let step = 0; step < 40; step++) {
            box.scrollTop += 700;
            await new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)));
            const seen = [...box.querySelectorAll('[data-line]')].some(row => {
                const at = row.getBoundingClientRect(); return at.bottom > 200 && at.top < 600; });
            if (!seen) blank++;
        }
        return blank;
    }""")
    assert blank == 0
    assert page.get_by_label(re.compile("^Words of line")).count() < 120


def test_casting_by_ear_and_by_measure(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Deutsch", "Cast")
    panel = page.get_by_role("complementary", name="Voices to choose from")
    page.get_by_role("button", name=re.compile("Keeper in German")).click()
    expect(panel.get_by_text(re.compile("st off")).first).to_be_visible()
    panel.get_by_role("combobox", name="Rich or light").select_option("formant")
    panel.get_by_label("Search voices").fill("am")
    panel.get_by_role("button", name=re.compile("^Amsel ")).focus()
    panel.get_by_label("Search voices").fill("")
    first = panel.locator("[data-voice]").first
    first.focus()
    with page.expect_response(re.compile("audition")) as heard:
        page.keyboard.press("ArrowDown")
    assert heard.value.status in (200, 206)
    page.keyboard.press("c")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("c")
    both = panel.get_by_role("region", name="Side by side")
    both.get_by_label("Blind").check()
    expect(both.get_by_text("Voice A")).to_be_visible()
    both.get_by_role("button", name="Take this one").first.click()
    expect(both.get_by_text("Voice A")).to_have_count(0)
    expect(page.get_by_role("button", name=re.compile(r"^Keeper in German.*: (?!Cormorant)"))).to_be_visible()
    rest = panel.get_by_role("button", name="Give the rest a voice")
    if rest.count():  # another journey may have cast them before
        rest.click()
    expect(page.get_by_role("button", name=re.compile(r"^Pell in German"))).to_be_visible()
    page.get_by_role("button", name="Contrast", exact=True).click()
    expect(page.get_by_role("img", name=re.compile("^4 voices of German"))).to_be_visible()
    expect(page.get_by_role("row")).to_have_count(7)
    check_accessibility(page)


def test_one_line_is_set_by_itself_and_put_back(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "English", "Script")
    page.get_by_role("button", name="Choose line 3", exact=True).click()
    go_to(page, "Cast")
    panel = page.get_by_role("complementary", name="Voices to choose from")
    panel.get_by_role("button", name="Line 3 alone").click()
    expect(panel.get_by_text("Follows Keeper until something is set.")).to_be_visible()
    pace = panel.get_by_role("slider", name="Pace")
    pace.focus()
    pace.press("ArrowRight")
    expect(panel.get_by_text("Has settings of its own.")).to_be_visible()
    panel.get_by_role("button", name="Let it follow Keeper again").click()
    expect(panel.get_by_text("Follows Keeper until something is set.")).to_be_visible()


def messy_screenplay() -> bytes:
    """300 speeches in a text document, as people write them: labels of every kind, asides, headings, a table."""
    document = docx.Document()
    labels = {"Keeper": ["KEEPER", "Keeper", "KEEPER (O.S.)", "keeper"], "Imka": ["IMKA", "Imka", "Imka (whispering)"],
              "Pell": ["PELL", "Pell"], "Narrator": ["NARRATOR", "Narrator (V.O.)"]}
    for number in range(300):
        if number % 50 == 0:
            document.add_heading(f"Scene {number // 50 + 1}", 1 + number % 2)
        name = list(labels)[number % 4]
        label = labels[name][number // 4 % len(labels[name])]
        document.add_paragraph(f"{label}:  Line {number} of the tide,  said by {name.lower()}. {'(a pause) ' if number % 7 == 0 else ''}Mind it.")
        if number % 60 == 0:
            document.add_paragraph("")
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def test_a_messy_screenplay_is_cast_in_four_editions_by_keyboard(page: Page) -> None:
    page.get_by_role("button", name="Bring in a script").first.focus()
    page.keyboard.press("Enter")
    sheet = page.get_by_role("dialog", name="Bring in a script")
    sheet.locator("input[type=file]").set_input_files(
        {"name": "the-long-stair.docx", "mimeType": "application/octet-stream", "buffer": messy_screenplay()})
    expect(sheet.get_by_text("300 lines").first).to_be_visible()
    sheet.get_by_label("Name", exact=True).focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("list", name="The script")).to_be_visible()
    expect(page.get_by_role("heading", name=re.compile("^[5-9]|1[0-9] speakers"))).to_be_visible()
    # What looks like one person is worked out behind the script: it is waited for.
    expect(page.get_by_role("button", name="Make them one").first).to_be_visible()
    while page.get_by_role("button", name="Make them one").count():
        left = page.get_by_role("button", name="Make them one").count()
        page.get_by_role("button", name="Make them one").first.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Make them one")).to_have_count(left - 1)
    expect(page.get_by_role("heading", name="4 speakers")).to_be_visible()
    for language in ("deutsch", "français (france)", "español (méxico)"):
        page.get_by_role("button", name="Add an edition").focus()
        page.keyboard.press("Enter")
        page.get_by_label("Language", exact=True).fill(language)
        page.keyboard.press("Enter")
        expect(page.get_by_label("Language", exact=True)).to_be_hidden()
    page.keyboard.press("2")
    table = page.get_by_role("table", name="Speakers and editions")
    expect(table).to_be_visible()
    # Every edition by its tab, then the rest cast by one key: the main way that the chooser offers.
    tabs = page.get_by_role("tablist", name="Editions").get_by_role("tab")
    expect(tabs).to_have_count(4)
    for at in range(4):
        tabs.nth(at).focus()
        page.keyboard.press("Enter")
        expect(tabs.nth(at)).to_have_attribute("aria-selected", "true")
        voices = page.get_by_role("complementary", name="Voices to choose from").locator("[data-voice]")
        voices.first.focus()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        expect(table.get_by_text("1 of 4 cast")).to_be_visible()
        page.get_by_role("button", name="Give the rest a voice").focus()
        page.keyboard.press("Enter")
        expect(table.get_by_text("4 of 4 cast")).to_have_count(at + 1)


def test_captions_without_names_are_given_with_a_key_each_and_lines_are_dragged(page: Page) -> None:
    cues = "\n\n".join(f"{n}\n00:00:{2 * n:02},000 --> 00:00:{2 * n + 1:02},500\nCue {n}." for n in range(1, 7))
    brought_in(page, cues, "Captions alone")
    page.get_by_role("button", name="Give with one key each").click()
    bar = page.get_by_role("toolbar", name="One key gives the line to")
    for number, name in ((1, "Keeper"), (2, "Imka")):
        bar.get_by_role("combobox", name="somebody else").fill(name)
        page.keyboard.press("Enter")
        expect(page.get_by_role("combobox", name=f"Speaker of line {number}")).to_have_value(name)
    for key in "1212":
        page.keyboard.press(key)
    names = page.get_by_role("combobox", name=re.compile("^Speaker of line"))
    for at, name in enumerate(["Keeper", "Imka"] * 3):
        expect(names.nth(at)).to_have_value(name)
    page.keyboard.press("Escape")
    expect(bar).to_be_hidden()
    page.get_by_role("button", name="Choose line 5", exact=True).drag_to(page.get_by_label("Words of line 2"))
    expect_words(page, ["Cue 1.", "Cue 5.", "Cue 2.", "Cue 3.", "Cue 4.", "Cue 6."])
