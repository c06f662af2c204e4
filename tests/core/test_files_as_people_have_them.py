"""Files as people really have them: each in ``tests/files`` with how it is to be read, in ``readings.json``."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from janoglot.core.errors import BadInput
from janoglot.core.script.decoding import ENCODINGS, decode
from janoglot.core.script.formats import FORMATS, read_script, written
from janoglot.core.script.formats.base import Hints

FILES = Path(__file__).parents[1] / "files"
READINGS: dict[str, dict[str, Any]] = json.loads((FILES / "readings.json").read_text())


def test_every_file_has_its_reading() -> None:
    assert {place.name for place in FILES.iterdir()} - {"readings.json"} == set(READINGS)


@pytest.mark.parametrize("name", sorted(READINGS))
def test_it_is_read_so(name: str) -> None:
    wanted = READINGS[name]
    script = read_script((FILES / name).read_bytes(), name)
    found = []
    for line in script.lines:
        row: list[Any] = [line.speaker, line.words]
        if line.notes or line.slot or line.wordings:
            row.append(line.notes)
        if line.slot or line.wordings:
            row.append([line.start, line.end])
        if line.wordings:
            row.append(line.wordings)
        found.append(row)
    assert found == wanted["lines"]
    assert [problem.code for problem in script.problems] == wanted["told"]
    assert script.encoding == wanted.get("encoding", "UTF-8")
    assert all(str(problem) for problem in script.problems)


@pytest.mark.parametrize("name", sorted(READINGS))
@pytest.mark.parametrize("fmt", ["json", "csv", "xlsx"])
def test_what_was_read_goes_out_and_comes_back(name: str, fmt: str) -> None:
    """Directions, no-break spaces, double spaces and all."""
    script = read_script((FILES / name).read_bytes(), name)
    source = script.source_language or "en"
    again = read_script(written(FORMATS[fmt], script, source), f"a.{fmt}", Hints(format=fmt))
    assert [(one.speaker, one.words, one.notes, one.wordings) for one in again.lines] == [
        (one.speaker, one.words, one.notes, one.wordings) for one in script.lines]


class TestEncodings:
    def test_another_may_be_chosen(self) -> None:
        data = "Strážce: Pozor na schod.\n".encode("cp1250")
        assert decode(data, "cp1250").text == "Strážce: Pozor na schod.\n"
        assert decode(data, "koi8_r").encoding == "KOI8-R"
        with pytest.raises(BadInput, match="no encoding"):
            decode(data, "rot13")

    @pytest.mark.parametrize("name", sorted(ENCODINGS))
    def test_any_of_them_reads_any_bytes(self, name: str) -> None:
        assert decode(bytes(range(32, 256)) * 3 + b"\n", name).text

    def test_pasted_text_is_what_it_is_whatever_its_xml_declares(self) -> None:
        text = '<?xml version="1.0" encoding="UTF-16"?><tt xmlns="http://www.w3.org/ns/ttml"><body><div><p begin="1s" end="2s">Où ?</p></div></body></tt>'
        assert read_script(text, "a.ttml").lines[0].words == "Où ?"

    @pytest.mark.parametrize("data", [b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR", b"PK\x05\x06" + bytes(18), b"\x00\x01\x02\x03" * 50, b"%PDF-1.7\n\x00\x01\x02\xff\xfe\x03\x04\x05\x06\x07"])
    def test_what_is_no_text_is_refused(self, data: bytes) -> None:
        with pytest.raises(BadInput, match="not a text file"):
            decode(data)
