"""Direct: a line on its stave, by keyboard; words read otherwise, moods, readings, a guide, markup."""

from __future__ import annotations

import re
from typing import Any
from xml.etree import ElementTree

from playwright.sync_api import Page, expect

from tests.e2e.conftest import check_accessibility, open_production
from tests.e2e.program import Program, until

LINE = "productions/1/editions/es-MX/"


def told(page: Page, path: str) -> Any:
    return Program.of(page).get(f"/api/{path}")


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
    until(lambda: told(page, f"{own}stave/")["seconds"] > before["seconds"] + 0.4, "what was directed")
    assert {mark["kind"] for mark in told(page, f"{own}direction/")["marks"]} == {"lift", "pace", "gap"}
    for _ in range(3):
        page.get_by_role("button", name=re.compile("^Undo")).click()
    expect(page.get_by_role("slider", name="Pace")).to_have_attribute("aria-valuenow", "1")
    until(lambda: told(page, f"{own}direction/")["marks"] == [], "what was directed")
    assert told(page, f"{own}stave/") == before


def test_a_misread_name_is_cured_everywhere(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "English", "Direct")
    edition = "productions/1/editions/en-GB/"
    page.get_by_role("listbox", name="Lines").get_by_role("option").filter(has_text="Mind the third step").click()
    stave = page.get_by_role("group", name="The words along their own time")
    word = stave.get_by_role("button", name="winter.", exact=True)
    word.click()
    page.get_by_label("Read as").select_option("Other words")
    page.get_by_label("Other words", exact=True).fill("vinter")
    page.get_by_role("button", name="Everywhere: “winter”").click()
    expect(page.get_by_text("“winter” is in the lexicon", exact=False)).to_be_visible()
    entry = told(page, f"{edition}lexicon/")["entries"][0]
    words = {line["id"]: line["words"] for line in told(page, edition)["lines"]}
    assert entry["said"] == "vinter" and entry["lines"] and all("winter" in words[line] for line in entry["lines"])
    page.get_by_role("button", name="Lexicon", exact=True).click()
    expect(page.get_by_role("cell", name="winter", exact=True)).to_be_visible()
    check_accessibility(page)
    page.get_by_role("button", name="Take “winter” out").click()
    expect(page.get_by_text("Nothing is read otherwise yet")).to_be_visible()
    assert told(page, f"{edition}lexicon/")["entries"] == []


def test_a_line_is_whispered_and_a_question_is_heard_as_one(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "English", "Direct")
    edition = "productions/1/editions/en-GB/"
    page.get_by_role("listbox", name="Lines").get_by_role("option").filter(has_text="And what do they find").click()
    line = next(line for line in told(page, edition)["lines"] if line["words"].startswith("And what do they"))
    path = f"{edition}lines/{line['id']}/"
    before = told(page, f"{path}stave/")
    field = page.get_by_label("How it should sound, in plain words")
    field.fill("whispered, purple, questioning at the end")
    field.press("Enter")
    expect(page.get_by_text("Not understood: “purple”")).to_be_visible()
    expect(page.get_by_role("slider", name="Whispered")).to_have_attribute("aria-valuenow", "1")
    plain = [value for value in before["hz"] if value]
    # A whisper sings nothing.
    until(lambda: not any(told(page, f"{path}stave/")["hz"]), "what was directed")
    page.get_by_role("button", name="Take “Whispered” away").click()
    until(lambda: any(told(page, f"{path}stave/")["hz"]), "what was directed")
    assert [mark["kind"] for mark in told(page, f"{path}direction/")["marks"]] == ["turn"]
    hz = [value for value in told(page, f"{path}stave/")["hz"] if value]
    assert sum(hz[-12:-5]) > 1.15 * sum(plain[-12:-5]), "the end of a question rises"


def test_three_readings_one_chosen_and_taken_back(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Español", "Direct")
    page.get_by_role("listbox", name="Lines").get_by_role("option").nth(1).click()
    line = told(page, LINE)["lines"][1]
    own = f"{LINE}lines/{line['id']}/direction/"
    page.get_by_role("button", name="Vary").click()
    readings = page.get_by_role("region", name="Readings").get_by_role("listitem")
    expect(readings).to_have_count(4)
    page.get_by_role("button", name="Choose", exact=True).nth(1).click()
    until(lambda: told(page, own)["variant"] == 2, "what was directed")
    page.get_by_role("checkbox", name="Compare blind").click()
    expect(page.get_by_text("Reading D", exact=True)).to_be_visible()
    page.get_by_role("checkbox", name="Compare blind").click()
    page.get_by_role("button", name=re.compile("^Undo")).click()
    until(lambda: told(page, own)["variant"] == 0, "what was directed")
    assert [take["number"] for take in told(page, own)["takes"] if take["kept"]] == [1, 2, 3]


def test_a_guide_is_recorded_followed_and_deleted(page: Page) -> None:
    page.context.grant_permissions(["microphone"])
    open_production(page, "The Tidewater Clock", "English", "Direct")
    edition = "productions/1/editions/en-GB/"
    page.get_by_role("listbox", name="Lines").get_by_role("option").filter(has_text="Because it tells me").click()
    line = next(line for line in told(page, edition)["lines"] if line["words"].startswith("Because it tells me"))
    path = f"{edition}lines/{line['id']}/"
    before = told(page, f"{path}stave/")["seconds"]
    page.get_by_role("button", name="Record", exact=True).click()
    # Long enough for all of what its microphone hears to be said.
    stop = page.get_by_role("button", name=re.compile(r"^Stop \("))
    expect(stop).to_have_text(re.compile(r"\((?:[5-9]|1\d)\b.* s\)"), timeout=20_000)
    stop.click()
    until(lambda: told(page, f"{path}guide/")["state"] != "none", "what was directed")
    until(lambda: told(page, f"{path}guide/")["state"] == "ready", "the guide's reading")
    found = told(page, f"{path}guide/")
    # What the browser hears is the demo's own guide, of another line: that is told, and followed by phrase.
    assert found["state"] == "ready" and found["sound"] and found["followed"], found
    expect(page.get_by_role("region", name="Guide read").get_by_role("slider", name="Melody")).to_be_visible()
    assert told(page, f"{path}stave/")["seconds"] != before
    page.get_by_role("button", name="Delete the recording for good").click()
    expect(page.get_by_role("button", name="Delete the recording for good")).to_have_count(0)
    until(lambda: told(page, f"{path}stave/")["seconds"] == before, "what was directed")
    assert page.request.get(f"/api/{path}guide/recording.flac").status == 404


def test_ssml_goes_out_and_comes_in_again(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Español", "Direct")
    page.get_by_role("listbox", name="Lines").get_by_role("option").nth(5).click()
    line = told(page, LINE)["lines"][5]
    page.get_by_role("button", name="SSML").click()
    field = page.get_by_label("The lines as SSML")
    root = ElementTree.fromstring(field.input_value())
    sentence = next(root.iter("{http://www.w3.org/2001/10/synthesis}s"))
    wrapped = ElementTree.SubElement(sentence, "{http://www.w3.org/2001/10/synthesis}prosody", {"rate": "80%"})
    wrapped.text, sentence.text = sentence.text, ""
    field.fill(ElementTree.tostring(root, "unicode").replace('rate="80%"', 'rate="sluggish"'))
    expect(page.get_by_text("“sluggish” is no rate.")).to_be_visible()
    expect(page.get_by_role("button", name="Take it over")).to_be_disabled()
    field.fill(ElementTree.tostring(root, "unicode"))
    page.get_by_role("button", name="Take it over").click()
    expect(page.get_by_label("The lines as SSML")).to_have_count(0)
    marks = told(page, f"{LINE}lines/{line['id']}/direction/")["marks"]
    assert marks == [{"kind": "pace", "word": 0, "amount": 0.8, "count": len(line["words"].split())}]
    page.get_by_role("button", name=re.compile("^Undo")).click()
    until(lambda: told(page, f"{LINE}lines/{line['id']}/direction/")["marks"] == [], "what was directed")
