"""Templates: a line with variable parts ("The next tide is at {time}.") and a table whose every row is a clip.

What is fixed is read the same in every clip: as it is read with the *reference* values. A row that comes later takes
nothing from those before it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import regex

from janoglot.core.errors import BadInput
from janoglot.core.languages import find_tag, same_language
from janoglot.core.speech.directing import DirectionMark, carried, directed, words_of
from janoglot.core.speech.lexicon import Lexicon
from janoglot.core.speech.readings import READING_KINDS, Reading, ReadingKind
from janoglot.core.speech.takes import TakeRecipe

MOST_ROWS = 5_000
MOST_COLUMNS = 20
LONGEST_VALUE = 200
NAME = "name"
"""The column with the names of the clips."""
_SLOT = regex.compile(r"\{\s*([\p{L}_][\p{L}\p{M}\p{N}_ -]{0,39}?)\s*\}")
_READ_AS = tuple(kind for kind in READING_KINDS if kind not in ("alias", "ipa"))


def slots_of(words: str) -> list[str]:
    """The names of the variable parts of a line, each once, in their order."""
    return list(dict.fromkeys(match[1].casefold() for match in _SLOT.finditer(words)))


@dataclass(frozen=True, slots=True)
class ClipRow:
    """One row of a table: the name of its clip, and its values by column. A column that is headed by a slot and a
    language ("weekday es-MX") has the values of that language."""

    name: str
    values: tuple[tuple[str, str], ...]

    def value(self, slot: str, language: str) -> str | None:
        """What stands for ``slot`` in an edition in ``language``: the language's own column, else the plain one."""
        told = dict(self.values)
        plain: str | None = told.get(slot)
        for column, value in told.items():
            head, _, tag = column.rpartition(" ")
            if head == slot and tag == language.casefold():
                return value
        for column, value in told.items():
            head, _, tag = column.rpartition(" ")
            if head == slot and find_tag(tag) and same_language(tag, language):
                return value
        return plain


@dataclass(frozen=True, slots=True)
class ClipTable:
    """The values of a template. ``kinds``: what the values of a slot are read as (a time, a number), by slot.
    ``reference``: the row whose reading all others have where the words are fixed."""

    rows: tuple[ClipRow, ...]
    reference: ClipRow
    kinds: tuple[tuple[str, ReadingKind], ...] = ()


def checked_rows(rows: Sequence[Mapping[str, str]]) -> tuple[ClipRow, ...]:
    """Rows as a person or a file has them, by heading. A row without a name gets one from its values, and no name
    stands twice. Raises BadInput."""
    if len(rows) > MOST_ROWS:
        raise BadInput("A table has {most} rows at most.", most=MOST_ROWS)
    found: list[ClipRow] = []
    names: set[str] = set()
    for row in rows:
        values = {" ".join(str(column).split()).casefold(): " ".join(str(value).split())
                  for column, value in row.items() if column is not None}
        name = values.pop(NAME, "")
        values = {column: value for column, value in values.items() if column and value}
        if not values and not name:
            continue
        if len(values) > MOST_COLUMNS:
            raise BadInput("A table has {most} columns at most.", most=MOST_COLUMNS)
        if any(len(value) > LONGEST_VALUE for value in values.values()):
            raise BadInput("A value has {most} characters at most.", most=LONGEST_VALUE)
        base = _name(name or " ".join(list(values.values())[:3]))
        name, number = base, 2
        while name.casefold() in names:
            name, number = f"{base}-{number}", number + 1
        names.add(name.casefold())
        found.append(ClipRow(name, tuple(values.items())))
    return tuple(found)


def _name(text: str) -> str:
    return regex.sub(r"[^\p{L}\p{M}\p{N}_.-]+", "-", text).strip("-.")[:60] or "clip"


def checked_kinds(kinds: Mapping[str, str]) -> tuple[tuple[str, ReadingKind], ...]:
    """Raises BadInput for what no value can be read as."""
    found: dict[str, ReadingKind] = {}
    for slot, kind in kinds.items():
        if not kind:
            continue
        if kind not in _READ_AS:
            raise BadInput("Nothing is read as “{kind}”.", kind=str(kind)[:20])
        found[" ".join(slot.split()).casefold()] = kind
    return tuple(sorted(found.items()))


@dataclass(frozen=True, slots=True)
class Filled:
    """A template with its values. ``fixed``: stretches that are the template's own (start and length), one more than it
    has slots; ``inside``: the values (slot, start, length). ``missing``: slots without a value."""

    words: str
    fixed: tuple[tuple[int, int], ...]
    inside: tuple[tuple[str, int, int], ...]
    missing: tuple[str, ...]


def filled(template: str, row: ClipRow, language: str) -> Filled:
    """``template`` with the values of ``row``, spaces as engines want them."""
    text, at = "", 0
    fixed, inside, missing = [], [], []
    for match in _SLOT.finditer(template):
        start = len(text)
        text += template[at: match.start()]
        fixed.append((start, len(text) - start))
        slot = match[1].casefold()
        value = row.value(slot, language)
        if value is None:
            missing.append(slot)
            value = ""
        inside.append((slot, len(text), len(value)))
        text += value
        at = match.end()
    fixed.append((len(text), len(template) - at))
    return Filled(text + template[at:], tuple(fixed), tuple(inside), tuple(dict.fromkeys(missing)))


@dataclass(frozen=True, slots=True)
class Clip:
    """One row of a template in one edition: its words, and what it is made from; None where ``missing`` names slots
    that it has no value for."""

    name: str
    words: str
    recipe: TakeRecipe | None
    missing: tuple[str, ...] = ()


def clips_of(plain: TakeRecipe, template: str, table: ClipTable, lexicon: Lexicon,
             marks: Sequence[DirectionMark] = ()) -> list[Clip]:
    """Every row's clip, as :func:`clip_recipe` has them."""
    template = " ".join(words_of(template))
    reference = _said(plain, template, table.reference, table, lexicon, marks)
    found = []
    for row in table.rows:
        own = _said(plain, template, row, table, lexicon, marks)
        missing = own[1].missing
        found.append(Clip(row.name, own[1].words, None if missing else _as_read(own, reference), missing))
    return found


def clip_recipe(plain: TakeRecipe, template: str, row: ClipRow, table: ClipTable, lexicon: Lexicon,
                marks: Sequence[DirectionMark] = ()) -> TakeRecipe:
    """What the clip of ``row`` is made from: ``plain`` (the recipe of the template's voice, without marks on words)
    with the row's words, whose fixed ones are read as in the reference. ``marks`` are on the template's words.

    Raises BadInput for a row without a value that the template needs.
    """
    template = " ".join(words_of(template))
    own, other = (_said(plain, template, one, table, lexicon, marks) for one in (row, table.reference))
    if own[1].missing:
        raise BadInput("“{name}” has no value for {slots}.", name=row.name, slots=", ".join(own[1].missing))
    return _as_read(own, other)


def _as_read(own: tuple[TakeRecipe, Filled], other: tuple[TakeRecipe, Filled]) -> TakeRecipe:
    """The one with its fixed words as the other reads them."""
    if other[1].missing or own[0].words == other[0].words:
        return own[0]
    spans = tuple((at, there, length) for (at, length), (there, _) in zip(own[1].fixed, other[1].fixed, strict=True)
                  if length)
    return replace(own[0], like=other[0], like_spans=spans)


def _said(plain: TakeRecipe, template: str, row: ClipRow, table: ClipTable, lexicon: Lexicon,
          marks: Sequence[DirectionMark]) -> tuple[TakeRecipe, Filled]:
    text = filled(template, row, plain.language)
    kinds = dict(table.kinds)
    readings = [Reading(at, length, kinds[slot]) for slot, at, length in text.inside if length and slot in kinds]
    delivery = directed(plain.delivery, carried(marks, template, text.words)[0], text.words)
    taken = [*delivery.readings, *readings]
    taken += lexicon.readings(text.words, plain.language, [(one.at, one.length) for one in taken])
    delivery = replace(delivery, readings=tuple(sorted(taken, key=lambda one: one.at)))
    return replace(plain, words=text.words, delivery=delivery), text


def columns_of(rows: Sequence[ClipRow]) -> list[str]:
    """The headings of a table, in the order in which they come."""
    return list(dict.fromkeys(column for row in rows for column, _ in row.values))


def table_as_json(table: ClipTable) -> dict[str, Any]:
    return {"rows": [row_as_json(row) for row in table.rows], "reference": row_as_json(table.reference),
            "kinds": dict(table.kinds)}


def row_as_json(row: ClipRow) -> dict[str, str]:
    return {NAME: row.name, **dict(row.values)}


def table_of(told: Any) -> ClipTable | None:
    """A table as it was written down; None where there is none. Raises BadInput."""
    if not isinstance(told, dict) or not isinstance(told.get("rows"), list):
        return None
    rows = checked_rows([row for row in told["rows"] if isinstance(row, dict)])
    reference = checked_rows([told["reference"]]) if isinstance(told.get("reference"), dict) else ()
    if not rows and not reference:
        return None
    kinds = told.get("kinds")
    return ClipTable(rows, (reference or rows)[0], checked_kinds(kinds if isinstance(kinds, dict) else {}))


@dataclass(frozen=True, slots=True)
class Cell:
    """One value anew: of the row of a name, in a column; the column “name” gives the row another name."""

    row: str
    column: str
    value: str


def edited(table: ClipTable | None, cells: Sequence[Cell] = (), add: Sequence[Mapping[str, str]] = (),
           remove: Sequence[str] = (), kinds: Mapping[str, str] | None = None) -> ClipTable:
    """A table with what is said here done to it, and nothing else: what somebody else did to other cells meanwhile
    stays. ``add``: rows after all others; ``remove``: names of rows, which may be gone already; ``kinds``: what values
    are read as, of these slots alone. Raises BadInput, for a cell whose row is not there too."""
    rows = {row.name.casefold(): row_as_json(row) for row in table.rows} if table else {}
    for name in remove:
        rows.pop(name.casefold(), None)
    for cell in cells:
        if cell.row.casefold() not in rows:
            raise BadInput("There is no row “{name}” in this table.", name=cell.row[:60])
        rows[cell.row.casefold()][" ".join(cell.column.split()).casefold()] = cell.value
    changed = with_rows(table, checked_rows([*rows.values(), *add]), anew=True)
    told = {" ".join(slot.split()).casefold(): kind for slot, kind in (kinds or {}).items()}
    return replace(changed, kinds=checked_kinds({**dict(changed.kinds), **told}))


def with_reference(table: ClipTable, name: str) -> ClipTable:
    """A table whose fixed words are all read as in the row of that name. Raises BadInput where there is none."""
    chosen = next((one for one in table.rows if one.name == name), None)
    if chosen is None:
        raise BadInput("There is no row “{name}” in this table.", name=name[:60])
    return replace(table, reference=chosen)


def with_rows(table: ClipTable | None, rows: Sequence[ClipRow], anew: bool = False) -> ClipTable:
    """A table with these rows beside its own, each in the place of one of its name; ``anew``: with these alone. The
    reference stays as it was. Raises BadInput for too many, or none at all."""
    old = {} if anew or table is None else {row.name.casefold(): row for row in table.rows}
    merged = tuple({**old, **{row.name.casefold(): row for row in rows}}.values())
    if len(merged) > MOST_ROWS:
        raise BadInput("A table has {most} rows at most.", most=MOST_ROWS)
    if table is None and not merged:
        raise BadInput("There is no row in this table.")
    return ClipTable(merged, table.reference if table else merged[0], table.kinds if table else ())
