"""The castings of a production as a sheet: taken out, brought in, copied from another production."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.errors import Problem as Found
from janoglot.core.graph import recipe_hash
from janoglot.core.guarded import read_json
from janoglot.core.guarded import sheet_rows as bounded_rows
from janoglot.core.languages import find_tag
from janoglot.core.office import new_workbook
from janoglot.core.script.decoding import decode
from janoglot.core.script.formats.packages import holds, opened
from janoglot.core.script.formats.table import plain_cell, safe_cell
from janoglot.core.speech.catalogue import catalogue, voice_named
from janoglot.core.speech.settings import SETTINGS, VoiceSettings, checked_voice_settings
from janoglot.core.speech.voices import Voice
from janoglot.productions.models import Casting, Production, kept_among

HANDED_OUT = "as_handed_out"
"""The column with each row's mark as it went out: tells what was changed in the sheet from what was changed here."""
COLUMNS = ("speaker", "language", "voice", "accent_meant", "by_person", *SETTINGS, "note", HANDED_OUT)
_MOST_ROWS = 20_000
_MOST_COLUMNS = 60


@dataclass(slots=True)
class SheetRow:
    """One casting as a sheet says it, with the row that it stands in."""

    row: int
    speaker: str
    language: str
    voice: str
    changes: dict[str, Any] = field(default_factory=dict)
    sent: str = ""
    """Its mark as it went out; "" where that is not known."""

    @property
    def mark(self) -> str:
        return mark_of(self.voice, self.changes)


def mark_of(voice: str, values: dict[str, Any]) -> str:
    """A short mark of a casting: the voice's id and what it is set to."""
    usual = {name: one.default for name, one in VoiceSettings.__dataclass_fields__.items()}
    told = {name: float(values.get(name, usual[name])) for name in SETTINGS}
    return recipe_hash("casting", voice=voice, accent=bool(values.get("accent_meant")), note=values.get("note", ""),
                       **({"person": True} if values.get("by_person") else {}), **told)[:8]


def casting_mark(casting: Casting) -> str:
    return mark_of(casting.voice, {**{name: getattr(casting, name) for name in SETTINGS},
                                   "accent_meant": casting.accent_meant, "by_person": casting.by_person,
                                   "note": casting.note})


def sheet_rows(production: Production) -> Iterator[dict[str, Any]]:
    """Every casting, in the order of the editions and speakers."""
    castings = Casting.objects.filter(edition__production=production).select_related("speaker", "edition").order_by(
        "edition__position", "speaker__position", "speaker_id")
    voices = {**catalogue(), **kept_among([casting.voice for casting in castings])}
    for casting in castings:
        row: dict[str, Any] = {"speaker": casting.speaker.name, "language": casting.edition.language,
                               "voice": voices[casting.voice].name if casting.voice in voices else casting.voice,
                               "accent_meant": casting.accent_meant, "by_person": casting.by_person}
        row |= {name: getattr(casting, name) for name in SETTINGS}
        yield row | {"note": casting.note, HANDED_OUT: casting_mark(casting)}


def write_sheet(production: Production, ending: str) -> bytes:
    """The sheet as csv, xlsx or json. Raises KeyError for another ending."""
    rows = list(sheet_rows(production))
    if ending == "json":
        return (json.dumps({"castings": rows}, ensure_ascii=False, indent=1) + "\n").encode()
    table = [list(COLUMNS), *([_cell(row[name]) for name in COLUMNS] for row in rows)]
    out = io.BytesIO()
    if ending == "csv":
        text = io.StringIO()
        csv.writer(text, lineterminator="\r\n").writerows(table)
        return b"\xef\xbb\xbf" + text.getvalue().encode()
    if ending == "xlsx":
        book = new_workbook(write_only=True)
        sheet = book.create_sheet("Castings")
        for cells in table:
            sheet.append(cells)
        book.save(out)
        return out.getvalue()
    raise KeyError(ending)


def _cell(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else ""
    return safe_cell(f"{value:g}" if isinstance(value, float) else str(value))


def read_sheet(data: bytes, problems: list[Found], find: Callable[[str], Voice] = voice_named) -> list[SheetRow]:
    """The castings in a sheet; what cannot be used is told in ``problems`` by row. ``find`` finds a voice, by id or
    name. Raises BadInput."""
    rows = list(_rows(data))
    if len(rows) > _MOST_ROWS:
        raise BadInput("The sheet has over {most} rows.", most=_MOST_ROWS)
    if not rows or not {"speaker", "voice"} <= set(rows[0][1]):
        raise BadInput("A casting sheet needs the columns “speaker” and “voice”, and “language”.")
    found = []
    for number, row in rows:
        speaker, voice = str(row.get("speaker") or "").strip(), str(row.get("voice") or "").strip()
        if not speaker or not voice:
            continue
        try:
            changes: dict[str, Any] = checked_voice_settings(row)
            chosen = catalogue().get(voice.lower()) or find(voice)
        except JanoglotError as error:
            problems.append(Found("bad_row", error.template, error.fields, number))
            continue
        for name in ("accent_meant", "by_person"):
            changes[name] = str(row.get(name) or "").strip().lower() in ("yes", "true", "1", "x")
        changes["note"] = str(row.get("note") or "").strip()[:300]
        found.append(SheetRow(number, speaker, find_tag(str(row.get("language") or "")) or "", chosen.id, changes,
                              str(row.get(HANDED_OUT) or "").strip()))
    return found


def _rows(data: bytes) -> Iterator[tuple[int, dict[str, Any]]]:
    if holds(data, "xl/workbook.xml"):
        from openpyxl import load_workbook

        with opened(data, "XLSX") as file:
            sheet = load_workbook(file, read_only=True, data_only=True).worksheets[0]
            table = [["" if cell is None else str(cell) for cell in row]
                     for row in bounded_rows(sheet, _MOST_ROWS, _MOST_COLUMNS)]
        yield from _by_heading(table)
        return
    text = decode(data, wanted="A casting sheet is a CSV, XLSX or JSON file with a speaker and a voice in each row: "
                  "choose one of these.").text
    if text.lstrip().startswith(("{", "[")):
        loaded = read_json(text)
        listed = loaded.get("castings") if isinstance(loaded, dict) else loaded
        for number, row in enumerate(listed if isinstance(listed, list) else [], 1):
            if isinstance(row, dict):
                yield number, row
        return
    delimiter = max("\t;,", key=text.split("\n", 1)[0].count)
    yield from _by_heading(list(csv.reader(io.StringIO(text.lstrip("\ufeff")), delimiter=delimiter)))


def _by_heading(table: list[list[str]]) -> Iterator[tuple[int, dict[str, Any]]]:
    heads = [cell.strip().lower().replace(" ", "_") for cell in (table[0] if table else [])]
    for number, cells in enumerate(table[1:], 2):
        if any(cell.strip() for cell in cells):
            yield number, {head: plain_cell(cell.strip()) for head, cell in zip(heads, cells, strict=False)}
