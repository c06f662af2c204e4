"""People record what is said: the sheet goes out, forty recordings come back in a zip, and each finds its line."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Page, expect

from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.takes import TakeRecipe
from tests.e2e.conftest import check_accessibility, open_at, production_of
from tests.e2e.program import Program

PLACES = ["the harbour gate", "the long pier", "the clock stair", "the tide gallery", "the lamp room"]
KINDS = ["Nobody waits at {place}.", "Ring the bell at {place}!", "Who left a coat at {place}?", "There is fog over {place}.",
         "Leave the key at {place}.", "I once slept at {place}.", "The gulls own {place}.", "We meet again at {place}."]
WORDS = [kind.format(place=place) for place in PLACES for kind in KINDS]


def said(words: str) -> bytes:
    """Somebody says it, in a room."""
    spoken = engine_named("rich").speak(TakeRecipe(words, voice_named("blackcap"), Delivery(), "en-GB").utterance)
    quiet = np.zeros(spoken.rate // 2)
    sound = np.concatenate([quiet, 0.3 * spoken.samples, quiet])
    made = io.BytesIO()
    soundfile.write(made, sound + np.random.default_rng(1).normal(0, 3e-4, len(sound)), spoken.rate, format="WAV")
    return made.getvalue()


def brought_in(page: Page, script: str, name: str, stage: str) -> int:
    """A production whose speaker has a light voice: quick to speak, and to hold recordings against."""
    program = Program.of(page)
    production = program.bring_in(script, name)
    speaker = program.edition(production, "en-GB")["lines"][0]["speaker"]
    program.call("put", f"/api/productions/{production}/editions/en-GB/castings/{speaker}/", {"voice": "curlew"})
    open_at(page, production, "en-GB", stage)
    return production


def test_a_template_of_thirty_rows(page: Page) -> None:
    brought_in(page, "speaker,en-GB\nMenu,The next tide is at {time} on {weekday}.\nMenu,Goodbye.\n", "tides", "Direct")
    page.get_by_role("listbox", name="Lines").get_by_role("option").first.click()
    panel = page.get_by_role("region", name="Template")
    panel.get_by_label("Bring in a table…").set_input_files({"name": "tides.csv", "mimeType": "text/csv", "buffer": (
        "name,time,weekday\n" + "\n".join(f"tide-{k:02},{k % 12 + 1}:{k + 10},day {k}" for k in range(29))).encode()})
    expect(panel.get_by_role("button", name="Make 29 clips")).to_be_visible()
    panel.get_by_role("button", name="Add a row").click()
    expect(panel.get_by_role("table")).to_have_attribute("aria-rowcount", "31")
    panel.get_by_role("rowgroup").evaluate("box => box.scrollTo(0, box.scrollHeight)")
    expect(panel.get_by_text("No value for time, weekday")).to_be_visible()
    panel.get_by_label("time of clip-30").fill("noon")
    panel.get_by_label("time of clip-30").press("Enter")
    expect(panel.get_by_text("No value for weekday")).to_be_visible()
    panel.get_by_label("weekday of clip-30").fill("Sunday")
    panel.get_by_label("weekday of clip-30").blur()
    panel.get_by_label("What time is read as").select_option("time")
    check_accessibility(page)
    panel.get_by_role("button", name="Make 30 clips").click()
    expect(panel.get_by_role("button", name="ZIP")).to_be_visible(timeout=90_000)
    panel.get_by_role("rowgroup").evaluate("box => box.scrollTo(0, 0)")
    panel.get_by_role("button", name="Hear tide-00").click()
    expect(panel.get_by_role("button", name="Hear tide-00")).to_have_attribute("aria-pressed", "true")
    with page.expect_download() as download:
        panel.get_by_role("button", name="ZIP").click()
    with zipfile.ZipFile(Path(download.value.path())) as archive:
        names = archive.namelist()
        assert len(names) == 30 and names[0] == "001/tide-00_en-GB.wav" and names[-1] == "001/clip-30_en-GB.wav"
        lengths = [soundfile.info(io.BytesIO(archive.read(name))).duration for name in names]
    assert all(0.8 < length < 6 for length in lengths)
    # One value is another: that clip alone is made again.
    panel.get_by_label("weekday of tide-00").fill("Monday")
    panel.get_by_label("weekday of tide-00").blur()
    panel.get_by_role("button", name="Make 1 clip").click()
    expect(panel.get_by_role("button", name="ZIP")).to_be_visible(timeout=30_000)


def test_forty_recordings_come_back_in_a_zip(page: Page, tmp_path: Path) -> None:
    brought_in(page, "speaker,en-GB\n" + "\n".join(f"Harbour Master,{words}" for words in WORDS), "pier", "Cast")
    expect(page.get_by_role("button", name="Voice 40 lines")).to_be_visible()
    page.get_by_label("Recorded by a person").click()
    page.get_by_role("button", name="40 lines to record").click()
    page.get_by_role("button", name="Recordings", exact=True).click()
    dialog = page.get_by_role("dialog")
    with page.expect_download() as download:
        dialog.get_by_role("button", name="CSV").click()
    rows = list(csv.DictReader(io.StringIO(Path(download.value.path()).read_text(encoding="utf-8-sig"), newline="")))
    assert [row["words"] for row in rows] == WORDS
    packed = tmp_path / "studio.zip"
    with zipfile.ZipFile(packed, "w") as archive:
        for number, row in enumerate(rows):
            # One was given another's name, and one no name at all.
            name = {6: rows[7]["file"].replace(".wav", "_b.wav"), 9: "pickup.wav"}.get(number, row["file"])
            archive.writestr(f"day 1/{name}", said(row["words"]))
        archive.writestr("day 1/notes.txt", "cold in there")
    dialog.get_by_label("Bring in files or a zip…").set_input_files(packed)
    expect(dialog.get_by_text(re.compile(r"\d+ matched"))).to_be_visible(timeout=60_000)
    # They are being brought in, then listened to: nothing of it is told any more when all has been heard.
    expect(dialog.get_by_role("status")).to_have_count(0, timeout=240_000)
    check_accessibility(page, "[role=dialog]")
    misnamed = dialog.get_by_role("row").filter(has_text="_b.wav")
    expect(misnamed).to_contain_text(re.compile("Its name says line 8, its words are line 7's"))
    unnamed = dialog.get_by_role("row").filter(has_text="pickup.wav")
    expect(unnamed).to_contain_text(WORDS[9])
    for row in (misnamed, unnamed):
        tick = row.get_by_role("checkbox")
        if tick.get_attribute("aria-checked") != "true":
            tick.click()
    # What the recogniser was not sure of is looked at, and taken.
    unsure = dialog.get_by_role("checkbox", checked=False)
    while left := unsure.count():
        unsure.first.click()
        expect(unsure).to_have_count(left - 1)
    dialog.get_by_role("button", name="Take 40 recordings").click()
    expect(dialog.get_by_text("No recordings wait here.")).to_be_visible()
    expect(dialog.get_by_text("40 lines have recordings.")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("banner").get_by_role("button", name="Make the mix")).to_be_visible(timeout=180_000)
    line = page.get_by_role("listbox", name="Lines").get_by_role("option").nth(6)
    line.click()
    panel = page.get_by_role("region", name="A person's take")
    expect(panel).to_contain_text("_b.wav")
    expect(page.get_by_role("img", name=re.compile("^The recording"))).to_be_visible()
    # Its words were found in it, in order.
    told = Program.of(page).edition(production_of(page), "en-GB")["lines"][6]
    assert len(told["marks"]) == 6 and told["rate"] == 1
    assert all(one[0] < other[0] for one, other in zip(told["marks"], told["marks"][1:], strict=False))
    check_accessibility(page)
