"""What a worksheet says about its cells beside what they hold: hidden columns and rows, merged cells, and formulas
whose results were not kept (ECMA-376 part 1, 18.3.1)."""

from __future__ import annotations

import zipfile
from dataclasses import dataclass, field
from typing import IO
from xml.etree import ElementTree

from defusedxml.ElementTree import iterparse
from openpyxl.utils.cell import range_boundaries

from janoglot.core.guarded import whole_number

_MOST_MERGED = 20_000


@dataclass(slots=True)
class SheetShape:
    """Columns are counted from 0, rows by their numbers from 1, as people count them."""

    hidden_columns: set[int] = field(default_factory=set)
    hidden_rows: int = 0
    merged: list[tuple[int, int, int, int]] = field(default_factory=list)
    """First column, first row, last column, last row."""
    unkept: list[int] = field(default_factory=list)
    """Rows with a formula whose result is not in the file."""


def shape_of(file: IO[bytes], part: str, most_rows: int, most_columns: int) -> SheetShape:
    """Read the worksheet that lies at ``part`` in the workbook ``file``, in memory that does not grow with it."""
    shape = SheetShape()
    rows = 0
    with zipfile.ZipFile(file) as archive, archive.open(part) as content:
        above: list[ElementTree.Element] = []
        for event, element in iterparse(content, events=("start", "end")):
            if event == "start":
                above.append(element)
                continue
            above.pop()
            name = _name(element)
            if name == "col":
                _column(element, shape, most_columns)
            elif name == "row":
                rows += 1
                shape.hidden_rows += element.get("hidden") in ("1", "true")
                if rows > most_rows:
                    break
            elif name == "c":
                inside = {_name(child): child for child in element}
                if "f" in inside and not (inside["v"].text if "v" in inside else None) and "is" not in inside:
                    number = whole_number((above[-1].get("r") if above else None) or "") or rows + 1
                    if not shape.unkept or shape.unkept[-1] != number:
                        shape.unkept.append(number)
            elif name == "mergeCell" and len(shape.merged) < _MOST_MERGED:
                _merged(element, shape)
            # A cell's own children are looked at with the cell; all else is done with.
            if above and _name(above[-1]) != "c":
                above[-1].remove(element)
    return shape


def _column(element: ElementTree.Element, shape: SheetShape, most: int) -> None:
    first, last = whole_number(element.get("min", "")), whole_number(element.get("max", ""))
    if element.get("hidden") in ("1", "true") and first and last:
        shape.hidden_columns.update(range(first - 1, min(last, most)))


def _merged(element: ElementTree.Element, shape: SheetShape) -> None:
    try:
        bounds = range_boundaries(element.get("ref", ""))
    except ValueError:
        return
    left, top, right, bottom = bounds
    if left and top and right and bottom:
        shape.merged.append((left - 1, top, right - 1, bottom))


def _name(element: ElementTree.Element) -> str:
    return element.tag.rpartition("}")[2]
