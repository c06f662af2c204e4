"""Placing: from natural lengths and slots to when each line starts and how fast it is played.

:func:`place` is the one way in. Today a single pass in the order of time decides; a solver of the whole
problem can stand behind the same function.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from janoglot.core.timing.pacing import gap_after

Flag = Literal["over", "late", "into_silence", "fast", "slow", "no_take"]


@dataclass(frozen=True, slots=True)
class TimingSettings:
    """Rates are multiples of the natural speed; gaps and offsets are seconds."""

    comfortable_slow: float = 0.92
    comfortable_fast: float = 1.15
    hard_fast: float = 1.35
    pace: float = 1.0
    breath: float = 0.08
    """Kept free between a line that runs into the following silence and whoever speaks next."""


@dataclass(frozen=True, slots=True)
class TimedLine:
    """What placing knows of a line. ``natural`` is its take's length at rate 1, None while it has no take."""

    id: int
    speaker: str
    words: str
    natural: float | None
    slot: tuple[float, float] | None = None
    part: str = ""


@dataclass(frozen=True, slots=True)
class Placement:
    """Where a line sits: ``start`` and ``seconds`` as played, at ``rate``.

    ``over``: seconds that still do not fit at the hard limit. ``late``: seconds after its in-time.
    ``into_silence``: seconds past its out-time that nobody else needs.
    """

    id: int
    start: float
    seconds: float
    rate: float
    over: float = 0.0
    late: float = 0.0
    into_silence: float = 0.0
    flags: tuple[Flag, ...] = field(default_factory=tuple)

    @property
    def end(self) -> float:
        return self.start + self.seconds


def place(lines: Sequence[TimedLine], settings: TimingSettings | None = None) -> list[Placement]:
    """A placement for every line, in the order given.

    Timed lines start at their in-time and are played within the limits so as to end in their slot, then
    into the silence after it. Where the source's slots do not overlap, neither do the lines: who does
    not fit delays the next one, and is reported with the seconds over. Untimed lines follow at natural
    gaps. Cost grows linearly with the lines (after sorting).
    """
    settings = settings or TimingSettings()
    order = sorted(range(len(lines)), key=lambda i: _sort_key(lines, i))
    free_from = _next_starts(lines, order)
    placed: dict[int, Placement] = {}
    previous: TimedLine | None = None
    previous_end = 0.0
    # Whoever is placed and could still be meant to overlap a later line, and the end of everybody else.
    open_slots: list[tuple[TimedLine, float]] = []
    others_end = 0.0
    for position, index in enumerate(order):
        line = lines[index]
        if line.slot:
            still_open = []
            for other, end in open_slots:
                if other.slot and other.slot[1] > line.slot[0]:
                    still_open.append((other, end))
                else:
                    others_end = max(others_end, end)
            open_slots = still_open
            earliest = max([others_end, *(end for other, end in open_slots if not _overlap_meant(other, line))])
            placement = _in_slot(line, free_from[position], earliest, settings)
        else:
            placement = _after(line, previous, max(previous_end, 0.0), settings)
        placed[index] = placement
        if line.natural is not None:
            open_slots.append((line, placement.end))
            if previous is None or placement.end >= previous_end or not line.slot:
                previous, previous_end = line, placement.end
    return [placed[index] for index in range(len(lines))]


def programme_seconds(lines: Sequence[TimedLine], placements: Sequence[Placement]) -> float:
    """How long the track is: to the last out-time or the end of the last line, whichever is later."""
    ends = [line.slot[1] for line in lines if line.slot]
    ends += [p.end for p in placements if p.seconds > 0]
    return max(ends, default=0.0)


def _sort_key(lines: Sequence[TimedLine], index: int) -> tuple[float, int]:
    # A line without times stays behind the one before it in the script.
    at = index
    while at >= 0 and lines[at].slot is None:
        at -= 1
    slot = lines[at].slot if at >= 0 else None
    return (slot[0] if slot else -1.0, index)


def _next_starts(lines: Sequence[TimedLine], order: Sequence[int]) -> list[float]:
    """For each place in the order: when the next voiced slot starts that is meant to come after it."""
    result = [float("inf")] * len(order)
    for position, index in enumerate(order):
        slot = lines[index].slot
        if slot is None:
            continue
        for later in order[position + 1: position + 9]:
            other = lines[later]
            if other.slot and other.natural is not None and not _overlap_meant(lines[index], other):
                result[position] = other.slot[0]
                break
    return result


def _overlap_meant(one: TimedLine, other: TimedLine) -> bool:
    """Whether the source itself has two people speaking at once here (by more than a rounding)."""
    if not one.slot or not other.slot or one.speaker == other.speaker:
        return False
    return min(one.slot[1], other.slot[1]) - max(one.slot[0], other.slot[0]) > 0.05


def _in_slot(line: TimedLine, following: float, earliest: float, settings: TimingSettings) -> Placement:
    assert line.slot is not None
    in_time, out_time = line.slot
    start = max(in_time, earliest)
    late = start - in_time
    if line.natural is None:
        return Placement(line.id, in_time, 0.0, 1.0, flags=("no_take",))
    natural = line.natural
    room = max(out_time - start, 0.05)
    open_until = max(following - settings.breath, out_time) if following != float("inf") else float("inf")
    open_room = max(open_until - start, room)
    need = natural / room
    if need <= settings.comfortable_fast:
        rate = max(need, settings.comfortable_slow)
    else:
        # Past its slot it may run on, but no faster than it must and no slower than is comfortable.
        rate = min(max(natural / open_room, settings.comfortable_fast), settings.hard_fast)
    seconds = natural / rate
    over = max(0.0, seconds - open_room)
    into_silence = max(0.0, min(start + seconds, open_until) - out_time)
    flags: list[Flag] = []
    if over > 0.005:
        flags.append("over")
    if late > 0.02:
        flags.append("late")
    if into_silence > 0.02:
        flags.append("into_silence")
    if rate > settings.comfortable_fast + 0.001:
        flags.append("fast")
    if rate < 1 - 0.02:
        flags.append("slow")
    return Placement(line.id, start, seconds, rate, over if over > 0.005 else 0.0, late if late > 0.02 else 0.0,
                     into_silence if into_silence > 0.02 else 0.0, tuple(flags))


def _after(line: TimedLine, previous: TimedLine | None, end: float, settings: TimingSettings) -> Placement:
    start = end
    if previous:
        start += gap_after(previous.words, same_speaker=previous.speaker == line.speaker,
                           new_part=previous.part != line.part, pace=settings.pace)
    if line.natural is None:
        return Placement(line.id, max(0.0, start), 0.0, 1.0, flags=("no_take",))
    return Placement(line.id, max(0.0, start), line.natural, 1.0)
