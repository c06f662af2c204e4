"""The script in every format that it can be brought in as, and what is read on the screen as a list."""

from __future__ import annotations

from dataclasses import asdict
from functools import partial
from pathlib import Path

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Report, Stores, require
from janoglot.core.script.formats import FORMATS, read_script, written
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.json_script import FORMAT as JSON
from janoglot.core.script.formats.table import CSV
from janoglot.core.script.model import Script, ScriptEdition, ScriptLine, ScriptPart

_OFFICE = "application/vnd.openxmlformats-officedocument."
_KINDS = {
    "csv": "text/csv; charset=utf-8", "tsv": "text/tab-separated-values; charset=utf-8",
    "xlsx": f"{_OFFICE}spreadsheetml.sheet", "json": "application/json",
    "docx": f"{_OFFICE}wordprocessingml.document", "pptx": f"{_OFFICE}presentationml.presentation",
    "ttml": "application/ttml+xml", "srt": "application/x-subrip", "vtt": "text/vtt; charset=utf-8",
}
_TABLES = ("csv", "tsv", "xlsx", "json")
"""Formats that hold every line as it is: read again, none may be missing."""
_OF_READING = ("problems", "columns", "format", "encoding", "encodings", "frames", "prose", "source_language")
"""What a script says of the file that it was read from."""
# With a byte-order mark, or spreadsheets take UTF-8 for something else.
_MARK = {"csv": b"\xef\xbb\xbf", "tsv": b"\xef\xbb\xbf"}


def _write_down_script(whole: bool, material: Material) -> Data:
    return _ordered(material.script(whole), material.source_language)


def _write_down_on_screen(material: Material) -> Data:
    return _ordered(material.on_screen(), material.source_language)


def _ordered(script: Script, language: str) -> Data:
    return {"script": {name: value for name, value in asdict(script).items() if name not in _OF_READING},
            "language": language}


def _script(order: Data) -> Script:
    data = dict(order["script"])
    lines, parts = data.pop("lines"), data.pop("parts")
    editions = {tag: ScriptEdition(**one) for tag, one in data.pop("editions").items()}
    return Script([ScriptLine(**line) for line in lines], parts=[ScriptPart(**part) for part in parts],
                  editions=editions, **data)


def _make(name: str, order: Data, stores: Stores, place: Path) -> Report:
    script = _script(order)
    place.write_bytes(_MARK.get(name, b"") + written(FORMATS[name], script, order["language"]))
    worded = [line for line in script.lines if line.words.strip() or any(map(str.strip, line.wordings.values()))]
    return {"lines": float(len(worded))}


def _check(name: str, order: Data, place: Path, report: Report) -> Report:
    require(place.stat().st_size > 0, "It is empty.")
    if name in _TABLES and report["lines"]:
        found = len(read_script(place.read_bytes(), place.name, Hints(format=name)).lines)
        require(found == report["lines"], "Read again it holds {found} lines, not {wanted:.0f}.", found=found,
                wanted=report["lines"])
    return {}


DELIVERABLES = (
    Deliverable("on-screen.csv", _KINDS["csv"], _write_down_on_screen, partial(_make, CSV.id), partial(_check, CSV.id),
                tail="_on-screen"),
    *(Deliverable(f"script{fmt.suffixes[0]}", _KINDS.get(fmt.suffixes[0][1:], "text/plain; charset=utf-8"),
                  partial(_write_down_script, name == JSON.id), partial(_make, name), partial(_check, name),
                  of="production")
      for name, fmt in FORMATS.items()),
)
