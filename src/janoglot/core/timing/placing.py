"""Placing: from natural lengths and slots to when each line starts and how fast it is played.

:func:`place` is the one way in. Timed lines are placed together, at the least cost that there is: the cost is
convex, so what is found is the best, and the same every time. Lines without times follow at natural pauses.

What costs, for a line of natural length *d* played in *L* seconds from *t*, with the slot *s* to *e*:

* the squared logarithm of how far its rate *d/L* is beyond the comfortable ones;
* the squared distance of *t* from *s*, more where the mouth is in sight;
* the squared seconds past *e*, more where the mouth is in sight; a little the seconds that it ends before *e*.

What holds: rates within the hard limits; *t* within the tolerance around *s*; the end no later than the silence that
may be used; nobody over the next one, save as far as the source has them overlap; nobody past the fixed end of a
part; and never another order. Where not all of this can hold, the least harmful gives way, by as little as can be:
first the tolerance and the silence, then speaking over another, last the limit of the rate. A part's end, and
how early a line may start, never do.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache, lru_cache
from typing import Literal

import numpy as np

from janoglot.core.timing.least_cost import HARD, Floats, Ints, Rows, least_cost
from janoglot.core.timing.pacing import gap_after
from janoglot.core.timing.runs import in_runs
from janoglot.core.timing.settings import OwnTiming, TimingSettings

Flag = Literal["over", "late", "early", "into_silence", "fast", "slow", "short", "collides", "no_take"]
UNSTRETCHED = (1.0, 1.0, 1.0, 1.0)
"""The rates of what is only ever played as it is."""
TOUCH = 0.05
"""Slots that overlap by no more than this were meant to touch: captions are rounded."""


@dataclass(frozen=True, slots=True)
class TimedLine:
    """What placing knows of a line. ``natural`` is its take's length at rate 1, None while it has no take.

    ``part_start`` and ``part_end`` are where its part is fixed in the picture. ``rates`` are its voice's own
    comfortable and hard rates (slow, fast, hard slow, hard fast), where they differ from the edition's.
    """

    id: int
    speaker: str
    words: str
    natural: float | None
    slot: tuple[float, float] | None = None
    part: str = ""
    in_sight: bool | None = None
    part_start: float | None = None
    part_end: float | None = None
    timing: OwnTiming = field(default_factory=OwnTiming)
    rates: tuple[float, float, float, float] | None = None


@dataclass(frozen=True, slots=True)
class Placement:
    """Where a line sits: ``start`` and ``seconds`` as played, at ``rate``.

    ``over``: seconds past where it may end, or by which it makes the next one later than that may be. ``late``: seconds
    that it starts after its in-time (below nothing: before it). ``into_silence``: seconds past its out-time that it may
    use. ``collides``: seconds that it speaks over the next, beyond what the source does. ``misfit``: all of its own
    bounds that could not hold, in seconds.
    """

    id: int
    start: float
    seconds: float
    rate: float
    over: float = 0.0
    late: float = 0.0
    into_silence: float = 0.0
    collides: float = 0.0
    misfit: float = 0.0
    flags: tuple[Flag, ...] = field(default_factory=tuple)

    @property
    def end(self) -> float:
        return self.start + self.seconds

    @property
    def harm(self) -> float:
        """Seconds; 0 where the line fits and keeps nobody else from fitting."""
        return max(self.over, self.misfit)


_USUAL = TimingSettings()


def place(lines: Sequence[TimedLine], settings: TimingSettings | None = None) -> list[Placement]:
    """A placement for every line, in the order given. Cost grows linearly with the lines (after sorting)."""
    settings = settings or _USUAL
    if not any(line.slot for line in lines):
        return _in_turn(lines, settings)
    return _at_least_cost(lines, settings)


def programme_seconds(lines: Sequence[TimedLine], placements: Sequence[Placement]) -> float:
    """How long the track is: to the last out-time or the end of the last line, whichever is later."""
    ends = [line.slot[1] for line in lines if line.slot]
    ends += [p.end for p in placements if p.seconds > 0]
    return max(ends, default=0.0)


def overlap_meant(one: TimedLine, other: TimedLine) -> bool:
    """Whether the source itself has two people speaking at once here (by more than a rounding)."""
    if not one.slot or not other.slot or one.speaker == other.speaker:
        return False
    return min(one.slot[1], other.slot[1]) - max(one.slot[0], other.slot[0]) > TOUCH


def _in_turn(lines: Sequence[TimedLine], settings: TimingSettings) -> list[Placement]:
    """Lines without times: one after another at natural pauses."""
    placed: list[Placement] = []
    previous: TimedLine | None = None
    end = 0.0
    for line in lines:
        start = max(0.0, end + _pause_before(line, previous, settings))
        if line.natural is None:
            placed.append(Placement(line.id, start, 0.0, 1.0, flags=("no_take",)))
            continue
        as_it_is = line.rates == UNSTRETCHED
        rate = 1.0 if as_it_is or line.timing.mode == "run" else settings.untimed_rate
        if line.timing.mode == "pinned" and line.timing.at is not None:
            start = line.timing.at
        if line.timing.seconds and not as_it_is:
            rate = min(max(line.natural / line.timing.seconds, settings.hard_slow), settings.hard_fast)
        placed.append(Placement(line.id, start, line.natural / rate, rate))
        end, previous = start + line.natural / rate, line
    return placed


def _pause_before(line: TimedLine, previous: TimedLine | None, settings: TimingSettings) -> float:
    if line.timing.pause is not None:
        return line.timing.pause
    if previous is None:
        return 0.0
    return gap_after(previous.words, same_speaker=previous.speaker == line.speaker,
                     new_part=previous.part != line.part, pace=settings.pace)


# What things cost. Only their proportions matter: ×1.25, that is a tenth beyond comfort, weighs as much as starting
# 0.28 s off where nobody sees the mouth and 0.08 s where somebody does, or as running 0.8 s into silence.
_RATE = 1.0
_OFF = {True: 1.0, False: 0.09, None: 0.09}
_PAST = {True: 0.10, False: 0.01, None: 0.01}
_UNFILLED = {True: 0.0005, False: 0.0, None: 0.0001}
_NATURAL = 1e-4
"""Decides between rates that are all comfortable: the natural one."""
# The price of a second that cannot be had, by what it is taken from. Each outweighs what stands before it.
_ANCHOR = 2.0
"""Lines without a slot among lines with one stay behind the one before them."""
_TOLERANCE = 10.0
_OVERLAP = 1000.0
_SLOT = 50.0
_PINNED = 5000.0
_LIMIT = 20_000.0


@dataclass(slots=True)
class _Voiced:
    """The lines that have a take, in the order in which they start, as columns. Seconds."""

    index: list[int]
    lines: list[TimedLine]
    natural: Floats
    low: Floats
    """The in-time, or where it is pinned."""
    high: Floats
    """The out-time."""
    earliest: Floats
    latest: Floats
    run_on: Floats
    part_end: Floats
    rates: Floats
    """Shape (lines, 4): comfortable slow and fast, hard slow and fast."""


def _columns(lines: Sequence[TimedLine], settings: TimingSettings) -> _Voiced:
    slots = _slots(lines, settings)
    starts = [line.timing.at if line.timing.mode == "pinned" and line.timing.at is not None else slots[k][0]
              for k, line in enumerate(lines)]
    index = sorted((k for k, line in enumerate(lines) if line.natural is not None), key=lambda k: (starts[k], k))
    chosen = [lines[k] for k in index]
    low = np.array([starts[k] for k in index])
    high = np.array([max(slots[k][1], slots[k][0] + 0.02) for k in index])
    early, late, run_on, part_end, rates = [], [], [], [], []
    for line, at in zip(chosen, low, strict=True):
        own, tight = line.timing, bool(line.in_sight)
        e = own.early if own.early is not None else settings.tight_early if tight else settings.early
        if line.part_start is not None and at >= line.part_start:
            e = min(e, at - line.part_start)
        early.append(min(e, at))
        late.append(own.late if own.late is not None else settings.tight_late if tight else settings.late)
        run_on.append(own.run_on if own.run_on is not None else settings.run_on)
        # An end that lies before the line's own beginning says nothing of it.
        part_end.append(line.part_end if line.part_end is not None and line.part_end > at + 0.1 else np.inf)
        slow, fast, hard_slow, hard_fast = line.rates or (
            settings.comfortable_slow, settings.comfortable_fast, settings.hard_slow, settings.hard_fast)
        if own.hard_fast is not None:
            hard_fast = own.hard_fast
        rates.append((slow, min(fast, hard_fast), hard_slow, hard_fast))
    return _Voiced(index, chosen, np.array([max(line.natural or 0.0, 0.02) for line in chosen]), low, high,
                   low - np.array(early), low + np.array(late), np.array(run_on), np.array(part_end),
                   np.array(rates).reshape(-1, 4))


def _slots(lines: Sequence[TimedLine], settings: TimingSettings) -> list[tuple[float, float]]:
    """Every line's slot; of one without times, where it would come after the one before it."""
    found: list[tuple[float, float]] = []
    previous: TimedLine | None = None
    for line in lines:
        if line.slot:
            found.append(line.slot)
        else:
            at = max(0.0, (found[-1][1] if found else 0.0) + _pause_before(line, previous, settings))
            found.append((at, at + (line.natural or 0.0) / settings.untimed_rate))
        if line.natural is not None or line.slot:
            previous = line
    return found


def _at_least_cost(lines: Sequence[TimedLine], settings: TimingSettings) -> list[Placement]:
    voiced = [k for k, line in enumerate(lines) if line.natural is not None]
    if all(lines[k].slot for k in voiced):
        placed = dict(zip(voiced, in_runs([lines[k] for k in voiced], settings, _solved), strict=True))
    else:
        # Where a line without a slot comes hangs on all before it.
        placed = dict(zip(voiced, _solved([lines], settings)[0], strict=True))
    for k, line in enumerate(lines):
        if line.natural is None:
            start = line.slot[0] if line.slot else placed[k - 1].end if k - 1 in placed else 0.0
            placed[k] = _without_take(line.id, start)
    return [placed[k] for k in range(len(lines))]


@lru_cache(maxsize=100_000)
def _without_take(line: int, start: float) -> Placement:
    # The same one again: whoever asks what has changed sees at once that it has not.
    return Placement(line, start, 0.0, 1.0, flags=("no_take",))


def _solved(runs: Sequence[Sequence[TimedLine]], settings: TimingSettings) -> list[list[Placement]]:
    """The lines of each run that have a take, in the order given; each run placed as one problem, all side by side."""
    columns = [_columns(lines, settings) for lines in runs]
    if not any(v.index for v in columns):
        return [[] for _ in runs]
    v, begins = _beside(columns)
    pairs = _pairs(v, settings, begins)
    x = _solve(v, pairs, begins)
    starts, ends = _settled(v, x[0::2], x[1::2], pairs)
    described = _described(v, starts, ends, pairs)
    found = []
    for one, begin in zip(columns, begins, strict=True):
        by_index = dict(zip(one.index, described[begin: begin + len(one.index)], strict=True))
        found.append([by_index[k] for k in sorted(by_index)])
    return found


def _beside(columns: Sequence[_Voiced]) -> tuple[_Voiced, list[int]]:
    """The columns of several runs one after another, and where each begins."""
    begins = [0]
    for v in columns[:-1]:
        begins.append(begins[-1] + len(v.index))
    if len(columns) == 1:
        return columns[0], begins
    joined = {name: np.concatenate([getattr(v, name) for v in columns]) for name in (
        "natural", "low", "high", "earliest", "latest", "run_on", "part_end", "rates")}
    return _Voiced([k for v in columns for k in v.index], [line for v in columns for line in v.lines], **joined), begins


def least_cost_times(lines: Sequence[TimedLine], settings: TimingSettings | None = None) -> tuple[Floats, Floats]:
    """Starts and ends of least cost before they are rounded, of the lines that have a take, by start."""
    settings = settings or TimingSettings()
    v = _columns(lines, settings)
    x = _solve(v, _pairs(v, settings, [0]), [0])
    return x[0::2], x[1::2]


@dataclass(slots=True)
class _Pairs:
    """Who comes before whom: ``x[after start] − x[before end] ≥ gap``; and who merely starts no later."""

    before: Ints
    after: Ints
    gap: Floats
    order: list[tuple[int, int]]


def _pairs(v: _Voiced, settings: TimingSettings, begins: Sequence[int]) -> _Pairs:
    """Only neighbours are tied: what follows from two ties is not a third. Runs that begin at ``begins`` are not tied
    to one another."""
    before, after, gaps, order = [], [], [], []
    lows, highs = v.low.tolist(), v.high.tolist()
    open_lines: list[int] = []
    firsts = set(begins)
    for k, line in enumerate(v.lines):
        low = lows[k]
        if k in firsts:
            open_lines = [k]
            continue
        ended = [m for m in open_lines if highs[m] - low <= TOUCH or not overlap_meant(v.lines[m], line)]
        # Who ended before another of them began is tied to this one through that other.
        last_start = max((lows[m] for m in ended), default=-1.0)
        for m in ended:
            other = v.lines[m]
            if highs[m] > last_start + TOUCH or m == ended[-1]:
                source = low - highs[m]
                gap = min(settings.breath, max(source, 0.0)) if line.slot and other.slot else max(0.0, source)
                if line.timing.pause is not None and not line.slot:
                    gap = line.timing.pause
                before.append(m)
                after.append(k)
                gaps.append(gap - other.timing.overlap)
        if len(ended) < len(open_lines):
            still = [m for m in open_lines if m not in ended]
            for m in still:
                # Both at once in the source: no more than there, and whoever began first still does.
                before.append(m)
                after.append(k)
                gaps.append(low - highs[m] - v.lines[m].timing.overlap)
            if still[-1] == k - 1:
                order.append((k - 1, k))
            open_lines = [*still, k]
        else:
            open_lines = [k]
    return _Pairs(np.array(before, dtype=np.int64), np.array(after, dtype=np.int64), np.array(gaps, dtype=float), order)


def _solve(v: _Voiced, pairs: _Pairs, begins: Sequence[int]) -> Floats:
    """Starts and ends, ``x[2k]`` and ``x[2k + 1]``."""
    n = len(v.index)
    start, end = 2 * np.arange(n), 2 * np.arange(n) + 1
    rows = Rows()
    modes = np.array([line.timing.mode for line in v.lines])
    untimed = np.array([line.slot is None for line in v.lines])
    pinned = (modes == "pinned") & np.array([line.timing.at is not None for line in v.lines])
    hold, run = (modes == "hold") & ~untimed, modes == "run"
    sized = np.array([bool(line.timing.seconds) for line in v.lines]) & ~run & ~hold
    slow, fast, hard_slow, hard_fast = v.rates.T
    d = v.natural

    # Where a line starts.
    free = ~pinned
    rows.add(start[free], 1.0, v.earliest[free], price=HARD)
    rows.add(start[free], -1.0, -v.latest[free], price=np.where(untimed, _ANCHOR, _TOLERANCE)[free])
    for group, price, at in ((pinned, _PINNED, v.low), (hold & free, _SLOT, v.low)):
        rows.add(start[group], 1.0, at[group], price=price)
        rows.add(start[group], -1.0, -at[group], price=price)
    # How long it is played.
    bounded = ~run
    sight = [line.in_sight for line in v.lines]
    past = np.array([_PAST[one] for one in sight])
    unfilled = np.array([_UNFILLED[one] for one in sight])
    within = ~hold & ~run & ~untimed
    filling = within & (unfilled > 0) & ~sized & (v.high - v.low > d)
    # Nothing else would ever slow a line down.
    slowed = filling | hold | sized
    for mask, length, price in ((bounded, d / hard_fast, _LIMIT), (run, d, _LIMIT), (sized, _wished(v), _SLOT)):
        rows.add(end[mask], 1.0, length[mask], second=start[mask], second_by=-1.0, price=price)
    for mask, length, price in ((slowed, d / hard_slow, _LIMIT), (run, d, _LIMIT), (sized, _wished(v), _SLOT)):
        rows.add(end[mask], -1.0, -length[mask], second=start[mask], second_by=1.0, price=price)
    for mask, sign, length, kind in ((bounded, 1.0, d / fast, 1), (slowed, -1.0, d / slow, 2)):
        rows.add(end[mask], sign, sign * length[mask], second=start[mask], second_by=-sign, give=_RATE, kind=kind,
                 reference=length[mask])
    # Where it ends.
    rows.add(end[within], -1.0, -v.high[within], give=past[within])
    rows.add(end[filling], 1.0, v.high[filling], give=unfilled[filling])
    rows.add(end[within], -1.0, -(v.high + v.run_on)[within], price=_TOLERANCE)
    rows.add(end[hold], 1.0, v.high[hold], price=_SLOT)
    rows.add(end[hold], -1.0, -v.high[hold], price=_SLOT)
    ending = np.isfinite(v.part_end)
    rows.add(end[ending], -1.0, -v.part_end[ending], price=HARD)
    # Who comes after whom.
    rows.add(2 * pairs.after, 1.0, pairs.gap, second=2 * pairs.before + 1, second_by=-1.0, price=_OVERLAP)
    if pairs.order:
        one, other = np.array(pairs.order, dtype=np.int64).T
        rows.add(2 * other, 1.0, 0.0, second=2 * one, second_by=-1.0, price=_LIMIT)

    off = np.array([_OFF[one] for one in sight])
    weight, wanted = np.zeros(2 * n), np.zeros(2 * n)
    weight[0::2], wanted[0::2] = off, v.low
    begin = np.empty(2 * n)
    begin[0::2] = v.low
    begin[1::2] = v.low + np.clip(v.high - v.low, d / fast, d / slow)
    group = np.repeat(np.arange(len(begins)), np.diff([*begins, n]))
    return least_cost(weight, wanted, (start, _NATURAL / d ** 2, d), rows, begin, np.repeat(group, 2))


def _wished(v: _Voiced) -> Floats:
    return np.array([line.timing.seconds or 0.0 for line in v.lines])


_NEAR = 0.002
_GRID = 0.005
_HAIR = 1e-4


def _settled(v: _Voiced, starts: Floats, ends: Floats, pairs: _Pairs) -> tuple[Floats, Floats]:
    """The same to a hair's breadth, on the round value that is meant: the in-time, the out-time, the natural length, a
    limit; else whole steps. So a line that nothing has moved keeps its sound when another moves."""
    slow, fast, _, hard_fast = v.rates.T
    d = v.natural
    round_starts = np.where(np.abs(starts - v.low) < _NEAR, v.low, np.ceil(starts * 1000 - 1e-3) / 1000)
    shortest = np.minimum(ends - starts, d / hard_fast)
    starts = _with_room(round_starts, shortest, np.minimum(pairs.gap, starts[pairs.after] - ends[pairs.before]), pairs)
    seconds = ends - starts
    stepped = np.floor(seconds / _GRID + 1e-3) * _GRID
    settled = np.zeros(len(d), dtype=bool)
    for wanted in (d, v.high - starts, d / hard_fast, d / fast, d / slow):
        near = ~settled & (np.abs(seconds - wanted) < _NEAR)
        stepped = np.where(near, wanted, stepped)
        settled |= near
    # For the sake of a round number, no faster than allowed; and not past the end of a part.
    stepped = np.minimum(np.maximum(stepped, shortest), v.part_end - starts)
    # What touched still touches and no more.
    apart = starts[pairs.after] - pairs.gap - starts[pairs.before]
    touching = (stepped[pairs.before] > apart) & (seconds[pairs.before] <= apart + 2 * _NEAR)
    np.minimum.at(stepped, pairs.before[touching], apart[touching])
    return starts, starts + np.maximum(stepped, 0.001)


def _with_room(starts: Floats, shortest: Floats, gaps: Floats, pairs: _Pairs) -> Floats:
    """A very short line may have less left between two round starts than it needs: then the next one starts a hair
    later. What is put off is put off by no more than rounding did, however many follow each other."""
    if not (starts[pairs.after] < starts[pairs.before] + shortest[pairs.before] + gaps - _HAIR).any():
        return starts
    moved: list[float] = starts.tolist()
    for one, other, needed in zip(pairs.before.tolist(), pairs.after.tolist(),
                                  (shortest[pairs.before] + gaps).tolist(), strict=True):
        if moved[other] < moved[one] + needed - _HAIR:
            moved[other] = moved[one] + needed
    return np.array(moved)


SEEN = 0.005
"""Seconds: less than this is nobody's trouble."""


def _described(v: _Voiced, starts: Floats, ends: Floats, pairs: _Pairs) -> list[Placement]:
    collides, delays = np.zeros(len(starts)), np.zeros(len(starts))
    np.maximum.at(collides, pairs.before, pairs.gap - (starts[pairs.after] - ends[pairs.before]))
    # What makes the next one start later than it may is over, though silence had been free to use.
    np.maximum.at(delays, pairs.before, np.minimum(
        ends[pairs.before] + pairs.gap - v.low[pairs.after],
        np.maximum(starts[pairs.after] - v.latest[pairs.after], 0.0)))
    seconds = np.maximum(ends - starts, 1e-3)
    rates = v.natural / seconds
    slow, fast, _, hard_fast = v.rates.T
    timed = np.array([line.slot is not None for line in v.lines])
    modes = np.array([line.timing.mode for line in v.lines])
    hold, runs, pinned = (modes == "hold") & timed, (modes == "run") | ~timed, modes == "pinned"
    past = ends - v.high
    allowed = np.where(hold, 0.0, v.run_on)
    own = np.where(runs, 0.0, np.maximum(past - allowed, 0.0)) + np.maximum(collides, 0.0)
    own += np.maximum(v.natural / hard_fast - seconds, 0.0)
    tardy = np.where(timed & ~pinned, np.maximum(starts - v.latest, 0.0), 0.0)
    short = np.where(hold, v.high - ends, 0.0)
    over = _unless(np.maximum(own, delays), SEEN)
    misfit = _unless(own, SEEN) + _unless(tardy, SEEN) + _unless(short, 2 * SEEN)
    silence = _unless(np.where(runs | hold, 0.0, np.minimum(np.minimum(past, v.run_on), past - over)), 0.02)
    late = np.where(timed, starts - v.low, 0.0)
    late = np.where(np.abs(late) > 0.02, late, 0.0)
    collides = _unless(collides, SEEN)
    told = (over > 0, late > 0, late < 0, silence > 0, rates > fast + 0.002, rates < slow - 0.002, short > 0.01,
            collides > 0)
    codes = np.packbits(np.array(told), axis=0, bitorder="little")[0]
    table = zip(starts.tolist(), seconds.tolist(), rates.tolist(), over.tolist(), late.tolist(), silence.tolist(),
                collides.tolist(), misfit.tolist(), codes.tolist(), strict=True)
    return [Placement(line.id, at, long, rate, past_end, lateness, quiet, crash, whole, _flags(code))
            for line, (at, long, rate, past_end, lateness, quiet, crash, whole, code)
            in zip(v.lines, table, strict=True)]


def _unless(values: Floats, less: float) -> Floats:
    """Nothing where it is as good as nothing."""
    return np.where(values > less, values, 0.0)


_TOLD: tuple[Flag, ...] = ("over", "late", "early", "into_silence", "fast", "slow", "short", "collides")


@cache
def _flags(code: int) -> tuple[Flag, ...]:
    return tuple(flag for bit, flag in enumerate(_TOLD) if code >> bit & 1)
