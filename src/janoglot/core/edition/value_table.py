"""Tables of values for templates: CSV, TSV or XLSX with a heading for each column."""

from __future__ import annotations

import csv
import datetime
import io
from collections.abc import Iterator, Sequence
from typing import Any

from openpyxl import load_workbook

from janoglot.core.errors import BadInput
from janoglot.core.guarded import sheet_rows
from janoglot.core.script.decoding import decode
from janoglot.core.script.formats.packages import holds, opened
from janoglot.core.script.formats.table import plain_cell
from janoglot.core.speech.templates import MOST_COLUMNS, MOST_ROWS, NAME

_NAMES = {NAME, "clip", "file", "id", "key"}
"""Headings of the column with the names of the clips, where the template has no such part."""


def read_values(data: bytes, name: str, slots: Sequence[str] = ()) -> list[dict[str, str]]:
    """The rows of a table by heading. ``slots``: the template's, of which it must have one. Raises BadInput."""
    rows = [[_cell(value) for value in row] for row in _rows(data, name)]
    rows = [row for row in rows if any(row)]
    if len(rows) < 2:
        raise BadInput("A table of values needs a row of headings and at least one row of values.")
    headings = [" ".join(heading.split()).casefold() for heading in rows[0]]
    named = next((at for at, heading in enumerate(headings) if heading in _NAMES and heading not in slots), None)
    if named is not None:
        headings[named] = NAME
    if slots and not any(slot in headings for slot in slots):
        raise BadInput("None of the columns is headed by a variable part of the line: {slots}.",
                       slots=", ".join(slots))
    return [{heading: value for heading, value in zip(headings, row, strict=False) if heading and value}
            for row in rows[1:]]


def _rows(data: bytes, name: str) -> Iterator[Sequence[Any]]:
    if holds(data, "xl/workbook.xml"):
        with opened(data, "XLSX") as file:
            sheet = load_workbook(file, read_only=True, data_only=True).active
            if sheet is None:
                raise BadInput("There is no sheet in this file.")
            yield from list(sheet_rows(sheet, MOST_ROWS + 1, MOST_COLUMNS + 1))
        return
    text = decode(data, wanted="A table of values is a CSV, TSV or XLSX file whose first row names the variable parts: "
                  "choose one of these.").text.lstrip("\ufeff")
    first = text.split("\n", 1)[0]
    # With no heading but one there is nothing to be parted.
    sign = max(",;\t", key=first.count)
    try:
        for number, row in enumerate(csv.reader(io.StringIO(text, newline=""), delimiter=sign)):
            if number > MOST_ROWS:
                raise BadInput("A table has {most} rows at most.", most=MOST_ROWS)
            yield row[: MOST_COLUMNS + 1]
    except csv.Error as error:
        raise BadInput("This table cannot be read: {why}.", why=str(error)[:80]) from error


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime.time):
        return f"{value.hour}:{value.minute:02}"
    if isinstance(value, datetime.datetime):
        return value.date().isoformat() if value.time() == datetime.time() else value.isoformat(" ", "minutes")
    if isinstance(value, datetime.date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return plain_cell(str(value).strip())
