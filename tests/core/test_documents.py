"""Text documents as word processors really write them."""

from __future__ import annotations

import io

import docx
from docx.oxml import parse_xml
from docx.oxml.ns import nsdecls

from janoglot.core.script.formats import read_script
from janoglot.core.script.model import Script


def read(document: docx.document.Document) -> Script:
    out = io.BytesIO()
    document.save(out)
    return read_script(out.getvalue(), "a.docx")


def said(script: Script) -> list[tuple[str, str]]:
    return [(line.speaker, line.words) for line in script.lines]


def test_a_line_break_begins_a_new_line() -> None:
    document = docx.Document()
    document.add_paragraph("Keeper: Mind the step.\nImka: Which one?\nKeeper: The third.")
    assert said(read(document)) == [("Keeper", "Mind the step."), ("Imka", "Which one?"), ("Keeper", "The third.")]


def test_tracked_insertions_are_taken_and_deletions_are_not() -> None:
    document = docx.Document()
    paragraph = document.add_paragraph("Keeper: Mind the ")
    for tag, inner in (("del", '<w:r><w:delText>second</w:delText></w:r>'), ("ins", "<w:r><w:t>third</w:t></w:r>")):
        paragraph._p.append(parse_xml(f'<w:{tag} {nsdecls("w")} w:id="1" w:author="a">{inner}</w:{tag}>'))
    paragraph.add_run(" step.")
    whole = parse_xml(f'<w:ins {nsdecls("w")} w:id="2" w:author="a"><w:p><w:r><w:t>Imka: Which one?</w:t></w:r></w:p></w:ins>')
    document.element.body.insert(1, whole)
    assert said(read(document)) == [("Keeper", "Mind the third step."), ("Imka", "Which one?")]


def test_content_controls_and_text_boxes_are_read() -> None:
    document = docx.Document()
    document.element.body.insert(0, parse_xml(
        f'<w:sdt {nsdecls("w")}><w:sdtContent><w:p><w:r><w:t>Keeper: Mind the step.</w:t></w:r></w:p></w:sdtContent></w:sdt>'))
    paragraph = document.add_paragraph("Imka: Which one?")
    box = f'<w:txbxContent {nsdecls("w")}><w:p><w:r><w:t>Pell: The boxed one.</w:t></w:r></w:p></w:txbxContent>'
    mc = 'xmlns:mc="http://schemas.openxmlformats.org/markup-compatibility/2006"'
    paragraph.add_run()._r.append(parse_xml(f'<mc:AlternateContent {mc}><mc:Choice Requires="wps">{box}</mc:Choice><mc:Fallback>{box}</mc:Fallback></mc:AlternateContent>'))
    assert said(read(document)) == [("Keeper", "Mind the step."), ("Imka", "Which one?"), ("Pell", "The boxed one.")]


def test_a_table_of_one_column_is_a_frame_around_text() -> None:
    document = docx.Document()
    table = document.add_table(rows=2, cols=1)
    table.cell(0, 0).text, table.cell(1, 0).text = "Keeper: Mind the step.\nImka: Which one?", "Keeper: The third."
    assert said(read(document)) == [("Keeper", "Mind the step."), ("Imka", "Which one?"), ("Keeper", "The third.")]


def test_merged_cells_are_said_once_and_headings_are_parts() -> None:
    document = docx.Document()
    document.add_heading("The Stair", 1)
    table = document.add_table(rows=3, cols=3)
    for at, text in enumerate(("speaker", "words", "notes", "Keeper", "Mind the step.", "", "Imka", "Which one?", "softly")):
        table._cells[at].text = text
    table.cell(1, 1).merge(table.cell(1, 2))
    script = read(document)
    assert said(script) == [("Keeper", "Mind the step."), ("Imka", "Which one?")]
    assert [(line.part, line.notes) for line in script.lines] == [("The Stair", ""), ("The Stair", "softly")]


def test_footnotes_are_told_and_not_spoken() -> None:
    document = docx.Document()
    paragraph = document.add_paragraph("Keeper: Mind the step")
    paragraph.add_run()._r.append(parse_xml(f'<w:footnoteReference {nsdecls("w")} w:id="2"/>'))
    paragraph.add_run(".")
    script = read(document)
    assert said(script) == [("Keeper", "Mind the step.")]
    assert [problem.code for problem in script.problems] == ["footnotes"]

