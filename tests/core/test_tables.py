"""Tables as people really keep them: with rows above, sheets beside, and cells that are no text."""

from __future__ import annotations

import datetime
import io
import zipfile
from typing import Any

import openpyxl
import pytest

from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
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


def as_file(made: openpyxl.Workbook) -> bytes:
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


class TestWhatASheetSaysOfItsCells:
    @staticmethod
    def sheet(rows: list[list[Any]]) -> tuple[openpyxl.Workbook, Any]:
        made = openpyxl.Workbook()
        sheet = made.worksheets[0]
        for row in rows:
            sheet.append(row)
        return made, sheet

    def test_hidden_columns_are_passed_over_and_asked_for(self) -> None:
        made, sheet = self.sheet([["speaker", "words", "es-MX", "notes"], ["Keeper", "Mind it.", "Cuidado.", "not to be seen"]])
        for column in "CD":
            sheet.column_dimensions[column].hidden = True
        script = read_script(as_file(made), "a.xlsx")
        assert (script.languages, script.lines[0].notes, script.lines[0].wordings) == ([], "", {})
        assert [(p.code, p.fields["names"]) for p in script.problems] == [("hidden_columns", "es-MX, notes")]
        assert script.columns[2] == ("es-MX", "")
        told = read_script(as_file(made), "a.xlsx", Hints(columns={2: "es-MX"}))
        assert (told.lines[0].wordings, [p.fields["names"] for p in told.problems]) == ({"es-MX": "Cuidado."}, ["notes"])

    def test_hidden_columns_are_read_where_nothing_else_is_a_script(self) -> None:
        made, sheet = self.sheet([["speaker", "words"], ["Keeper", "Mind it."]])
        sheet.column_dimensions["B"].hidden = True
        script = read_script(as_file(made), "a.xlsx")
        assert [(line.speaker, line.words) for line in script.lines] == [("Keeper", "Mind it.")]

    def test_rows_that_a_filter_hides_are_read_and_told(self) -> None:
        made, sheet = self.sheet(TABLE)
        sheet.row_dimensions[2].hidden = True
        script = read_script(as_file(made), "a.xlsx")
        assert said(script) == SAID
        assert [(p.code, p.fields) for p in script.problems] == [("hidden_rows", {"count": 1})]

    def test_a_name_that_is_merged_over_rows_is_of_each_and_words_are_said_once(self) -> None:
        made, sheet = self.sheet([["The Tidewater Clock"], ["speaker", "words", "notes"], ["Keeper", "Mind it.", "low"], [None, "The third.", None],
                                  [None, "Come up.", None], ["Imka", "Why?", None], ["Pell", None, "x"]])
        for merged in ("A1:C1", "A3:A5", "C3:C5", "B6:B7"):
            sheet.merge_cells(merged)
        script = read_script(as_file(made), "a.xlsx")
        assert [(line.speaker, line.words, line.notes) for line in script.lines] == [
            ("Keeper", "Mind it.", "low"), ("Keeper", "The third.", ""), ("Keeper", "Come up.", ""), ("Imka", "Why?", "")]

    @pytest.mark.parametrize("merged", ["A2:A1048576", "A2:A3 A2:A4", "A2:A1048576 A2:A1048575 A2:A1048574"])
    def test_whatever_is_said_to_be_merged_is_survived(self, merged: str) -> None:
        made, _ = self.sheet([["speaker", "words"], ["Keeper", "Mind it."], [None, "Come."]])
        data = io.BytesIO(as_file(made))
        out = io.BytesIO()
        with zipfile.ZipFile(data) as old, zipfile.ZipFile(out, "w") as new:
            for name in old.namelist():
                content = old.read(name).decode()
                if name.endswith("sheet1.xml"):
                    each = "".join(f'<mergeCell ref="{one}"/>' for one in merged.split(" "))
                    content = content.replace("</sheetData>", f"</sheetData><mergeCells>{each}</mergeCells>")
                new.writestr(name, content)
        assert [line.words for line in read_script(out.getvalue(), "a.xlsx").lines] == ["Mind it.", "Come."]

    def test_a_formula_without_its_result_is_told_by_row(self) -> None:
        made, _ = self.sheet([["speaker", "words", "in", "out"], ["Keeper", "Mind it.", "=1+1", 3], ["Imka", "Why?", 4, 5]])
        script = read_script(as_file(made), "a.xlsx")
        assert [(p.code, p.row) for p in script.problems] == [("no_result", 2)]
        assert [line.slot for line in script.lines] == [None, (4.0, 5.0)]
