"""Text documents (Office Open XML, ECMA-376): paragraphs "Name: words" under headings, and tables."""

from __future__ import annotations

import io

import docx
from docx.table import Table
from docx.text.paragraph import Paragraph

from janoglot.core.script.formats import plain
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.packages import holds, opened
from janoglot.core.script.formats.table import CSV, plain_cell
from janoglot.core.script.model import Script


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
            text.clear()

        with opened(data, self.name) as file:
            for block in docx.Document(file).iter_inner_content():
                if isinstance(block, Paragraph):
                    words = " ".join(block.text.split())
                    style = (block.style.name or "") if block.style else ""
                    if words and style.lower().startswith(("heading", "title")):
                        part = words
                        words = f"# {words}"
                    text.append(words)
                elif isinstance(block, Table):
                    read_text()
                    self._read_table(block, script, hints, part)
        read_text()
        return script

    @staticmethod
    def _read_table(block: Table, script: Script, hints: Hints, part: str) -> None:
        rows = [(number, [plain_cell(" ".join(cell.text.split())) for cell in row.cells])
                for number, row in enumerate(block.rows, 1)]
        rows = [row for row in rows if any(row[1])]
        if not rows or len(rows[0][1]) < 2:
            return
        found = CSV.read_rows(rows, hints)
        for line in found.lines:
            line.part = line.part or part
        script.lines += found.lines
        script.problems += found.problems
        script.columns = script.columns or found.columns
        script.languages += [tag for tag in found.languages if tag not in script.languages]
        script.source_language = script.source_language or found.source_language

    def write(self, script: Script, source_language: str, language: str | None = None) -> bytes:
        """One table, so that everything a script holds comes back."""
        document = docx.Document()
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
