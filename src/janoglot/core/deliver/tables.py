"""Lists that people read, sort and print: as CSV, XLSX, DOCX, PDF and JSON, from the same rows."""

from __future__ import annotations

import csv
import html
import io
import json
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import regex
from docx import Document
from docx.enum.section import WD_ORIENT
from docx.oxml import OxmlElement
from docx.shared import Mm, Pt
from openpyxl import load_workbook
from openpyxl.styles import Alignment, Font, PatternFill
from openpyxl.utils import get_column_letter
from pypdf import PdfReader

from janoglot.core.errors import BadInput
from janoglot.core.languages import direction
from janoglot.core.office import new_document, new_workbook
from janoglot.core.script.formats.table import safe_cell

FORMATS = ("csv", "xlsx", "docx", "pdf", "json")
_MOST_PRINTED = 5_000


@dataclass(frozen=True, slots=True)
class Column:
    """``name`` as it heads the column; ``width`` in about as many letters; ``words``: text in the edition's own
    language, which may run from right to left."""

    name: str
    width: int = 12
    words: bool = False


@dataclass(frozen=True, slots=True)
class Table:
    """``title`` and ``about`` stand above the rows; a cell is text. ``marked``: numbers of rows that stand out."""

    title: str
    about: str
    language: str
    columns: tuple[Column, ...]
    rows: list[list[str]] = field(default_factory=list)
    marked: frozenset[int] = frozenset()

    def as_json(self) -> dict[str, Any]:
        return {"title": self.title, "about": self.about, "language": self.language,
                "columns": [[one.name, one.width, one.words] for one in self.columns], "rows": self.rows,
                "marked": sorted(self.marked)}

    @classmethod
    def from_json(cls, told: dict[str, Any]) -> Table:
        return cls(told["title"], told["about"], told["language"], tuple(Column(*one) for one in told["columns"]),
                   told["rows"], frozenset(told["marked"]))


def write_table(table: Table, form: str, place: Path) -> None:
    """Raises BadInput where there are more rows than anybody prints."""
    place.write_bytes({"csv": _csv, "xlsx": _xlsx, "docx": _docx, "pdf": _pdf, "json": _json}[form](table))


def rows_again(form: str, place: Path) -> list[str]:
    """The first cell of each row that a file holds; of a PDF each word of it."""
    if form == "csv":
        return [row[0] for row in list(csv.reader(io.StringIO(place.read_text("utf-8-sig"), newline="")))[1:]]
    if form == "json":
        return [str(next(iter(row.values()), "")) for row in json.loads(place.read_text())["rows"]]
    if form == "xlsx":
        sheet = load_workbook(io.BytesIO(place.read_bytes()), read_only=True).active
        assert sheet is not None
        return [str(row[0] if row[0] is not None else "") for row in sheet.iter_rows(min_row=2, values_only=True)]
    if form == "docx":
        return [row.cells[0].text for table in Document(str(place)).tables for row in table.rows[1:]]
    return " ".join(page.extract_text() for page in PdfReader(place).pages).split()


def _csv(table: Table) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([one.name for one in table.columns])
    writer.writerows([[safe_cell(cell) for cell in row] for row in table.rows])
    # With a byte order mark, by which spreadsheets know the encoding.
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def _json(table: Table) -> bytes:
    names = [one.name for one in table.columns]
    told = {"title": table.title, "about": table.about, "language": table.language,
            "rows": [dict(zip(names, row, strict=True)) for row in table.rows]}
    return json.dumps(told, ensure_ascii=False, indent=1).encode()


def _xlsx(table: Table) -> bytes:
    book = new_workbook(table.title)
    sheet = book.active
    assert sheet is not None
    sheet.title = "".join(ch for ch in table.title if ch not in "[]:*?/\\")[:31] or "List"
    sheet.sheet_view.rightToLeft = direction(table.language) == "rtl"
    sheet.append([one.name for one in table.columns])
    for row in table.rows:
        sheet.append([safe_cell(cell) for cell in row])
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    for number, one in enumerate(table.columns, 1):
        sheet.column_dimensions[get_column_letter(number)].width = one.width
    for number, cells in enumerate(sheet.iter_rows(min_row=2)):
        for cell in cells:
            cell.alignment = Alignment(wrap_text=True, vertical="top")
            if number in table.marked:
                cell.fill = PatternFill("solid", fgColor="FFF1D6")
    sheet.freeze_panes = "A2"
    made = io.BytesIO()
    book.save(made)
    return made.getvalue()


def _docx(table: Table) -> bytes:
    document = new_document(table.title)
    section = document.sections[0]
    section.orientation = WD_ORIENT.LANDSCAPE
    section.page_width, section.page_height = Mm(297), Mm(210)
    for side in ("left_margin", "right_margin", "top_margin", "bottom_margin"):
        setattr(section, side, Mm(14))
    document.add_heading(table.title, 1)
    document.add_paragraph(table.about)
    grid = document.add_table(rows=1, cols=len(table.columns))
    grid.style = "Table Grid"
    for cell, one in zip(grid.rows[0].cells, table.columns, strict=True):
        cell.paragraphs[0].add_run(one.name).bold = True
    rtl = direction(table.language) == "rtl"
    for row in table.rows:
        for cell, text, one in zip(grid.add_row().cells, row, table.columns, strict=True):
            paragraph = cell.paragraphs[0]
            run = paragraph.add_run(_printable(text))
            run.font.size = Pt(9)
            if rtl and one.words:
                paragraph.paragraph_format.element.get_or_add_pPr().append(OxmlElement("w:bidi"))
                run._r.get_or_add_rPr().append(OxmlElement("w:rtl"))
    made = io.BytesIO()
    document.save(made)
    return made.getvalue()


def _printable(text: str) -> str:
    """Without what XML cannot hold."""
    return "".join(ch for ch in text if ch in "\t\n" or ord(ch) >= 32)


_STYLE = """
@page { size: A4 landscape; margin: 14mm 12mm 16mm; @bottom-center { content: counter(page) " / " counter(pages);
  font: 8pt 'Noto Sans'; } }
body { font: 8.5pt/1.35 'Noto Sans', 'Noto Sans Arabic', 'Noto Sans Devanagari', 'Noto Sans Hebrew', 'Noto Sans Thai',
  'Droid Sans Fallback', 'DejaVu Sans', sans-serif; color: #1c2326; }
h1 { font-size: 15pt; margin: 0 0 1mm; } .about { color: #55646a; margin: 0 0 5mm; white-space: pre-line; }
table { border-collapse: collapse; width: 100%; table-layout: fixed; } thead { display: table-header-group; }
th { text-align: start; font-size: 7.5pt; color: #55646a; border-bottom: 0.6pt solid #55646a; padding: 1mm 1.5mm; }
td { vertical-align: top; border-bottom: 0.3pt solid #d5dfe2; padding: 1mm 1.5mm; overflow-wrap: anywhere; }
.when { font-size: 7.5pt; white-space: nowrap; font-variant-numeric: tabular-nums; padding-inline: 0.6mm; }
.sign { font-family: 'Noto Color Emoji'; }
tr { break-inside: avoid; } .marked td { background: #fff1d6; }
"""


def page_of(table: Table) -> str:
    """The table as a page to be printed."""
    way = direction(table.language)
    # A column of nothing takes paper from the words; the first says which row it is.
    shown = [number for number in range(len(table.columns))
             if number == 0 or not table.rows or any(row[number].strip() for row in table.rows)]
    total = sum(table.columns[number].width for number in shown)
    columns = "".join(f"<col style='width:{100 * table.columns[number].width / total:.1f}%'>" for number in shown)
    head = "".join(f"<th>{html.escape(table.columns[number].name)}</th>" for number in shown)
    rows = []
    for number, row in enumerate(table.rows):
        spoken = f" dir={way} lang={html.escape(table.language)}"
        cells = "".join(_cell(row[at], spoken if table.columns[at].words else "") for at in shown)
        rows.append(f"<tr{' class=marked' if number in table.marked else ''}>{cells}</tr>")
    return (f"<!doctype html><html lang='{html.escape(table.language)}'><head><meta charset='utf-8'>"
            f"<title>{html.escape(table.title)}</title><style>{_STYLE}</style></head><body>"
            f"<h1>{html.escape(table.title)}</h1><p class='about'>{html.escape(table.about)}</p>"
            f"<table><colgroup>{columns}</colgroup><thead><tr>{head}</tr></thead><tbody>{''.join(rows)}</tbody>"
            "</table></body></html>")


_SIGNS = regex.compile(r"[\p{Emoji_Presentation}\p{Extended_Pictographic}]"
                       r"[\p{Emoji_Modifier}\uFE0F\u200D\p{Extended_Pictographic}]*")
_CLOCK = re.compile(r"\d+:\d\d:\d\d\.\d+")


def _cell(text: str, about: str) -> str:
    # A time is read as one: it never breaks within its figures.
    kind = " class=when" if _CLOCK.fullmatch(text) else ""
    # The font of emoji has figures too, as wide as they are: it is asked for nothing but emoji.
    told = _SIGNS.sub(lambda found: f"<span class=sign>{found[0]}</span>", html.escape(text))
    return f"<td{kind}{about}>{told}</td>"


def _pdf(table: Table) -> bytes:
    if len(table.rows) > _MOST_PRINTED:
        raise BadInput("A list of over {most} rows is not printed. Take it as XLSX.", most=_MOST_PRINTED)
    return printed(page_of(table))


def printed(page: str) -> bytes:
    """A page of HTML as PDF; nothing is fetched from elsewhere."""
    # It loads libraries of the system: nothing else here waits for that.
    from weasyprint import HTML

    def nothing_from_elsewhere(address: str, *rest: Any, **more: Any) -> Any:
        raise ValueError(address)

    made = HTML(string=page, url_fetcher=nothing_from_elsewhere).write_pdf()
    assert made is not None
    return bytes(made)


def clock(seconds: float | None) -> str:
    """``0:01:02.345``, or nothing."""
    if seconds is None:
        return ""
    whole = round(seconds * 1000)
    return f"{whole // 3_600_000}:{whole // 60_000 % 60:02}:{whole // 1000 % 60:02}.{whole % 1000:03}"


def text_of(number: float | None, digits: int = 1) -> str:
    return "" if number is None else f"{number:.{digits}f}"


def same_first_cells(form: str, place: Path, wanted: Sequence[str]) -> bool:
    """Whether a file's rows begin as they should."""
    found = rows_again(form, place)
    if form == "pdf":
        there = set(found)
        return all(word in there for cell in wanted for word in cell.split()[:1])
    return [cell.lstrip("'") for cell in found] == [cell.lstrip("'") for cell in wanted]
