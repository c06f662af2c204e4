"""Spreadsheets (Office Open XML workbook, ECMA-376): a table in the first sheet that holds one."""

from __future__ import annotations

import datetime
import io
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from openpyxl import load_workbook
from openpyxl.styles import Font

from janoglot.core.errors import BadInput, Problem
from janoglot.core.guarded import sheet_rows
from janoglot.core.office import new_workbook
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.packages import holds, opened
from janoglot.core.script.formats.sheet_shape import SheetShape, shape_of
from janoglot.core.script.formats.table import CSV, header_at, plain_cell, role_of_header
from janoglot.core.script.limits import MOST_LINES
from janoglot.core.script.model import Script

_MOST_COLUMNS = 60
Rows = Sequence[tuple[int, list[str]]]


class Spreadsheet:
    id = "xlsx"
    name = "XLSX"
    suffixes: tuple[str, ...] = (".xlsx", ".xlsm")
    expects = "The first row should name the columns, with one for the speaker and one for the words."

    def certain(self, data: bytes) -> bool:
        return holds(data, "xl/workbook.xml")

    def read(self, data: bytes, hints: Hints) -> Script:
        with opened(data, self.name) as file:
            book = load_workbook(file, read_only=True, data_only=True)
            found: list[tuple[str, Rows]] = []
            hidden = [sheet.title for sheet in book.worksheets if sheet.sheet_state != "visible"]
            shown = [sheet for sheet in book.worksheets if sheet.sheet_state == "visible"]
            for sheet in shown or book.worksheets:
                rows = []
                for number, cells in enumerate(sheet_rows(sheet, MOST_LINES + 100, _MOST_COLUMNS), 1):
                    texts = [plain_cell(_text(cell)) for cell in cells]
                    while texts and not texts[-1]:
                        texts.pop()
                    if texts:
                        rows.append((number, texts))
                if rows:
                    found.append((str(getattr(sheet, "_worksheet_path", "")), rows))
            if found:
                # A sheet that explains the others may come first.
                part, table = max(found, key=lambda one: (_is_table(one[1]), _is_table(one[1]) * len(one[1])))
                shape = shape_of(file, part, MOST_LINES + 100, _MOST_COLUMNS)
        if found:
            script = _read(table, shape, hints)
            if hidden and shown:
                script.problems.append(Problem("hidden_sheets", "Hidden sheets were passed over: {names}.",
                                               {"names": ", ".join(hidden)}, None))
            return script
        raise BadInput("The workbook is empty: no sheet holds any row.")

    def write(self, script: Script, source_language: str, language: str | None = None) -> bytes:
        book = new_workbook()
        sheet = book.active
        assert sheet is not None
        sheet.title = "Script"
        for number, row in enumerate(CSV.rows_of(script, source_language), 1):
            for column, text in enumerate(row, 1):
                cell = sheet.cell(number, column, text)
                cell.data_type = "s"  # whatever it begins with, it is text
                if number == 1:
                    cell.font = Font(bold=True)
        sheet.freeze_panes = "A2"
        out = io.BytesIO()
        book.save(out)
        return out.getvalue()


def _read(rows: Rows, shape: SheetShape, hints: Hints) -> Script:
    """The table in ``rows``. What a person has hidden is passed over unless they say otherwise, or nothing else is a
    script; what is merged over several rows holds for each of them."""
    given = dict.fromkeys(shape.hidden_columns, "") | hints.columns
    header = rows[header_at(rows)][1]
    # Words that stand over several rows are said once.
    meanings = {place: hints.columns.get(place, role_of_header(cell)) for place, cell in enumerate(header)}
    rows = _filled(rows, [one for one in shape.merged if meanings.get(one[0]) in ("speaker", "part", "kind")])
    hidden = [header[place] or str(place + 1) for place in sorted(shape.hidden_columns - set(hints.columns))
              if place < len(header) and _is_table(rows)]
    try:
        script = CSV.read_rows(rows, replace(hints, columns=given) if hidden else hints)
    except BadInput:
        if not hidden:
            raise
        hidden, script = [], CSV.read_rows(rows, hints)
    if hidden:
        script.problems.append(Problem(
            "hidden_columns", "Hidden columns were passed over: {names}. Say what they hold if they belong to it.",
            {"names": ", ".join(hidden)[:200]}))
    if shape.hidden_rows:
        script.problems.append(Problem("hidden_rows", "{count} hidden rows were read like the others.",
                                       {"count": shape.hidden_rows}))
    script.problems += [Problem(
        "no_result", "A formula whose result is not in the file: its cell is empty. Open it in a spreadsheet, save it, "
        "and bring it in again.", {}, row) for row in shape.unkept]
    return script


def _filled(rows: Rows, merged: Sequence[tuple[int, int, int, int]]) -> Rows:
    by_number = dict(rows)
    filled: dict[int, int] = {}
    for left, top, _, bottom in sorted(merged):
        # They may not lie over each other; where a file says so, what comes first counts.
        top, bottom = max(top, filled.get(left, 0)), min(bottom, rows[-1][0])
        filled[left] = max(bottom, top)
        first = by_number.get(top, [])
        text = first[left] if left < len(first) else ""
        for number in range(top + 1, bottom + 1):
            cells = by_number.get(number)
            if text and cells and not (left < len(cells) and cells[left]):
                cells += [""] * (left + 1 - len(cells))
                cells[left] = text
    return rows


def _is_table(rows: Rows) -> bool:
    """Whether some row heads columns that are known."""
    at = header_at(rows)
    return len({role for cell in rows[at][1] if (role := role_of_header(cell))}) > 1


def _text(cell: Any) -> str:
    """A cell as a person reads it; times as seconds."""
    if cell is None:
        return ""
    if isinstance(cell, datetime.timedelta):
        return str(round(cell.total_seconds(), 3))
    if isinstance(cell, datetime.datetime) and cell.year <= 1900:
        # A time beyond a day, told as a date of the spreadsheet's first days.
        return str(round((cell - datetime.datetime(1899, 12, 30)).total_seconds(), 3))
    if isinstance(cell, datetime.time):
        return str(round(cell.hour * 3600 + cell.minute * 60 + cell.second + cell.microsecond / 1e6, 3))
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    return str(cell).replace("\r\n", " ").replace("\n", " ").replace("_x000D_", " ").strip()


FORMAT = Spreadsheet()
