"""The recording sheet: everything that is asked for before the microphone, in three formats that are read again."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from openpyxl import load_workbook
from pypdf import PdfReader

from janoglot.core.deliver.deliverable import FailedCheck, LineToSay, Stores
from janoglot.core.deliver.recording_sheet import sheet_csv, sheet_html, sheet_pdf, sheet_xlsx
from janoglot.core.deliver.registry import DELIVERABLES, make_and_check
from janoglot.core.errors import BadInput
from janoglot.core.speech.recordings_by_line import LineToRecord, NamedRecording, match_recordings
from janoglot.core.store import FolderStore

LINES = [
    LineToSay(3, "Keeper", "The tide is <late> & turning.", "Quay", "", 61.5, 64.0, "quietly", "very tired", ("Wapping: ˈwɒpɪŋ",)),
    LineToSay(12, "Old Wren", "=1+1", "Quay", recorded=True),
    LineToSay(13, "حارس", "المد يتحول الآن.", "Deck", "The tide is turning now.", 70.0, 72.25),
]


def test_csv_has_all_of_a_line_and_no_cell_is_a_formula() -> None:
    rows = list(csv.DictReader(io.StringIO(sheet_csv(LINES, "en-GB").decode("utf-8-sig"), newline="")))
    assert rows[0] == {"number": "3", "file": "003_Keeper_en-GB.wav", "part": "Quay", "speaker": "Keeper", "words": LINES[0].words, "source": "",
                       "in": "1:01.50", "out": "1:04.00", "seconds": "2.50", "notes": "quietly", "delivery": "very tired",
                       "names": "Wapping: ˈwɒpɪŋ", "recorded": ""}
    assert rows[1]["words"] == "'=1+1" and rows[1]["recorded"] == "yes" and rows[1]["seconds"] == ""


def test_the_name_that_is_asked_for_brings_a_recording_back_to_its_line() -> None:
    rows = list(csv.DictReader(io.StringIO(sheet_csv(LINES, "ar-EG").decode("utf-8-sig"), newline="")))
    lines = [LineToRecord(line.number, line.number, line.speaker, line.words) for line in LINES]
    found = match_recordings([NamedRecording(k, row["file"], None) for k, row in enumerate(rows)], lines, "ar-EG")
    assert [one.line for one in found] == [3, 12, 13]


def test_xlsx_runs_from_the_right_where_its_language_does() -> None:
    for language, way in (("ar-EG", True), ("de-DE", False)):
        sheet = load_workbook(io.BytesIO(sheet_xlsx(LINES, language))).active
        assert sheet is not None and bool(sheet.sheet_view.rightToLeft) is way
        assert [row[4].value for row in sheet.iter_rows(min_row=2)] == ["The tide is <late> & turning.", "'=1+1", "المد يتحول الآن."]


@pytest.mark.parametrize(("language", "words"), [
    ("ar-EG", "المد يتحول الآن."), ("hi-IN", "ज्वार बदल रहा है।"), ("zh-CN", "潮水正在转向。"), ("ja-JP", "潮が変わる。"), ("en-GB", "The tide is turning.")])
def test_pdf_has_letters_for_every_script(language: str, words: str) -> None:
    made = sheet_pdf([LineToSay(7, "Keeper", words, "Quay")], language, "The Tidewater Clock")
    [page] = PdfReader(io.BytesIO(made)).pages
    text = page.extract_text()
    assert "007_Keeper" in "".join(text.split()) and "Tidewater" in text
    fonts = {str(font["/BaseFont"]) for font in (page["/Resources"]["/Font"][name].get_object() for name in page["/Resources"]["/Font"])}  # type: ignore[index]
    wanted = {"ar": "Arabic", "hi": "Devanagari", "zh": "Droid", "ja": "Droid", "en": "Noto"}[language[:2]]
    assert any(wanted in name.replace("-", "") for name in fonts), fonts


def test_what_is_printed_is_text_and_nothing_from_elsewhere() -> None:
    html = sheet_html([LineToSay(1, "<b>K", "<img src='file:///etc/passwd'>", notes="<script>")], "en-GB", "A & B")
    assert "<img" not in html and "<b>K" not in html and "<script>" not in html and "A &amp; B" in html


def test_ends_of_the_world_are_not_printed() -> None:
    with pytest.raises(BadInput):
        sheet_pdf([LineToSay(1, "Keeper", "x")] * 5_001, "en-GB", "Long")


@pytest.mark.parametrize("ending", ["csv", "xlsx", "pdf"])
def test_each_is_read_again_before_it_is_handed_out(tmp_path: Path, ending: str) -> None:
    kind = DELIVERABLES[f"recording-sheet.{ending}"]
    lines = [{"number": line.number, "speaker": line.speaker, "words": line.words, "names": list(line.names)} for line in LINES]
    order = {"lines": lines, "language": "en-GB", "production": "Tidewater"}
    place, stores = tmp_path / "sheet", Stores(FolderStore(tmp_path), FolderStore(tmp_path))
    assert make_and_check(kind, order, stores, place)["lines"] == 3
    with pytest.raises(FailedCheck):
        kind.check({**order, "lines": [*lines, {**lines[0], "number": 99}]}, place, {})
