"""Wordings beside their source in a table that anybody can open: DOCX and XLSX, out and back."""

from __future__ import annotations

import io
from collections.abc import Sequence

import docx
from docx.shared import Cm, Pt
from openpyxl import load_workbook
from openpyxl.styles import Alignment, Font, PatternFill, Protection

from janoglot.core.adapt.outgoing import STATES, Outgoing, OutgoingLine, State
from janoglot.core.errors import BadInput
from janoglot.core.guarded import sheet_rows
from janoglot.core.languages import direction
from janoglot.core.office import new_document, new_workbook
from janoglot.core.script.formats.packages import opened
from janoglot.core.script.limits import MOST_LINES

_MOST_COLUMNS = 60

_HEADS = ("id", "line", "part", "speaker", "seconds", "most characters", "kind", "source", "wording", "state", "note")
_WIDTHS = (8, 6, 14, 14, 9, 9, 10, 52, 52, 10, 30)


def _rows(outgoing: Outgoing) -> list[list[str]]:
    return [[line.tag, str(line.number), line.part, line.speaker,
             f"{line.slot[1] - line.slot[0]:.2f}" if line.slot else "",
             str(line.longest) if line.longest is not None else "", "on screen" if line.on_screen else "spoken",
             line.source, line.text, line.state, line.notes] for line in outgoing.lines]


def _lead(outgoing: Outgoing) -> str:
    said = f"{outgoing.name} · {outgoing.source_language} → {outgoing.language}"
    if outgoing.address:
        said += f" · address: {outgoing.address}"
    return f"{said} · {outgoing.brief}" if outgoing.brief else said


def write_xlsx(outgoing: Outgoing) -> bytes:
    book = new_workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Wordings"
    sheet.append([_lead(outgoing)])
    sheet.append(list(_HEADS))
    for row in _rows(outgoing):
        sheet.append(row)
        for cell in sheet[sheet.max_row]:
            # Text, whatever it begins with: never a formula.
            cell.data_type = "s" if cell.value is not None else cell.data_type
            cell.alignment = Alignment(wrap_text=True, vertical="top")
            cell.protection = Protection(locked=cell.column not in (9, 10, 11))
    for cell in sheet[2]:
        cell.font = Font(bold=True)
        cell.fill = PatternFill("solid", fgColor="E3E7E2")
    for number, width in enumerate(_WIDTHS):
        sheet.column_dimensions["ABCDEFGHIJK"[number]].width = width
    sheet.freeze_panes = "A3"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def read_xlsx(content: bytes) -> Outgoing:
    """Raises BadInput."""
    with opened(content, "XLSX") as file:
        book = load_workbook(file, read_only=True, data_only=True)
        rows = [["" if cell is None else str(cell) for cell in row]
                for row in sheet_rows(book.worksheets[0], MOST_LINES + 100, _MOST_COLUMNS)]
    return _from_rows(rows)


def write_docx(outgoing: Outgoing) -> bytes:
    document = new_document()
    section = document.sections[0]
    section.page_width, section.page_height = section.page_height, section.page_width
    section.left_margin = section.right_margin = Cm(1.2)
    document.add_paragraph(_lead(outgoing))
    rows = _rows(outgoing)
    table = document.add_table(rows=len(rows) + 1, cols=len(_HEADS))
    table.style = "Table Grid"
    cells = table._cells  # asked for once: python-docx works them out anew each time
    for number, head in enumerate(_HEADS):
        cells[number].text = head
    turned = direction(outgoing.language) == "rtl"
    for at, row in enumerate(rows, 1):
        for number, text in enumerate(row):
            paragraph = cells[at * len(_HEADS) + number].paragraphs[0]
            run = paragraph.add_run(text)
            run.font.size = Pt(9)
            if number == 8 and turned:
                run.font.rtl = True
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def read_docx(content: bytes) -> Outgoing:
    """The first table that has columns named id and wording. Raises BadInput."""
    with opened(content, "DOCX") as file:
        document = docx.Document(file)
        for table in document.tables:
            cells, width = table._cells, len(table.columns)
            rows = [[cell.text for cell in cells[at: at + width]] for at in range(0, len(cells), width)]
            if rows and {"id", "wording"} <= {head.strip().lower() for head in rows[0]}:
                return _from_rows(rows)
    raise BadInput("No table of this text has the columns “id” and “wording”.")


def _from_rows(rows: Sequence[Sequence[str]]) -> Outgoing:
    at = next((number for number, row in enumerate(rows[:20])
               if {"id", "wording"} <= {cell.strip().lower() for cell in row}), None)
    if at is None:
        raise BadInput("No row of this table names the columns “id” and “wording”.")
    places = {cell.strip().lower(): number for number, cell in enumerate(rows[at])}
    found = Outgoing("", "", "")

    def cell(row: Sequence[str], name: str) -> str:
        place = places.get(name)
        return row[place].strip() if place is not None and place < len(row) else ""

    for row in rows[at + 1:]:
        if not cell(row, "id"):
            continue
        text = cell(row, "wording")
        said = cell(row, "state").lower()
        state: State = next((one for one in STATES if one == said), "edited")
        found.lines.append(OutgoingLine.of_tag(cell(row, "id"), cell(row, "source"), text, state if text else "empty",
                                               notes=cell(row, "note")))
    return found
