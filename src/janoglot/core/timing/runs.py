"""Placing a long programme run by run, and only the runs that have changed.

The lines of a programme are tied to their neighbours alone, and where there is silence enough between two of them that
tie holds nothing back: then the best places of what comes before and of what comes after are the best of both together
(the multiplier of an inequality that is not tight is nought: Karush, Kuhn and Tucker). So a programme is cut at
silences, each run is placed and remembered by all that it was placed from, and wherever a tie turns out to be tight
after all, the two runs are placed as one. Where it is cut follows from the lines alone: the same lines are placed the
same way whatever was placed before.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from janoglot.core.timing.settings import TimingSettings

if TYPE_CHECKING:
    from janoglot.core.timing.placing import Placement, TimedLine

Run = tuple["TimedLine", ...]
Place = Callable[[Sequence[Sequence["TimedLine"]], TimingSettings], list[list["Placement"]]]
"""Places several runs, each as a problem of its own."""
_ONE_IN = 24
"""About one line in so many may begin a run."""
_SILENCE = 0.25
"""Seconds between slots where it may."""
_SLACK = 0.03
"""Seconds that a tie must be from being tight."""
_SHORT = 48
"""Lines. What is no longer is placed at once."""
_REMEMBERED = 8_000
"""Runs."""


@dataclass(frozen=True, slots=True)
class _Placed:
    """What a run was placed as, with when the first of it starts and the last of it ends."""

    placements: tuple[Placement, ...]
    start: float
    end: float

    @classmethod
    def of(cls, placements: Sequence[Placement]) -> _Placed:
        return cls(tuple(placements), min(one.start for one in placements), max(one.end for one in placements))


class _Memory:
    """What runs were placed as: the latest used ones."""

    def __init__(self) -> None:
        self._runs: OrderedDict[tuple[TimingSettings, Run], _Placed] = OrderedDict()
        # The very same lines again are found without looking at what is in them. They are kept, so that no other line
        # can come to have their identity.
        self._same: OrderedDict[tuple[int, ...], tuple[TimingSettings, Run, _Placed]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, settings: TimingSettings, run: Run) -> _Placed | None:
        identity = tuple(map(id, (settings, *run)))
        with self._lock:
            same = self._same.get(identity)
            if same is not None:
                self._same.move_to_end(identity)
                return same[2]
            found = self._runs.get((settings, run))
            if found is not None:
                self._runs.move_to_end((settings, run))
                self._know(identity, settings, run, found)
            return found

    def put(self, settings: TimingSettings, run: Run, placed: _Placed) -> None:
        with self._lock:
            self._runs[settings, run] = placed
            self._know(tuple(map(id, (settings, *run))), settings, run, placed)
            while len(self._runs) > _REMEMBERED:
                self._runs.popitem(last=False)

    def _know(self, identity: tuple[int, ...], settings: TimingSettings, run: Run, placed: _Placed) -> None:
        self._same[identity] = (settings, run, placed)
        while len(self._same) > _REMEMBERED:
            self._same.popitem(last=False)


_memory = _Memory()


def forget_runs() -> None:
    """As in a process that has just started."""
    global _memory
    _memory = _Memory()


def in_runs(lines: Sequence[TimedLine], settings: TimingSettings, place: Place) -> list[Placement]:
    """A placement for every line, in the order given; ``place`` is what it rests on. Every line has a take and a
    slot."""
    if len(lines) <= _SHORT:
        return place([lines], settings)[0]
    starts = [_start(line) for line in lines]
    order = sorted(range(len(lines)), key=starts.__getitem__)
    runs = _cut([lines[k] for k in order], [starts[k] for k in order])
    placed = _all_placed(runs, settings, place)
    while True:
        joined = _joined(runs, placed, settings)
        if len(joined) == len(runs):
            break
        runs, placed = joined, _all_placed(joined, settings, place)
    result: list[Placement | None] = [None] * len(lines)
    at = iter(order)
    for run in placed:
        for placement in run.placements:
            result[next(at)] = placement
    return [one for one in result if one is not None]


def _start(line: TimedLine) -> float:
    assert line.slot is not None
    return line.timing.at if line.timing.mode == "pinned" and line.timing.at is not None else line.slot[0]


def _cut(lines: Sequence[TimedLine], starts: Sequence[float]) -> list[Run]:
    """At silences, by what the lines themselves are: what is added elsewhere shifts no cut."""
    cuts, until = [0], -1.0
    for at, (line, start) in enumerate(zip(lines, starts, strict=True)):
        # Knuth's multiplicative hash of the in-time: evenly spread, whatever steps times come in.
        if start - until >= _SILENCE and at and (
                (round(start * 1000) * 2654435761) % 4294967296) * _ONE_IN < 4294967296:
            cuts.append(at)
        end = line.slot[1]  # type: ignore[index]
        until = until if until > end and until > start else end if end > start else start
    return [tuple(lines[begin:end]) for begin, end in zip(cuts, [*cuts[1:], len(lines)], strict=True)]


def _all_placed(runs: Sequence[Run], settings: TimingSettings, place: Place) -> list[_Placed]:
    found = [_memory.get(settings, run) for run in runs]
    missing = [at for at, known in enumerate(found) if known is None]
    if missing:
        for at, placements in zip(missing, place([runs[at] for at in missing], settings), strict=True):
            found[at] = placed = _Placed.of(placements)
            _memory.put(settings, runs[at], placed)
    return [known for known in found if known is not None]


def _joined(runs: Sequence[Run], placed: Sequence[_Placed], settings: TimingSettings) -> list[Run]:
    """The runs, those that hold each other back made one."""
    found: list[Run] = [runs[0]]
    for before, run, after in zip(placed, runs[1:], placed[1:], strict=False):
        if _apart(before, run, after, settings):
            found.append(run)
        else:
            found[-1] += run
    return found


def _apart(before: _Placed, run: Run, after: _Placed, settings: TimingSettings) -> bool:
    """Whether nothing of what comes after is held back by what comes before, nor could be told that it is. The lines of
    a run lie in the order of their starts."""
    end = before.end + settings.breath + _SLACK
    return end <= after.start and end <= _start(run[0])
