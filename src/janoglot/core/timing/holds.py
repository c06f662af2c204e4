"""Parts that may grow: holding the picture at the end of a part instead of hurrying its speech."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from janoglot.core.timing.placing import Placement, TimedLine, place
from janoglot.core.timing.settings import TimingSettings


@dataclass(frozen=True, slots=True)
class Hold:
    """The picture stands still at ``at`` (seconds, of the source) for ``seconds``: whole frames."""

    part: str
    at: float
    seconds: float
    frames: int


@dataclass(frozen=True, slots=True)
class Grown:
    """``lines`` with the slots that they have when the picture is held, their placements, and the holds in order.

    ``shifts``: by how many seconds each line comes later than in the source, for what was held before it.
    """

    lines: list[TimedLine]
    placements: list[Placement]
    holds: list[Hold]
    shifts: list[float]

    def picture_at(self, seconds: float) -> float:
        """The source's time that is seen at a time of this edition."""
        return picture_at(self.holds, seconds)


def picture_at(holds: Sequence[Hold], seconds: float) -> float:
    """The source's time that is seen ``seconds`` into an edition with these holds."""
    for hold in holds:
        if seconds <= hold.at:
            return seconds
        if seconds <= hold.at + hold.seconds:
            return hold.at
        seconds -= hold.seconds
    return seconds


def place_growing(lines: Sequence[TimedLine], growing: Collection[str], settings: TimingSettings | None = None,
                  fps: float = 25.0) -> Grown:
    """As :func:`place`, where the parts named in ``growing`` are held as long as their speech needs.

    Nobody in them is hurried beyond what is comfortable. A part ends where it is fixed to end, else where the next one
    begins, else with its last slot. Later parts, and the pictures that belong to them, come later by what was held
    before them.
    """
    settings = settings or TimingSettings()
    if not growing or not any(line.slot for line in lines):
        return Grown(list(lines), place(lines, settings), [], [0.0] * len(lines))
    holds: list[Hold] = []
    shifted: list[TimedLine] = []
    shifts: list[float] = []
    shift = 0.0
    for first, last in _parts(lines):
        of_part = [_later(line, shift) for line in lines[first: last]]
        name = of_part[0].part
        shifts += [shift] * len(of_part)
        if name in growing and any(line.slot for line in of_part):
            end = _end(lines, first, last)
            of_part = [_unhurried(line, settings) for line in of_part]
            placed = place(of_part, settings)
            over = max((p.end for p in placed if p.seconds), default=0.0) + settings.breath - (end + shift)
            # A breath that the part did not have before is no reason to hold it.
            frames = math.ceil((over - settings.breath) * fps - 1e-6) if over > settings.breath + 1e-3 else 0
            if frames > 0:
                holds.append(Hold(name, end, frames / fps, frames))
                shift += frames / fps
            of_part = [replace(line, part_end=end + shift) for line in of_part]
        shifted += of_part
    return Grown(shifted, place(shifted, settings), holds, shifts)


def _parts(lines: Sequence[TimedLine]) -> list[tuple[int, int]]:
    starts = [k for k, line in enumerate(lines) if k == 0 or line.part != lines[k - 1].part]
    return list(zip(starts, [*starts[1:], len(lines)], strict=True))


def _end(lines: Sequence[TimedLine], first: int, last: int) -> float:
    if lines[first].part_end is not None:
        return float(lines[first].part_end or 0.0)
    if last < len(lines):
        following = lines[last]
        start = following.part_start if following.part_start is not None else following.slot and following.slot[0]
        if start is not None:
            return float(start)
    return max(line.slot[1] for line in lines[first: last] if line.slot)


def _later(line: TimedLine, by: float) -> TimedLine:
    if not by:
        return line
    at = line.timing.at
    return replace(
        line, slot=line.slot and (line.slot[0] + by, line.slot[1] + by),
        part_start=None if line.part_start is None else line.part_start + by,
        part_end=None if line.part_end is None else line.part_end + by,
        timing=replace(line.timing, at=None if at is None else at + by))


_ANY_TIME = 3600.0


def _unhurried(line: TimedLine, settings: TimingSettings) -> TimedLine:
    """A line of a part that may grow: no faster than is comfortable, as late as need be, into any silence."""
    slow, fast, hard_slow, _ = line.rates or (settings.comfortable_slow, settings.comfortable_fast,
                                              settings.hard_slow, settings.hard_fast)
    return replace(line, part_end=None, rates=(slow, fast, hard_slow, fast),
                   timing=replace(line.timing, late=_ANY_TIME, run_on=_ANY_TIME, hard_fast=None))
