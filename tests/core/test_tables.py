"""Tables as people really keep them: with rows above, sheets beside, and cells that are no text."""

from __future__ import annotations

import datetime
import io
from typing import Any

import openpyxl
import pytest

from janoglot.core.script.formats import read_script
from janoglot.core.script.model import Script

TABLE = [["speaker", "words", "in", "out"], ["Keeper", "Mind the step.", "1", "2"], ["Imka", "Which one?", "3", "4"]]
SAID = [("Keeper", "Mind the step.", (1.0, 2.0)), ("Imka", "Which one?", (3.0, 4.0))]


def said(script: Script) -> list[Any]:
    return [(line.speaker, line.words, line.slot) for line in script.lines]


def csv(rows: list[list[str]], separator: str = ",") -> str:
    return "\n".join(separator.join(row) for row in rows) + "\n"


def book(*sheets: tuple[str, list[list[Any]]], hidden: tuple[str, ...] = ()) -> bytes:
    made = openpyxl.Workbook()
    made.remove(made.worksheets[0])
    for title, rows in sheets:
        sheet = made.create_sheet(title)
        for row in rows:
            sheet.append(row)
        sheet.sheet_state = "hidden" if title in hidden else "visible"
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


@pytest.mark.parametrize("separator", [";", "|", "\t", ","])
def test_a_row_that_names_the_separator_is_heeded(separator: str) -> None:
    script = read_script(f"sep={separator}\n" + csv(TABLE, separator), "a.csv")
    assert said(script) == SAID
    assert script.lines[0].row == 3, "rows keep their numbers"


@pytest.mark.parametrize("above", [[["The Tidewater Clock", "", "", ""]], [["The Tidewater Clock", "", "", ""], ["", "", "", ""], ["Draft 3", "2026-01-01", "", ""]],
                                   [["", "", "", ""], ["", "", "", ""]]])
@pytest.mark.parametrize("kind", ["csv", "xlsx"])
def test_rows_above_the_header_are_told_and_not_spoken(above: list[list[str]], kind: str) -> None:
    rows = above + TABLE
    script = read_script(csv(rows), "a.csv") if kind == "csv" else read_script(book(("Script", rows)), "a.xlsx")
    assert said(script) == SAID
    assert [problem.code for problem in script.problems] == (["above_table"] if any(above[0]) else [])


def test_a_sheet_that_explains_comes_first_and_a_hidden_one_is_told() -> None:
    data = book(("Read me", [["How to fill this in"], ["One row for each line"]]), ("Old", TABLE), ("Script", TABLE), hidden=("Old",))
    script = read_script(data, "a.xlsx")
    assert said(script) == SAID
    assert [str(problem) for problem in script.problems] == ["Hidden sheets were passed over: Old."]


def test_one_known_heading_among_unknown_ones_is_a_header_all_the_same() -> None:
    script = read_script("Wer,Dialogue,Mood ring,Shelf\nKeeper,Mind the step.,calm,3\nImka,Which one?,tense,4\n", "a.csv")
    assert [line.words for line in script.lines] == ["Mind the step.", "Which one?"]
    assert "unknown_column" in {problem.code for problem in script.problems}


def test_times_as_cells_are_seconds() -> None:
    rows = [["speaker", "words", "in", "out"], ["Keeper", "Mind.", datetime.time(0, 0, 1, 500_000), datetime.timedelta(seconds=2.25)],
            ["Imka", "Which?", 3, 4.5], ["Keeper", "Late.", datetime.datetime(1899, 12, 30, 1, 0, 0), datetime.datetime(1899, 12, 30, 1, 0, 2)]]
    assert [line.slot for line in read_script(book(("Script", rows)), "a.xlsx").lines] == [(1.5, 2.25), (3.0, 4.5), (3600.0, 3602.0)]


def test_a_stray_cell_under_the_table_is_told() -> None:
    script = read_script(csv([*TABLE, ["", "", "", ""], ["", "", "", "Total 2"]]), "a.csv")
    assert said(script) == SAID
    assert [(problem.code, problem.row) for problem in script.problems] == [("no_words", 5)]


def test_a_row_of_data_is_never_taken_for_the_header() -> None:
    rows = [["speaker", "words"], *[["Keeper", "In"], ["Imka", "Out"], ["Speaker", "Line"]]]
    assert [line.words for line in read_script(csv(rows), "a.csv").lines] == ["In", "Out", "Line"]
