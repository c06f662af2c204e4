"""Spreadsheets (Office Open XML workbook, ECMA-376): a table in the first sheet that holds one."""

from __future__ import annotations

import datetime
import io
from collections.abc import Sequence
from typing import Any

from openpyxl import Workbook, load_workbook
from openpyxl.styles import Font

from janoglot.core.errors import BadInput, Problem
from janoglot.core.guarded import sheet_rows
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.packages import holds, opened
from janoglot.core.script.formats.table import CSV, header_at, plain_cell, role_of_header
from janoglot.core.script.limits import MOST_LINES
from janoglot.core.script.model import Script

_MOST_COLUMNS = 60


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
            found: list[list[tuple[int, list[str]]]] = []
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
                    found.append(rows)
        if found:
            # A sheet that explains the others may come first.
            script = CSV.read_rows(max(found, key=lambda rows: (_is_table(rows), _is_table(rows) * len(rows))), hints)
            if hidden and shown:
                script.problems.append(Problem("hidden_sheets", "Hidden sheets were passed over: {names}.",
                                               {"names": ", ".join(hidden)}, None))
            return script
        raise BadInput("The workbook is empty: no sheet holds any row.")

    def write(self, script: Script, source_language: str, language: str | None = None) -> bytes:
        book = Workbook()
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


def _is_table(rows: Sequence[tuple[int, list[str]]]) -> bool:
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
