"""From a script with its translations to finished tracks, as a user does it; what is taken away is measured."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from pathlib import Path

import numpy as np
import pytest
import soundfile
import srt as srt_library
import webvtt as webvtt_library
from playwright.sync_api import Download, Page, expect

from tests.core.test_loudness import ffmpeg_measures
from tests.e2e.conftest import check_accessibility, go_to, make_ready, open_production, open_view, ready

OWN_STACK = True

OWN = """Character;Line;Start;Stop;Español (México)
Harbourmaster;The ferry leaves at the turn of the tide.;0:01;0:04,2;El ferry sale con el cambio de la marea.
Deckhand;Which tide?;0:04,6;0:05,8;¿Qué marea?
Harbourmaster;The next one. There is always a next one.;0:06;0:09;La próxima. Siempre hay una próxima.
"""


def saved(download: Download, folder: Path) -> Path:
    place = folder / download.suggested_filename
    download.save_as(place)
    return place


def take_away(page: Page, edition: str, what: str, folder: Path) -> Path:
    open_view(page, "Single files")
    row = page.get_by_role("row", name=re.compile(re.escape(edition)))
    with page.expect_download() as waiting:
        row.get_by_role("button", name=what).click()
    return saved(waiting.value, folder)


def test_the_demo_becomes_a_finished_track(page: Page, tmp_path: Path) -> None:
    open_production(page, "The Tidewater Clock", "Español (México)", "Script")
    check_accessibility(page)
    make_ready(page, finish=True)
    go_to(page, "Deliver")
    check_accessibility(page)
    wav = take_away(page, "Español (México)", "WAV", tmp_path)
    captions = take_away(page, "Español (México)", "SRT", tmp_path)
    webvtt = take_away(page, "Español (México)", "WebVTT", tmp_path)
    clips = take_away(page, "Español (México)", "Clips", tmp_path)
    assert wav.name == "The-Tidewater-Clock_es-MX.wav"
    samples, rate = soundfile.read(wav)
    assert soundfile.info(wav).subtype == "PCM_24"
    assert rate == 48_000
    with page.expect_download() as waiting:
        page.get_by_role("button", name="Download the script").click()
    rows = list(csv.DictReader(io.StringIO(saved(waiting.value, tmp_path).read_text("utf-8-sig"))))
    minutes, seconds = rows[-1]["out"].split(":")[1:]
    # What lies under the last line goes on a little behind it.
    assert 0 <= len(samples) / rate - (60 * int(minutes) + float(seconds)) < 4
    assert samples.shape[1] == 2
    lufs, peak = ffmpeg_measures(wav)
    assert lufs == pytest.approx(-16, abs=0.5)
    assert peak <= -1.0
    cues = list(srt_library.parse(captions.read_text()))
    assert len(cues) >= 48
    assert len(list(webvtt_library.read(str(webvtt)))) == len(cues)
    silent = np.ones(len(samples), bool)
    for cue in cues:
        start, end = cue.start.total_seconds(), cue.end.total_seconds()
        part = samples[round(start * rate): round(end * rate)]
        assert np.sqrt(np.mean(part**2)) > 0.01, cue.content
        silent[round((start - 0.02) * rate): round((end + 0.02) * rate)] = False
    # Between the lines it is the sea that is heard, far under what is said.
    under, said = (np.sqrt(np.mean(samples[where] ** 2)) for where in (silent, ~silent))
    assert 1e-4 < under < 0.3 * said
    names = zipfile.ZipFile(clips).namelist()
    assert len(names) == 48
    assert names[2] == "003_Keeper_es-MX.wav"


def test_a_script_of_ones_own(page: Page, tmp_path: Path) -> None:
    page.get_by_role("button", name="Bring in a script").first.click()
    sheet = page.get_by_role("dialog", name="Bring in a script")
    sheet.locator("input[type=file]").set_input_files(
        {"name": "night_ferry.csv", "mimeType": "text/csv", "buffer": OWN.encode("cp1252")})
    expect(sheet.get_by_text("3 lines", exact=True)).to_be_visible()
    expect(sheet.get_by_label("Written in")).to_have_value("cp1252")
    expect(sheet.get_by_role("textbox", name="Name")).to_have_value("night ferry")
    check_accessibility(page)
    sheet.get_by_role("button", name="Create with 3 lines").click()
    expect(page.get_by_role("tab", name="Español (México)")).to_have_attribute("aria-selected", "true")
    make_ready(page)
    go_to(page, "Deliver")
    open_view(page, "Single files")
    row = page.get_by_role("row", name=re.compile(r"Español \(México\)"))
    expect(row.get_by_text("3 lines are sketches")).to_be_visible()
    check_accessibility(page)
    row.get_by_role("button", name="Hand over sketches").click()
    sketch = take_away(page, "Español (México)", "WAV", tmp_path)
    assert sketch.name == "night-ferry_es-MX_sketch.wav"
    make_ready(page, finish=True)
    # The mix is asked for in Mix, where there is none by then.
    go_to(page, "Deliver")
    wav = take_away(page, "Español (México)", "WAV", tmp_path)
    assert wav.name == "night-ferry_es-MX.wav"
    assert soundfile.info(wav).duration == pytest.approx(soundfile.info(sketch).duration, abs=0.001)
    assert soundfile.info(wav).duration == pytest.approx(9.0, abs=0.6)
    assert ffmpeg_measures(wav)[0] == pytest.approx(-16, abs=0.5)


def test_a_bad_file_is_one_sentence_and_creates_nothing(page: Page) -> None:
    expect(page.get_by_role("link", name=re.compile("Tidewater"))).to_be_visible()
    before = page.get_by_role("listitem").count()
    page.get_by_role("button", name="Bring in a script").first.click()
    sheet = page.get_by_role("dialog", name="Bring in a script")
    sheet.locator("input[type=file]").set_input_files(
        {"name": "photo.csv", "mimeType": "text/csv", "buffer": b"\x89PNG\r\n\x1a\n\x00\x00\x00\x00"})
    expect(sheet.get_by_role("alert")).to_contain_text("This is not a text file")
    sheet.get_by_label("Or paste it").fill("Keeper: Mind the step.\nIt is loose.\nImka:")
    sheet.get_by_role("button", name="Read it").click()
    expect(sheet.get_by_text("Imka says nothing here: left out.")).to_be_visible()
    page.keyboard.press("Escape")
    page.reload()
    expect(page.get_by_role("link", name=re.compile("Tidewater"))).to_be_visible()
    assert page.get_by_role("listitem").count() == before


def test_casting_hears_before_it_picks_and_flags_the_wrong_language(page: Page) -> None:
    open_production(page, "Harbour Museum phone prompts", "English", "Cast")
    check_accessibility(page)
    page.get_by_role("button", name=re.compile("^Menu in English")).click()
    panel = page.get_by_role("complementary", name="Voices to choose from")
    panel.get_by_role("combobox", name="Register").select_option("low")
    with page.expect_response(re.compile("audition")) as heard:
        panel.get_by_role("button", name="Hear Curlew say a line of Menu").click()
    assert heard.value.status in (200, 206)
    panel.get_by_role("button", name=re.compile("^Curlew ")).click()
    expect(page.get_by_role("button", name=re.compile(r"^Menu in English.*: Curlew"))).to_be_visible()
    panel.get_by_role("combobox", name="Register").select_option("")
    panel.get_by_role("checkbox", name="Voices of other languages").check()
    panel.get_by_role("combobox", name="Language").select_option("French (France)")
    panel.get_by_role("button", name=re.compile("^Pinson")).click()
    expect(panel.get_by_text("Pinson speaks French (France)")).to_be_visible()
    panel.get_by_role("button", name="The accent is meant").click()
    expect(panel.get_by_text("Pinson speaks French (France)")).to_be_hidden()


def test_only_what_changed_is_voiced_again_and_undo_brings_it_back(page: Page) -> None:
    open_production(page, "Harbour Museum phone prompts", "English", "Script")
    ready(page)
    line = page.get_by_label("Words of line 2")
    line.fill("The Tidewater Clock is open every single day.")
    line.press("Tab")
    main = page.get_by_role("banner")
    expect(main.get_by_role("button", name="Voice 1 line")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("^out of date"))).to_have_count(1)
    main.get_by_role("button", name="Voice 1 line").click()
    expect(page.get_by_role("img", name=re.compile("^(voiced|a sketch)"))).to_have_count(11)
    page.get_by_role("button", name="Undo the words of a line").click()
    expect(line).to_have_value(re.compile("from low water to high water"))
    expect(page.get_by_role("img", name=re.compile("^(voiced|a sketch)"))).to_have_count(11)


def test_listening_starts_at_the_chosen_line_marks_the_word_and_seeks(page: Page) -> None:
    open_production(page, "Harbour Museum phone prompts", "English", "Time")
    ready(page)
    check_accessibility(page)
    page.get_by_role("button", name=re.compile("^Line 4, Menu")).click()
    started = page.get_by_role("button", name=re.compile("^Line 4, Menu")).get_attribute("aria-label") or ""
    minutes, seconds = re.search(r"(\d+):([\d.]+)", started).groups()  # type: ignore[union-attr]
    page.get_by_role("heading", name="Menu").click()
    page.keyboard.press("Space")
    spoken = page.get_by_test_id("spoken")
    expect(spoken.locator("mark")).to_be_visible()
    expect(spoken).to_contain_text("To book a boat")
    page.keyboard.press("Space")
    seek = page.get_by_role("slider", name="Place in the programme")
    at = float(seek.get_attribute("aria-valuenow") or 0)
    assert 60 * int(minutes) + float(seconds) - 0.2 <= at <= 60 * int(minutes) + float(seconds) + 6
    page.keyboard.press("Space")
    page.keyboard.press(".")
    expect(spoken).to_contain_text("For anything that is loose")
    page.keyboard.press("Space")
    # It is drawn a moment after it has stopped.
    expect(seek).not_to_have_attribute("aria-valuenow", f"{at:g}")
    assert float(seek.get_attribute("aria-valuenow") or 0) > at
    seek.press("Home")
    expect(seek).to_have_attribute("aria-valuenow", "0")


def test_lines_that_do_not_fit_are_shown_with_their_seconds(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Deutsch", "Time")
    ready(page)
    page.get_by_role("button", name=re.compile(r"^Time: \d+ open points?, go")).click()
    panel = page.get_by_role("complementary", name="How the chosen line sits")
    expect(panel.get_by_text("Does not fit by")).to_be_visible()
    assert "line=" in page.url
    page.reload()
    expect(panel.get_by_text("Does not fit by")).to_be_visible()
    go_to(page, "Mix")
    expect(page.get_by_text("−16.0 LUFS").first).to_be_visible()
    check_accessibility(page)


def test_words_are_typed_right_to_left_and_captions_come_in_by_time(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "العربية", "Adapt")
    check_accessibility(page)
    field = page.get_by_label("Line 16 in")
    expect(field).to_have_attribute("dir", "rtl")
    field.fill("ليس عليها أرقام.")
    field.press("Enter")
    expect(page.get_by_text("15 of 48 lines have words")).to_be_visible()
    page.get_by_role("button", name="Bring in", exact=True).click()
    page.get_by_role("menuitem", name="Translated captions").click()
    sheet = page.get_by_role("dialog", name=re.compile("Captions in"))
    sheet.locator("input[type=file]").set_input_files(
        {"name": "ar.srt", "mimeType": "text/plain",
         "buffer": "1\n00:04:06,000 --> 00:04:09,000\nتعالي عبر الدرج.\n".encode()})
    sheet.get_by_role("button", name="Write 1 line").click()
    expect(page.get_by_text("16 of 48 lines have words")).to_be_visible()


def test_an_edition_is_added_by_name_and_speakers_are_renamed_and_merged(page: Page) -> None:
    open_production(page, "Harbour Museum phone prompts", "English", "Script")
    page.get_by_role("button", name="Add an edition").click()
    page.get_by_label("Language", exact=True).fill("suomi")
    page.keyboard.press("Enter")
    expect(page.get_by_role("tab", name=re.compile("^Suomi"))).to_have_attribute("aria-selected", "true")
    go_to(page, "Script")
    page.get_by_role("button", name="Rename Waiting").click()
    page.get_by_role("textbox", name="Rename Waiting").fill("The one who waits with you on the line for as long as it takes")
    page.keyboard.press("Enter")
    page.get_by_role("button", name=re.compile("^Merge The one who waits")).click()
    page.get_by_role("menuitem", name="Menu").click()
    expect(page.get_by_role("heading", name="2 speakers")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("heading", name="3 speakers")).to_be_visible()


def test_the_keys_are_listed_and_stages_are_reached_without_a_mouse(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Français", "Script")
    page.get_by_role("button", name="Choose line 2", exact=True).click()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    page.keyboard.press("ArrowDown")
    expect(page).to_have_url(re.compile(r"line=\d+$"))
    first = page.url
    page.keyboard.press("ArrowDown")
    expect(page).not_to_have_url(first)
    page.keyboard.press("2")
    expect(page.get_by_role("table", name="Speakers and editions")).to_be_visible()
    page.go_back()
    expect(page.get_by_role("textbox", name="Title of the part The Stair")).to_be_visible()
