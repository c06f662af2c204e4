"""What anybody may have made is read with bounds: depth, size, digits, time."""

from __future__ import annotations

import io
import time
import zipfile
from collections.abc import Callable

import pytest
from openpyxl import Workbook

from janoglot.core.adapt.bilingual import read_xlsx
from janoglot.core.adapt.term_files import read_tbx
from janoglot.core.adapt.tmx import read_tmx
from janoglot.core.adapt.xliff import read_xliff
from janoglot.core.errors import BadInput
from janoglot.core.guarded import DEEPEST, check_value, plain_text, read_json, read_xml, whole_number
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.replacing import hits, pattern


def nested(tag: str, deep: int, inside: str = "") -> bytes:
    return ("<" + tag + ">") .encode() * deep + inside.encode() + f"</{tag}>".encode() * deep


READERS: list[tuple[str, Callable[[bytes], object]]] = [
    ("tbx", lambda data: read_tbx(data, "en-GB", "es-MX")), ("tmx", lambda data: read_tmx(data, "en-GB", "es-MX")),
    ("xliff", read_xliff), ("tt", lambda data: read_script(data, "a.ttml", Hints(format="ttml")))]


@pytest.mark.parametrize(("outer", "read"), READERS)
@pytest.mark.parametrize("inner", ["termEntry", "tu", "unit", "span", "div"])
def test_deep_nesting_is_said_soon(outer: str, read: Callable[[bytes], object], inner: str) -> None:
    began = time.process_time()
    with pytest.raises(BadInput, match="deep|first|lines"):
        read(nested(outer, 1, nested(inner, 20_000).decode()))
    assert time.process_time() - began < 2


def test_a_termbase_nested_within_bounds_is_read_once() -> None:
    entry = '<termEntry><langSet xml:lang="en-GB"><tig><term>tide</term></tig></langSet>' \
            '<langSet xml:lang="es-MX"><tig><term>marea</term></tig></langSet></termEntry>'
    began = time.process_time()
    inside = "".join(f"<termEntry>{entry * 3}</termEntry>" for _ in range(2000))
    read_tbx(f"<martif><text><body>{inside}{entry}</body></text></martif>".encode(), "en-GB", "es-MX")
    assert time.process_time() - began < 3


def test_depth_is_counted() -> None:
    read_xml(nested("a", DEEPEST - 1), "XML")
    with pytest.raises(BadInput, match="deep"):
        read_xml(nested("a", DEEPEST + 1), "XML")


@pytest.mark.parametrize("text", ["[" * 100_000, "[" * 200 + "]" * 200, '{"lines": [{"words": "\\ud800"}]}',
                                  '{"lines": ' + "9" * 5000 + "}", '{"a": '])
def test_json_that_is_a_trap_is_said(text: str) -> None:
    with pytest.raises(BadInput):
        read_json(text)
    with pytest.raises(BadInput):
        read_script(text.encode(), "a.json", Hints(format="json"))


def test_ordinary_values_pass() -> None:
    check_value({"words": ["Flut", "潮", {"a": None, "b": 1.5}]})
    assert read_json('{"a": "\\ud83c\\udf0a"}') == {"a": "🌊"}


@pytest.mark.parametrize(("text", "number"), [("12", 12), ("²", None), ("9" * 5000, None), ("١٢", None), ("", None), ("-1", None)])
def test_whole_numbers(text: str, number: int | None) -> None:
    assert whole_number(text) == number


def giant_sheet() -> bytes:
    """A workbook of one row that says it has sixteen thousand columns and a million rows."""
    book, out, changed = Workbook(), io.BytesIO(), io.BytesIO()
    book.active.append(["id", "words"])
    book.save(out)
    with zipfile.ZipFile(out) as old, zipfile.ZipFile(changed, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            data = old.read(name)
            if name == "xl/worksheets/sheet1.xml":
                data = data.replace(b'ref="A1:B1"', b'ref="A1:XFD1048576"').replace(
                    b"</sheetData>", b'<row r="1048576"><c r="XFD1048576" t="inlineStr"><is><t>x</t></is></c></row></sheetData>')
            new.writestr(name, data)
    return changed.getvalue()


@pytest.mark.parametrize("read", [read_xlsx, lambda data: read_script(data, "a.xlsx")])
def test_a_declared_size_is_not_believed(read: Callable[[bytes], object]) -> None:
    began = time.process_time()
    with pytest.raises(BadInput):
        read(giant_sheet())
    assert time.process_time() - began < 5


class TestRunawayExpressions:
    @pytest.mark.parametrize("find", [r"(.|..)+\d\d", r"(x+x+)+y"])
    def test_looking_ends(self, find: str) -> None:
        began = time.process_time()
        with pytest.raises(BadInput, match="repet|repeats"):
            list(hits([(n, "xaxa" * 40) for n in range(50)], pattern(find, regular=True), "", True))
        assert time.process_time() - began < 6

    def test_so_does_reading_a_book_by_one(self) -> None:
        began = time.process_time()
        with pytest.raises(BadInput, match="repet"):
            read_script("\n".join(["tide " * 12] * 300), "a.txt", Hints(prose=True, parts_by="pattern", pattern=r"(.|..)+\d\d"))
        assert time.process_time() - began < 6


def test_control_characters_are_no_text() -> None:
    assert plain_text("a\x01b\x00c\x7f d\tè\n日") == "abc d\tè\n日"
    assert plain_text("one\x0btwo\x0cthree\u2028four\x1efive") == "one\ntwo\nthree\nfour\nfive"
    assert read_json('{"a\\u0001": ["b\\u0007", {"c": "d\\u000be"}], "n": 1}') == {"a": ["b", {"c": "d\ne"}], "n": 1}


@pytest.mark.parametrize(("name", "text"), [
    ("a.json", '{"lines": [{"speaker": "Ma\\u0001ra", "words": "Mind\\u000b the\\u0000 step.", "notes": "so\\u0003ft", "wordings": {"es-MX": "Cuida\\u0007do."}}]}'),
    ("a.vtt", "WEBVTT\n\n00:01.000 --> 00:02.000\n<v Mara>Mind&#11; the&#1; step.\n"),
    ("a.csv", "speaker,words\nMara,Mind\x0b the\x01 step.\n")])
def test_no_script_brings_control_characters_in(name: str, text: str) -> None:
    line = read_script(text.encode(), name, Hints(source_language="en-GB")).lines[0]
    assert (line.speaker, " ".join(line.words.split())) == ("Mara", "Mind the step.")
    assert not {one for one in line.words + line.notes + "".join(line.wordings.values()) if ord(one) < 32}
