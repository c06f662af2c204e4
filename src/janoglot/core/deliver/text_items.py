"""Words in a package: the script, wordings, the cue sheet, what is read on the screen, markup, and the lists that go
with a track."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from lxml import etree

from janoglot.core.deliver.contents import Right
from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Need, Report, Stores, require
from janoglot.core.deliver.hold_list import DELIVERABLES as HOLDS
from janoglot.core.deliver.items import Choice, ItemKind, MadeFile, Value, need
from janoglot.core.deliver.quality import quality_table
from janoglot.core.deliver.recording_sheet import DELIVERABLES as SHEETS
from janoglot.core.deliver.scripts import DELIVERABLES as SCRIPTS
from janoglot.core.deliver.tables import FORMATS, Column, Table, clock, same_first_cells, write_table
from janoglot.core.languages import english_name, own_name

_FORMATS: tuple[Value, ...] = FORMATS


def _table_item(name: str, what: str, table: Callable[[Material], Table], needs: frozenset[Need] = frozenset(),
                formats: tuple[Value, ...] = _FORMATS, usual: str = "xlsx") -> ItemKind:
    def write_down(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
        return {"table": table(materials[0]).as_json(), "format": choices["format"]}

    def make(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
        place = folder / f"list.{order['format']}"
        write_table(Table.from_json(order["table"]), order["format"], place)
        return [MadeFile(place.name, order["format"], {"what": what}, {"rows": float(len(order["table"]["rows"]))})]

    def check(order: Data, place: Path, file: MadeFile) -> Report:
        require(same_first_cells(order["format"], place, [row[0] for row in order["table"]["rows"]]),
                "Read again its rows are not what they should be.")
        return {}

    return ItemKind(name, "edition", {"format": Choice(usual, formats)},
                    "{language}/{production}_{language}_{what}", need(*needs), write_down, make, check)


def _wordings(material: Material) -> Table:
    columns = (Column("line", 6), Column("part", 14), Column("speaker", 14), Column("source", 44),
               Column("words", 44, True), Column("state", 10), Column("notes", 24))
    rows = [[str(one.number), one.part, one.speaker, one.source, one.words, one.state, one.notes]
            for one in material.lines()]
    return Table(f"{material.production}: {own_name(material.language)}",
                 f"{english_name(material.source_language)} → {english_name(material.language)}", material.language,
                 columns, rows)


def _cue_sheet(material: Material) -> Table:
    columns = (Column("line", 6), Column("part", 14), Column("speaker", 14), Column("in", 12), Column("out", 12),
               Column("heard from", 12), Column("to", 12), Column("words", 52, True), Column("delivery", 22),
               Column("notes", 22))
    rows = [[str(one.number), one.part, one.speaker, clock(one.slot_in), clock(one.slot_out), clock(one.start),
             clock(one.end), one.words, one.delivery, one.notes] for one in material.lines() if not one.on_screen]
    return Table(f"{material.production}: cue sheet", english_name(material.language), material.language, columns, rows)


def _on_screen(material: Material) -> Table:
    columns = (Column("line", 6), Column("part", 14), Column("in", 12), Column("out", 12), Column("source", 44),
               Column("words", 44, True))
    rows = [[str(one.number), one.part, clock(one.slot_in), clock(one.slot_out), one.source, one.words]
            for one in material.lines() if one.on_screen]
    return Table(f"{material.production}: on the screen", english_name(material.language), material.language, columns,
                 rows)


def rights_table(rights: Sequence[Right], title: str, language: str) -> Table:
    said = {True: "yes", False: "no", None: "nobody has said"}
    columns = (Column("name", 20), Column("what", 10), Column("used in", 22), Column("licence", 40),
               Column("where from", 30), Column("commercial use", 14), Column("consent on file", 18),
               Column("until", 11))
    rows = [[one.name, one.what, one.used_in, one.licence, one.source, said[one.commercial], one.consent, one.until]
            for one in rights]
    missing = sum(one.missing for one in rights)
    about = "Everything may be used commercially." if not missing else \
        f"Of {missing} of {len(rights)} it is not known that they may be used commercially: they are marked."
    return Table(f"{title}: rights and consent", about, language, columns, rows,
                 frozenset(number for number, one in enumerate(rights) if one.missing))


def _rights(material: Material) -> Table:
    return rights_table(material.rights(), f"{material.production} ({english_name(material.language)})",
                        material.language)


def _of_deliverables(name: str, all_: Sequence[Deliverable], stem: str, pattern: str, usual: str) -> ItemKind:
    """An item that is one of the files that can be had by themselves, by its format."""
    by_format = {one.name.removeprefix(f"{stem}."): one for one in all_ if one.name.startswith(f"{stem}.")}
    first = next(iter(by_format.values()))

    def write_down(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
        return {"of": by_format[str(choices["format"])].write_down(materials[0]), "format": choices["format"]}

    def make(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
        place = folder / f"{stem}.{order['format']}"
        told = by_format[order["format"]].make(order["of"], stores, place)
        return [MadeFile(place.name, order["format"], {"what": name.replace(" ", "-")}, told)]

    def check(order: Data, place: Path, file: MadeFile) -> Report:
        return by_format[order["format"]].check(order["of"], place, file.report)

    return ItemKind(name, "production" if first.of == "production" else "edition",
                    {"format": Choice(usual, tuple(by_format))}, pattern, need(*first.needs), write_down, make, check)


def _report(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    return {"report": materials[0].quality(), "format": choices["format"]}


def _make_report(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    place = folder / f"quality.{order['format']}"
    if order["format"] == "json":
        place.write_text(json.dumps(order["report"], ensure_ascii=False, indent=1), encoding="utf-8")
    else:
        write_table(quality_table(order["report"]), order["format"], place)
    return [MadeFile(place.name, order["format"], {"what": "quality"}, {"lines": float(len(order["report"]["lines"]))})]


def _check_report(order: Data, place: Path, file: MadeFile) -> Report:
    if order["format"] == "json":
        require(json.loads(place.read_text()) == order["report"], "Read again it is not what it should be.")
        return {}
    rows = quality_table(order["report"]).rows
    require(same_first_cells(order["format"], place, [row[0] for row in rows]),
            "Read again its rows are not what they should be.")
    return {}


def _markup(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    material = materials[0]
    return {"text": material.ssml() if choices["format"] == "ssml" else material.lexicon(),
            "format": choices["format"]}


def _make_markup(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    place = folder / f"markup.{order['format']}"
    place.write_text(order["text"], encoding="utf-8")
    return [MadeFile(place.name, order["format"], {"what": "markup" if order["format"] == "ssml" else "lexicon"}, {})]


def _check_markup(order: Data, place: Path, file: MadeFile) -> Report:
    root = etree.parse(str(place), etree.XMLParser(resolve_entities=False, no_network=True)).getroot()
    name = etree.QName(root).localname
    require(name == ("speak" if order["format"] == "ssml" else "lexicon"), "It begins with “{name}”.", name=name)
    return {"lines": float(sum(etree.QName(one).localname in ("s", "lexeme") for one in root.iter()
                               if isinstance(one.tag, str)))}



ITEMS = (
    _of_deliverables("script", SCRIPTS, "script", "{production}_script", "json"),
    _table_item("wordings", "wordings", _wordings),
    _table_item("cue sheet", "cue-sheet", _cue_sheet, frozenset({Need.VOICED}), usual="pdf"),
    _table_item("on-screen texts", "on-screen", _on_screen, usual="csv"),
    ItemKind("markup", "edition", {"format": Choice("ssml", ("ssml", "pls"))},
             "{language}/{production}_{language}_{what}", need(), _markup, _make_markup, _check_markup),
    _of_deliverables("hold list", HOLDS, "holds", "{language}/{production}_{language}_holds", "csv"),
    _of_deliverables("recording sheet", SHEETS, "recording-sheet", "{language}/{production}_{language}_recording-sheet",
                     "pdf"),
    ItemKind("quality report", "edition", {"format": Choice("pdf", ("pdf", "json", "csv", "xlsx"))},
             "{language}/{production}_{language}_{what}", need(Need.VOICED), _report, _make_report, _check_report),
    _table_item("rights", "rights", _rights, formats=("csv", "pdf", "xlsx", "json"), usual="pdf"),
)
