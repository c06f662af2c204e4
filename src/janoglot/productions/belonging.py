"""What belongs to what: one registry of the tables that hang on a line, a speaker, an edition or a production.

A table registers once, where its model is, and is then copied, split, joined, taken out, brought back and guarded by
undo with everything else. What it does differently from the others it says in methods of its own:

``when_split(record, rows, cut)``
    its line is cut in two (otherwise the new line has copies of all of them);
``when_joined(record, rows, joint)``
    its line becomes part of the one before (otherwise they go with it);
``for_other_edition(row, language)``
    an unsaved copy for an edition in another language, or None (otherwise all is copied as it is).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal, TypeVar

from django.db import models

if TYPE_CHECKING:
    from janoglot.productions.models import Edition, Line
    from janoglot.productions.recorder import Recorder

Owner = Literal["production", "edition", "speaker", "line"]
M = TypeVar("M", bound=type[models.Model])


@dataclass(frozen=True)
class Belonging:
    """One table. ``to``: the foreign keys to what it belongs to; it goes when any of them does.

    ``free``: columns that background work moves on, which undo neither minds nor puts back. ``unvoiced``: what is set
    in a copy of a production that is to have no takes. ``of_editions_whole``: a change to it may change every line of
    an edition. ``media``: columns that name files of the store of media, which stay as long as a row does.
    """

    model: type[models.Model]
    to: frozenset[Owner]
    free: frozenset[str]
    unvoiced: dict[str, Any]
    of_editions_whole: bool
    media: frozenset[str]

    @property
    def label(self) -> str:
        return self.model._meta.label_lower

    @property
    def of_production(self) -> str:
        """The lookup from one of its rows to the production."""
        for owner, path in (("production", "production"), ("edition", "edition__production"),
                            ("line", "line__production"), ("speaker", "speaker__production")):
            if owner in self.to:
                return path
        raise AssertionError(self.label)

    @cached_property
    def references(self) -> dict[str, type[models.Model]]:
        """Its columns that name rows of other registered tables."""
        registered = {one.model for one in _registered}
        return {field.attname: field.related_model for field in self.model._meta.concrete_fields
                if isinstance(field, models.ForeignKey) and field.related_model in registered}

    def rows(self, **of: Any) -> models.QuerySet[Any]:
        return self.model._default_manager.filter(**of)


@dataclass(frozen=True, slots=True)
class Cut:
    """A line that is cut in two: the words of ``edition`` into ``left`` and ``right``, at ``share`` of its time."""

    user: Any
    line: Line
    new: Line
    edition: Edition
    left: str
    right: str
    share: float


@dataclass(frozen=True, slots=True)
class Joint:
    """``line`` becomes a part of the line ``before``."""

    user: Any
    before: Line
    line: Line


_registered: list[Belonging] = []


def belongs(*to: Owner, free: Sequence[str] = (), unvoiced: dict[str, Any] | None = None,
            of_editions_whole: bool = False, media: Sequence[str] = ()) -> Callable[[M], M]:
    """Register a table, where its model is defined."""
    def register(model: M) -> M:
        _registered.append(Belonging(model, frozenset(to), frozenset(free), unvoiced or {}, of_editions_whole,
                                      frozenset(media)))
        return model

    return register


def belongings(*to: Owner) -> list[Belonging]:
    """All registered tables that belong to all of ``to``; what others refer to comes first."""
    return [one for one in _in_order() if set(to) <= one.to]


def belonging_of(label: str) -> Belonging | None:
    """By the label that records name a table by."""
    return next((one for one in _registered if one.label == label), None)


def _in_order() -> Iterator[Belonging]:
    left, given = list(_registered), set()
    while left:
        for one in left:
            if all(model in given or model is one.model for model in one.references.values()):
                given.add(one.model)
                left.remove(one)
                yield one
                break
        else:
            raise AssertionError("tables that belong to each other in a circle")


def copied_columns(row: models.Model) -> dict[str, Any]:
    """All columns of a row but its own id."""
    return {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields
            if not field.primary_key}


def take_out(record: Recorder, to: Owner, of: Sequence[Any]) -> None:
    """Take out everything that belongs to these lines, speakers or editions; undoing brings it back."""
    for one in reversed(belongings(to)):
        record.delete_all(list(one.rows(**{f"{to}__in": of}).select_for_update()))


def _with_editions(one: Belonging, rows: models.QuerySet[Any]) -> list[Any]:
    """The rows, their editions fetched beside them in one go and not locked."""
    return list(rows.prefetch_related("edition__production") if "edition" in one.to else rows)


def split_belongings(record: Recorder, cut: Cut) -> None:
    """What belongs to a line that is cut in two."""
    for one in belongings("line"):
        rows = _with_editions(one, one.rows(line=cut.line).select_for_update())
        if hasattr(one.model, "when_split"):
            one.model.when_split(record, rows, cut)
        else:
            record.create_all([one.model(**{**copied_columns(row), "line_id": cut.new.pk}) for row in rows])


def join_belongings(record: Recorder, joint: Joint) -> None:
    """What belongs to a line that becomes part of another."""
    for one in belongings("line"):
        rows = _with_editions(one, one.rows(line=joint.line).select_for_update())
        if hasattr(one.model, "when_joined"):
            one.model.when_joined(record, rows, joint)
        else:
            record.delete_all(rows)


def copy_to_edition(record: Recorder, edition: Edition, made: Edition) -> None:
    """Everything that belongs to ``edition``, for ``made``, which may be in another language."""
    for one in belongings("edition"):
        copies = []
        for row in one.rows(edition=edition):
            row.edition = edition
            copy: Any = row.for_other_edition(made.language) if hasattr(row, "for_other_edition") else one.model(
                **copied_columns(row))
            if copy is not None:
                copy.edition_id = made.pk
                copies.append(copy)
        record.create_all(copies)


def copy_production(production_id: int, made_id: int, voiced: bool) -> dict[type[models.Model], dict[int, int]]:
    """Everything that belongs to a production, for another one; unrecorded. Gives the new ids by table and old id."""
    ids: dict[type[models.Model], dict[int, int]] = {}
    for one in belongings():
        rows = list(one.rows(**{one.of_production: production_id}))
        copies = []
        for row in rows:
            values = copied_columns(row) | ({} if voiced else one.unvoiced)
            for column, model in one.references.items():
                values[column] = ids[model].get(values[column])
            if "production" in one.to:
                values["production_id"] = made_id
            copies.append(one.model(**values))
        one.model._default_manager.bulk_create(copies, batch_size=500)
        ids[one.model] = {old.pk: new.pk for old, new in zip(rows, copies, strict=True)}
    return ids
