"""The quality report and the rights sheet by themselves: as packages have them, to be looked at or printed."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Need, Report, Stores
from janoglot.core.deliver.items import ItemKind, MadeFile
from janoglot.core.deliver.text_items import ITEMS

_KINDS = {"csv": "text/csv; charset=utf-8", "pdf": "application/pdf", "json": "application/json",
          "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}
_BY_NAME = {one.name: one for one in ITEMS}


def _write_down(kind: ItemKind, form: str, material: Material) -> Data:
    return kind.write_down([material], {"format": form})


def _make(kind: ItemKind, order: Data, stores: Stores, place: Path) -> Report:
    made = kind.make(order, stores, place.parent)[0]
    (place.parent / made.path).replace(place)
    return made.report


def _check(kind: ItemKind, form: str, order: Data, place: Path, report: Report) -> Report:
    return kind.check(order, place, MadeFile(place.name, form, {}, report))


def _sheets(item: str, name: str, needs: frozenset[Need]) -> tuple[Deliverable, ...]:
    kind = _BY_NAME[item]
    return tuple(Deliverable(f"{name}.{form}", media, partial(_write_down, kind, form), partial(_make, kind),
                             partial(_check, kind, form), needs, tail=f"_{name}") for form, media in _KINDS.items())


DELIVERABLES = (*_sheets("quality report", "quality", frozenset({Need.VOICED})),
                *_sheets("rights", "rights", frozenset()))
