"""Editions as they stand, kept between requests and brought up to date by what has changed since.

Each process keeps the editions that it was asked for last. What people change is told by the production's *stamp* and
its records, what the background makes by the edition's *made* count: both only ever grow, and together they are the
*mark* that a client is given and asks with again. So a saved wording costs its own line and the placing of the few
around it, however long the edition is. Nothing is kept that could not be worked out afresh.
"""

from __future__ import annotations

import copy
import gzip
import threading
import time
from collections import OrderedDict
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from django.core.cache import cache

from janoglot.core.guarded import whole_number
from janoglot.core.speech.catalogue import catalogue
from janoglot.editions.state import EditionState, ScriptRows, lines_from_rows, settings_from_row, takes_there
from janoglot.productions.belonging import belonging_of
from janoglot.productions.models import (
    ActionRecord,
    Casting,
    Edition,
    LexiconEntry,
    Line,
    Media,
    PartDirection,
    Production,
    SoundWorld,
    Wording,
)
from janoglot.server.work import AWAY

MOST_LINES = 100_000
"""In one process: about half a gigabyte."""
MOST_TOLD = 16 * 1024**2
"""Bytes of editions as they were told, in one process."""
_AT_MOST = 3
"""Seconds to wait for what another request works out."""
_LOOK_AGAIN = 0.03
TOLD_SECONDS = 600
"""For so long other processes find them."""
_MOST_TOUCHED = 400
"""With more lines changed than this the edition is loaded afresh."""
_MOST_RECORDS = 200
_MOST_SCRIPTS = 4


@dataclass(frozen=True, slots=True, order=True)
class SeenMark:
    """How far the changes of an edition have been seen."""

    stamp: int
    made: int

    def __str__(self) -> str:
        return f"{self.stamp}.{self.made}"

    @classmethod
    def read(cls, text: str) -> SeenMark | None:
        """None for anything else."""
        stamp, _, made = text.partition(".")
        one, other = whole_number(stamp), whole_number(made)
        return None if one is None or other is None else cls(one, other)

    def knows(self, other: SeenMark) -> bool:
        return self.stamp >= other.stamp and self.made >= other.made


@dataclass(slots=True)
class _Kept:
    mark: SeenMark
    state: EditionState
    whole_at: SeenMark
    """Who has seen less than this is told everything."""
    changed: dict[int, SeenMark] = field(default_factory=dict)
    """By line, when it was last seen to be otherwise."""


@dataclass(frozen=True, slots=True)
class Current:
    """An edition as it stands, its mark, and the ids of the lines that are otherwise since the mark that was asked
    with; None where that is unknown, and all of them are to be told."""

    state: EditionState
    mark: SeenMark
    since: set[int] | None


_kept: OrderedDict[int, _Kept] = OrderedDict()
_told: OrderedDict[int, tuple[SeenMark, bytes]] = OrderedDict()
# Nobody is told what another version of the code told.
_CODE = f"{max(place.stat().st_mtime_ns for place in Path(__file__).parents[1].rglob('*.py')):x}"
_scripts: OrderedDict[tuple[int, float], tuple[int, ScriptRows]] = OrderedDict()
_script_locks: dict[int, threading.Lock] = {}
_locks: dict[int, threading.Lock] = {}
_guard = threading.Lock()


def current(row: Edition, after: SeenMark | None = None) -> Current:
    """How the edition in ``row`` stands now."""
    with _guard:
        lock = _locks.setdefault(row.pk, threading.Lock())
    with lock:
        kept = _up_to_date(row, _kept.get(row.pk))
        with _guard:
            _kept[row.pk] = kept
            _kept.move_to_end(row.pk)
            _let_go()
        state = copy.copy(kept.state)
        state.row = row
        since = None
        if after is not None and after.knows(kept.whole_at) and kept.mark.knows(after):
            since = {line for line, mark in kept.changed.items() if not after.knows(mark)}
        return Current(state, kept.mark, since)


def mark_of(row: Edition) -> SeenMark:
    """How far the changes of an edition have got."""
    made, stamp = Edition.objects.values_list("made", "production__stamp").get(pk=row.pk)
    return SeenMark(stamp, made)


def told_at(row: Edition, mark: SeenMark) -> bytes | None:
    """The whole of an edition as somebody was told it at this mark, packed (RFC 1952): by this process or another."""
    with _guard:
        known = _told.get(row.pk)
    if known is not None and known[0] == mark:
        return known[1]
    try:
        told: bytes | None = cache.get(_place(row, mark))
    except AWAY:
        return None
    if told is not None:
        _know(row, mark, told)
    return told


def told_by_another(row: Edition, mark: SeenMark) -> bytes | None:
    """Where another request is working the same out just now, what it tells; None where none is, or it takes long."""
    try:
        if cache.add(f"{_place(row, mark)}-begun", True, _AT_MOST):
            return None
        until = time.monotonic() + _AT_MOST
        while time.monotonic() < until:
            time.sleep(_LOOK_AGAIN)
            told = told_at(row, mark)
            if told is not None:
                return told
    except AWAY:
        pass
    return None


def keep_told(row: Edition, mark: SeenMark, told: bytes) -> bytes:
    """Keep it for whoever opens the edition next; packed."""
    packed = gzip.compress(told, compresslevel=3, mtime=0)
    _know(row, mark, packed)
    with suppress(*AWAY):
        cache.set(_place(row, mark), packed, TOLD_SECONDS)
        cache.delete(f"{_place(row, mark)}-begun")
    return packed


def _place(row: Edition, mark: SeenMark) -> str:
    # The row's number may have been another's before, in a database that was emptied.
    return f"edition-told-{_CODE}-{row.production.created.timestamp()}-{row.pk}-{mark}"


def _know(row: Edition, mark: SeenMark, told: bytes) -> None:
    with _guard:
        _told[row.pk] = (mark, told)
        _told.move_to_end(row.pk)
        while sum(len(one) for _, one in _told.values()) > MOST_TOLD and len(_told) > 1:
            _told.popitem(last=False)


def forget_all() -> None:
    """As in a process that has just started."""
    with _guard:
        _kept.clear()
        _scripts.clear()
        _told.clear()


def _script_at(row: Edition, stamp: int) -> ScriptRows:
    """What all editions of the production have in common: read once for those that are opened at one stamp."""
    place = (row.production_id, row.production.created.timestamp())
    with _guard:
        lock = _script_locks.setdefault(row.production_id, threading.Lock())
    with lock:
        known = _scripts.get(place)
        if known is None or known[0] != stamp:
            known = stamp, ScriptRows.of(row.production_id)
        with _guard:
            _scripts[place] = known
            _scripts.move_to_end(place)
            while len(_scripts) > _MOST_SCRIPTS:
                _scripts.popitem(last=False)
    return known[1]


def _let_go() -> None:
    count = sum(len(one.state.lines) for one in _kept.values())
    while count > MOST_LINES and len(_kept) > 1:
        _, gone = _kept.popitem(last=False)
        count -= len(gone.state.lines)


def _up_to_date(row: Edition, kept: _Kept | None) -> _Kept:
    # The mark is read first: what is changed meanwhile is seen again, never missed.
    mark = mark_of(row)
    if kept is not None and kept.mark == mark:
        return kept
    found = _touched(row, kept.mark, mark) if kept is not None and mark.knows(kept.mark) else None
    if kept is None or found is None or len(found.lines) > _MOST_TOUCHED:
        state = EditionState.load_afresh(row, _script_at(row, mark.stamp))
        # Worked out here, once, and not by each who asks.
        assert state.finished is not None
        return _Kept(mark, state, mark)
    numbers = {line.id: line.number for line in kept.state.edition.lines}
    lines = lines_from_rows(row, found.lines & set(numbers), numbers) if found.lines else []
    own = {line.own.voice for line in lines if line.own and line.own.voice}
    if own - kept.state.edition.voices.keys() - catalogue().keys():
        # A voice that people keep, and that nobody had in this edition yet.
        found.settings = True
    state = kept.state.with_settings(**settings_from_row(row), takes=takes_there) if found.settings else kept.state
    state = state.with_lines({line.id: line for line in lines}, takes_there)
    changed = {**kept.changed, **dict.fromkeys(_otherwise(kept.state, state) | found.lines, mark)}
    return _Kept(mark, state, kept.whole_at, changed)


@dataclass(slots=True)
class _Touched:
    """The lines that have changed, and whether the cast or the settings of the whole edition have."""

    lines: set[int] = field(default_factory=set)
    settings: bool = False


def _touched(row: Edition, seen: SeenMark, now: SeenMark) -> _Touched | None:
    """What has changed in or for this edition; None where it is quicker to load it afresh."""
    found = _Touched()
    touched = found.lines
    if now.made != seen.made:
        touched |= set(Wording.objects.filter(edition=row, made__gt=seen.made).values_list("line_id", flat=True))
    if now.stamp == seen.stamp:
        return found
    records = list(ActionRecord.objects.filter(production=row.production_id, stamp__gt=seen.stamp).values_list(
        "changes", flat=True)[:_MOST_RECORDS + 1])
    if len(records) > _MOST_RECORDS or not all(records):
        return None
    rows: dict[str, set[int]] = {}
    for changes in records:
        for change in changes:
            known = belonging_of(change["model"])
            if change["model"] == Line._meta.label_lower:
                after = change["after"]
                # Another order, or more or fewer lines: every number is another one.
                if change["before"] is None or after is None or "position" in after:
                    return None
                touched.add(change["id"])
            elif change["model"] in _OF_SETTINGS:
                found.settings = True
            elif known and {"line", "edition"} <= known.to:
                told = change["before"] or change["after"] or {}
                if "line_id" in told:
                    touched.add(told["line_id"])
                else:
                    rows.setdefault(change["model"], set()).add(change["id"])
            elif known and known.of_editions_whole:
                return None
    if found.settings and any(one["model"] == _EDITION and (one["before"] is None or one["after"] is None)
                              for changes in records for one in changes):
        return None
    for label, ids in rows.items():
        known = belonging_of(label)
        assert known is not None
        # Of the other editions the source's words count: what is said of a wording goes by them.
        touched |= set(known.rows(pk__in=ids).filter(edition__in=_counting(row)).values_list("line_id", flat=True))
    return found


_EDITION = Edition._meta.label_lower
_OF_SETTINGS = {_EDITION, Production._meta.label_lower, Casting._meta.label_lower,
                PartDirection._meta.label_lower, LexiconEntry._meta.label_lower, SoundWorld._meta.label_lower,
                Media._meta.label_lower}


def _counting(row: Edition) -> list[int]:
    sources = Edition.objects.filter(production=row.production_id, language=row.production.source_language)
    return [row.pk, *sources.values_list("id", flat=True)]


def _otherwise(before: EditionState, now: EditionState) -> set[int]:
    """Ids of the lines of which something that is shown is another. Both have the same lines in the same order."""
    found = before.finished ^ now.finished
    found |= before.finish_keys.keys() ^ now.finish_keys.keys()
    for was, line, was_at, at, was_timed, timed in zip(
            before.lines, now.lines, before.placements, now.placements, before.grown.lines, now.grown.lines,
            strict=True):
        if was is not line or (was_at is not at and was_at != at) or (
                was_timed is not timed and was_timed.slot != timed.slot):
            found.add(line.id)
    if before.holds != now.holds:
        for line, was_shift, shift in zip(now.lines, before.grown.shifts, now.grown.shifts, strict=True):
            if was_shift != shift:
                found.add(line.id)
    return found
