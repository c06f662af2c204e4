"""The recording sheet: what a person is to say in the studio, in order, with everything that is asked for there.

As CSV and XLSX for whoever sorts it, as PDF for whoever stands before the microphone. The name that each recording is
to have is on it: by that it is matched to its line when it comes back.
"""

from __future__ import annotations

import csv
import html
import io
from collections.abc import Sequence
from dataclasses import asdict
from functools import partial
from pathlib import Path

from openpyxl import load_workbook
from openpyxl.styles import Alignment, Font
from pypdf import PdfReader

from janoglot.core.deliver.deliverable import Data, Deliverable, LineToSay, Material, Report, Stores, require
from janoglot.core.deliver.names import clip_name
from janoglot.core.deliver.tables import printed
from janoglot.core.errors import BadInput
from janoglot.core.languages import direction, english_name
from janoglot.core.office import new_workbook
from janoglot.core.script.formats.table import safe_cell

COLUMNS = ("number", "file", "part", "speaker", "words", "source", "in", "out", "seconds", "notes", "delivery", "names",
           "recorded")
_MOST_PRINTED = 5_000


def _clock(seconds: float | None) -> str:
    return "" if seconds is None else f"{int(seconds) // 60}:{seconds % 60:05.2f}"


def sheet_row(line: LineToSay, language: str) -> list[str]:
    """The cells of :data:`COLUMNS`."""
    length = "" if line.start is None or line.end is None else f"{line.end - line.start:.2f}"
    return [str(line.number), clip_name(line.number, line.speaker, language), line.part, line.speaker, line.words,
            line.source, _clock(line.start), _clock(line.end), length, line.notes, line.delivery,
            "; ".join(line.names), "yes" if line.recorded else ""]


def sheet_csv(lines: Sequence[LineToSay], language: str) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for line in lines:
        writer.writerow([safe_cell(cell) for cell in sheet_row(line, language)])
    # With a byte order mark, by which spreadsheets know the encoding.
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def sheet_xlsx(lines: Sequence[LineToSay], language: str) -> bytes:
    book = new_workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Recording sheet"
    sheet.sheet_view.rightToLeft = direction(language) == "rtl"
    sheet.append(list(COLUMNS))
    for line in lines:
        sheet.append([safe_cell(cell) for cell in sheet_row(line, language)])
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    for column, width in zip("ABCDEFGHIJKLM", (8, 26, 18, 16, 60, 50, 10, 10, 9, 30, 24, 30, 10), strict=True):
        sheet.column_dimensions[column].width = width
    for row in sheet.iter_rows(min_row=2):
        for cell in row:
            cell.alignment = Alignment(wrap_text=True, vertical="top")
    sheet.freeze_panes = "A2"
    made = io.BytesIO()
    book.save(made)
    return made.getvalue()


_STYLE = """
@page { size: A4; margin: 16mm 14mm 18mm; @bottom-center { content: counter(page) " / " counter(pages);
  font: 8pt 'Noto Sans'; } }
body { font: 10pt/1.35 'Noto Sans', 'Noto Sans Arabic', 'Noto Sans Devanagari', 'Noto Sans Hebrew', 'Noto Sans Thai',
  'Droid Sans Fallback', 'DejaVu Sans', sans-serif; color: #1c2326; }
h1 { font-size: 16pt; margin: 0 0 1mm; } .about { color: #55646a; margin: 0 0 6mm; }
h2 { font-size: 10pt; margin: 5mm 0 1mm; border-bottom: 0.4pt solid #9fb0b5; break-after: avoid; }
.line { display: grid; grid-template-columns: 12mm 1fr 38mm; column-gap: 4mm; padding: 2.2mm 0;
  border-bottom: 0.3pt solid #d5dfe2; break-inside: avoid; }
.number { font-size: 13pt; font-weight: 600; } .words { font-size: 13pt; line-height: 1.4; }
.small { font-size: 8pt; color: #55646a; } .box { display: inline-block; width: 3mm; height: 3mm;
  border: 0.5pt solid #55646a; } .done { background: #55646a; }
.file { font-family: 'DejaVu Sans Mono', monospace; font-size: 6.5pt; white-space: nowrap; }
"""


def sheet_html(lines: Sequence[LineToSay], language: str, production: str) -> str:
    """The sheet as a page to be printed: large words, what is asked of them in small beneath."""
    way = direction(language)
    missing = sum(not line.recorded for line in lines)
    out = [f"<!doctype html><html lang='{html.escape(language)}'><head><meta charset='utf-8'>"
           f"<title>{html.escape(production)}, {html.escape(language)}</title><style>{_STYLE}</style></head><body>"
           f"<h1>{html.escape(production)}</h1><p class='about'>{html.escape(english_name(language))} "
           f"({html.escape(language)}) · {missing} of {len(lines)} to record</p>"]
    part = None
    for line in lines:
        if line.part != part:
            part = line.part
            out.append(f"<h2>{html.escape(part)}</h2>" if part else "")
        told = [html.escape(text) for text in (line.notes, line.delivery, *line.names) if text]
        slot = f"{_clock(line.start)} – {_clock(line.end)}<br>{line.end - line.start:.1f} s" \
            if line.start is not None and line.end is not None else ""
        out.append(
            f"<div class='line'><div><span class='number'>{line.number}</span><br>"
            f"<span class='box{' done' if line.recorded else ''}'></span></div>"
            f"<div><div class='small'>{html.escape(line.speaker)}</div>"
            f"<div class='words' dir='{way}'>{html.escape(line.words)}</div>"
            + (f"<div class='small'>{html.escape(line.source)}</div>" if line.source else "")
            + (f"<div class='small'>{' · '.join(told)}</div>" if told else "")
            + f"</div><div class='small'>{slot}<div class='file'>"
              f"{html.escape(clip_name(line.number, line.speaker, language))}</div></div></div>")
    out.append("</body></html>")
    return "".join(out)


def sheet_pdf(lines: Sequence[LineToSay], language: str, production: str) -> bytes:
    """Raises BadInput where there are more lines than anybody prints."""
    if len(lines) > _MOST_PRINTED:
        raise BadInput("A sheet of over {most} lines is not printed. Take it as XLSX.", most=_MOST_PRINTED)
    return printed(sheet_html(lines, language, production))


def _write_down(material: Material) -> Data:
    return {"lines": [asdict(line) for line in material.to_record()], "language": material.language,
            "production": material.production}


def _lines(order: Data) -> list[LineToSay]:
    return [LineToSay(**{**row, "names": tuple(row["names"])}) for row in order["lines"]]


def _make(ending: str, order: Data, stores: Stores, place: Path) -> Report:
    lines, language = _lines(order), order["language"]
    place.write_bytes(sheet_csv(lines, language) if ending == "csv" else sheet_xlsx(lines, language)
                      if ending == "xlsx" else sheet_pdf(lines, language, order["production"]))
    return {"lines": float(len(lines))}


def _check(ending: str, order: Data, place: Path, report: Report) -> Report:
    wanted = [line["number"] for line in order["lines"]]
    if ending == "pdf":
        pages = PdfReader(place).pages
        names = "".join("".join(page.extract_text().split()) for page in pages)
        # Of the names only what runs from left to right in every script.
        found = [number for number in wanted if f"{number:03}_" in names]
        require(len(pages) > 0 and found == wanted, "Read again it has {found} lines, not {wanted}.", found=len(found),
                wanted=len(wanted))
        return {"pages": float(len(pages))}
    if ending == "csv":
        rows = list(csv.DictReader(io.StringIO(place.read_text(encoding="utf-8-sig"), newline="")))
        found = [int(row["number"]) for row in rows]
    else:
        sheet = load_workbook(io.BytesIO(place.read_bytes()), read_only=True).active
        assert sheet is not None
        found = [int(str(row[0])) for row in sheet.iter_rows(min_row=2, values_only=True)]
    require(found == wanted, "Read again it has {found} lines, not {wanted}.", found=len(found), wanted=len(wanted))
    return {}


_KINDS = {"csv": "text/csv; charset=utf-8", "pdf": "application/pdf",
          "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}
DELIVERABLES = tuple(
    Deliverable(f"recording-sheet.{ending}", kind, _write_down, partial(_make, ending), partial(_check, ending),
                tail="_recording-sheet")
    for ending, kind in _KINDS.items())
