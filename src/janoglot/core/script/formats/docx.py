"""Text documents (Office Open XML, ECMA-376): paragraphs "Name: words" under headings, and tables."""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import Any

import docx
from docx.oxml.ns import qn
from docx.table import Table
from docx.text.paragraph import Paragraph

from janoglot.core.errors import Problem
from janoglot.core.office import new_document
from janoglot.core.script.formats import plain
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.packages import holds, opened
from janoglot.core.script.formats.table import CSV, plain_cell
from janoglot.core.script.model import Script

_PARAGRAPH, _TABLE, _FOOTNOTE = qn("w:p"), qn("w:tbl"), qn("w:footnoteReference")
_AROUND = {qn(f"w:{name}") for name in ("sdt", "sdtContent", "ins", "moveTo", "customXml", "smartTag")}
_GONE = {qn("w:del"), qn("w:moveFrom"), "{http://schemas.openxmlformats.org/markup-compatibility/2006}Fallback",
         qn("w:pPr"), qn("w:rPr"), qn("w:instrText")}
"""What was taken out while changes were tracked, and what is no text."""
_BOX = qn("w:txbxContent")
_SIGNS = {qn("w:br"): "\n", qn("w:cr"): "\n", qn("w:tab"): " ", qn("w:noBreakHyphen"): "\u2011"}


def _blocks(element: Any) -> Iterator[Any]:
    """Paragraphs and tables, those in content controls and in tracked insertions too."""
    for child in element:
        if child.tag in (_PARAGRAPH, _TABLE):
            yield child
        elif child.tag in _AROUND:
            yield from _blocks(child)


def _text(element: Any) -> str:
    """The text of a paragraph as it is with all tracked changes taken; without text boxes."""
    pieces = []
    for child in element:
        if child.tag in _GONE or child.tag == _BOX:
            continue
        if child.tag == qn("w:t"):
            pieces.append(child.text or "")
        elif child.tag in _SIGNS:
            pieces.append(_SIGNS[child.tag])
        else:
            pieces.append(_text(child))
    return "".join(pieces)


def _boxes(element: Any) -> Iterator[str]:
    """The text of the boxes that hang on a paragraph."""
    for child in element:
        if child.tag in _GONE:
            continue
        if child.tag == _BOX:
            yield "\n".join(_text(block) for block in _blocks(child) if block.tag == _PARAGRAPH)
        else:
            yield from _boxes(child)


def _table_rows(table: Table) -> list[tuple[int, list[str]]]:
    """The cells of each row that has any text; a cell that is merged over columns stands in the first of them."""
    found = []
    for number, row in enumerate(table.rows, 1):
        texts: list[str] = []
        before = None
        for cell in row.cells:
            own = "" if cell._tc is before else "\n".join(
                _text(block) for block in _blocks(cell._tc) if block.tag == _PARAGRAPH)
            texts.append(own.strip())
            before = cell._tc
        if any(texts):
            found.append((number, texts))
    return found


class TextDocument:
    id = "docx"
    name = "DOCX"
    suffixes: tuple[str, ...] = (".docx",)
    expects = "Each paragraph should start with a name and a colon, or a table should name its columns."

    def certain(self, data: bytes) -> bool:
        return holds(data, "word/document.xml")

    def read(self, data: bytes, hints: Hints) -> Script:
        script = Script()
        text: list[str] = []
        part = ""

        def read_text() -> None:
            if any(row.strip() for row in text):
                found = plain.FORMAT.read("\n".join(text), hints)
                script.lines += found.lines
                script.problems += found.problems
                script.labels |= found.labels
            text.clear()

        with opened(data, self.name) as file:
            document = docx.Document(file)
            footnotes = 0
            for block in _blocks(document.element.body):
                footnotes += sum(1 for _ in block.iter(_FOOTNOTE))
                if block.tag == _TABLE:
                    rows = _table_rows(Table(block, document))
                    if any(len(cells) > 1 for _, cells in rows):
                        read_text()
                        self._read_table(rows, script, hints, part)
                    else:
                        # A frame around text.
                        text += [row for _, cells in rows for cell in cells for row in cell.split("\n")]
                    continue
                own = _text(block)
                paragraph = Paragraph(block, document)
                style = (paragraph.style.name or "") if paragraph.style else ""
                if own.strip() and style.lower().startswith(("heading", "title")):
                    part = " ".join(own.split())
                    text.append(f"# {part}")
                else:
                    # A line break begins a new line, as an end of a paragraph does.
                    text += own.split("\n")
                for box in _boxes(block):
                    text += box.split("\n")
        read_text()
        if footnotes:
            script.problems.append(Problem("footnotes", "{count} footnotes are not spoken: left out.",
                                           {"count": footnotes}, None))
        return script

    @staticmethod
    def _read_table(rows: list[tuple[int, list[str]]], script: Script, hints: Hints, part: str) -> None:
        found = CSV.read_rows([(number, [plain_cell(" ".join(cell.split("\n")).strip()) for cell in cells])
                               for number, cells in rows], hints)
        for line in found.lines:
            line.part = line.part or part
        script.lines += found.lines
        script.problems += found.problems
        script.columns = script.columns or found.columns
        script.languages += [tag for tag in found.languages if tag not in script.languages]
        script.source_language = script.source_language or found.source_language

    def write(self, script: Script, source_language: str, language: str | None = None) -> bytes:
        """One table, so that everything a script holds comes back."""
        document = new_document()
        rows = list(CSV.rows_of(script, source_language))
        table = document.add_table(rows=len(rows), cols=len(rows[0]))
        table.style = "Table Grid"
        # By the table's own list of cells: asking for each one costs time that grows with the square of them.
        cells = table._cells
        for at, text in enumerate(text for row in rows for text in row):
            cells[at].text = text
        for cell in cells[: len(rows[0])]:
            for run in cell.paragraphs[0].runs:
                run.bold = True
        out = io.BytesIO()
        document.save(out)
        return out.getvalue()




FORMAT = TextDocument()
