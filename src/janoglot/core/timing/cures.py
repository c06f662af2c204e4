"""Ways to make a line fit, each with what it really gains: the lines around are placed again with it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from janoglot.core.timing.placing import Placement, TimedLine, overlap_meant, place
from janoglot.core.timing.settings import TimingSettings

CureKind = Literal["silence", "early", "faster", "trim", "quicker_voice", "overlap", "hold_part"]
CURES: tuple[CureKind, ...] = ("silence", "early", "faster", "trim", "quicker_voice", "overlap", "hold_part")

_AROUND = 12
"""Lines on either side that are placed again, at first; more where they reach the edge."""
_APART = 1.0
"""Seconds between two lines that are not felt by one another."""
_FASTEST = 1.6
_EARLIEST = 1.0
_LONGEST_OVERLAP = 0.6
_MOST_SYLLABLES = 24
ENOUGH = 0.02
"""Seconds: a cure that gains less is none, and what is less than this fits."""


@dataclass(frozen=True, slots=True)
class Cure:
    """One way. ``amount`` is what it takes: seconds of silence, seconds early, the rate, syllables to cut, seconds of
    overlap or of holding; ``voice`` names a quicker one. ``gain`` is how many seconds less do not fit, of this line and
    all around it; ``left`` how many remain of this line."""

    kind: CureKind
    amount: float
    gain: float
    left: float
    voice: str = ""


def cures(lines: Sequence[TimedLine], at: int, settings: TimingSettings | None = None, *,
          syllables: int = 0, quicker: Sequence[tuple[str, float]] = ()) -> list[Cure]:
    """What would help the line at index ``at``, the best first: those that cure it before those that only help, and
    the gentlest of them first.

    ``syllables`` is how many it has (0: unknown, so nothing is said of cutting); ``quicker`` names voices that could
    speak it, with the length of their speech as a share of this one's.
    """
    settings = settings or TimingSettings()
    nearby = _Nearby(lines, at, settings)
    line = nearby.line
    if line.natural is None or line.slot is None or nearby.before <= ENOUGH:
        return []
    found: list[Cure] = []
    timing = line.timing
    if timing.mode != "hold":
        run_on = timing.run_on if timing.run_on is not None else settings.run_on
        free = nearby.silence_after()
        if free > run_on + 0.05:
            found += nearby.least("silence", run_on, min(free, run_on + 6.0), 0.1,
                                  lambda much: replace(line, timing=replace(timing, run_on=much)))
        early = timing.early if timing.early is not None else (
            settings.tight_early if line.in_sight else settings.early)
        found += nearby.least("early", early, max(early, _EARLIEST), 0.05,
                              lambda much: replace(line, timing=replace(timing, early=much)))
    hard = timing.hard_fast if timing.hard_fast is not None else line.rates[3] if line.rates else settings.hard_fast
    found += nearby.least("faster", hard, max(hard, _FASTEST), 0.01,
                          lambda much: replace(line, timing=replace(timing, hard_fast=much)))
    if syllables > 1:
        natural = line.natural
        found += nearby.least("trim", 0, min(syllables - 1, _MOST_SYLLABLES), 1,
                              lambda much: replace(line, natural=natural * (1 - much / syllables)))
    for voice, share in quicker:
        cure = nearby.tried("quicker_voice", share, replace(line, natural=line.natural * share))
        found += [replace(cure, voice=voice)] if cure else []
    if nearby.has_next:
        found += nearby.least("overlap", timing.overlap, timing.overlap + _LONGEST_OVERLAP, 0.05,
                              lambda much: replace(line, timing=replace(timing, overlap=much)))
    held = nearby.held()
    found += [held] if held else []
    return sorted(found, key=lambda cure: (cure.left > ENOUGH, _GENTLE[cure.kind] if cure.left <= ENOUGH else 0,
                                           -cure.gain, _GENTLE[cure.kind]))


_GENTLE: dict[CureKind, int] = {"silence": 0, "early": 1, "trim": 2, "overlap": 3, "faster": 4, "quicker_voice": 5,
                                "hold_part": 6}


class _Nearby:
    """The lines that could feel a change of one, placed anew with it."""

    def __init__(self, lines: Sequence[TimedLine], at: int, settings: TimingSettings) -> None:
        order = sorted((k for k, line in enumerate(lines) if line.slot and line.natural is not None),
                       key=lambda k: (lines[k].slot or (0.0,), k))
        middle = order.index(at) if at in order else -1
        self.settings, self.line = settings, lines[at]
        self.lines: list[TimedLine] = []
        self.before = self.whole = 0.0
        self.has_next = False
        if middle < 0:
            return
        low, high = max(0, middle - _AROUND), min(len(order), middle + _AROUND + 1)
        while True:
            self.lines = [lines[k] for k in order[low: high]]
            self.at = middle - low
            self.placed = place(self.lines, settings)
            # Where the edge is still pressed, what lies beyond it counts too.
            if low > 0 and self._near(lines[order[low - 1]], 0):
                low = max(0, low - 2 * _AROUND)
            elif high < len(order) and self._near(lines[order[high]], -1):
                high = min(len(order), high + 2 * _AROUND)
            else:
                break
        self.before, self.whole = self.placed[self.at].harm, sum(p.misfit for p in self.placed)
        self.next = next((one for one in self.lines[self.at + 1:] if not overlap_meant(self.line, one)), None)
        self.has_next = self.next is not None and self.next.speaker != self.line.speaker

    def _near(self, beyond: TimedLine, edge: int) -> bool:
        assert beyond.slot
        mine = self.placed[edge]
        pressed = mine.harm > 0 or abs(mine.late) > 0
        return pressed and (mine.start - beyond.slot[1] < _APART if edge == 0 else
                            beyond.slot[0] - mine.end < _APART)

    def silence_after(self) -> float:
        """Seconds after the slot until somebody else is to speak."""
        assert self.line.slot
        end = self.line.slot[1]
        if self.next is None or self.next.slot is None:
            return end + 60.0
        return max(0.0, self.next.slot[0] - self.settings.breath - end)

    def tried(self, kind: CureKind, amount: float, changed: TimedLine) -> Cure | None:
        """What comes of putting ``changed`` in the line's place; None where that gains nothing."""
        lines = [*self.lines[: self.at], changed, *self.lines[self.at + 1:]]
        placed = place(lines, self.settings)
        gain = self.whole - sum(p.misfit for p in placed)
        return self._cure(kind, amount, gain, placed[self.at])

    def _cure(self, kind: CureKind, amount: float, gain: float, placed: Placement) -> Cure | None:
        if gain <= ENOUGH:
            return None
        return Cure(kind, amount, round(gain, 3), round(placed.harm, 3) if placed.harm > ENOUGH else 0.0)

    def least(self, kind: CureKind, now: float, most: float, step: float,
              changed: Callable[[float], TimedLine]) -> list[Cure]:
        """The least of what helps as much as the most of it does, in whole steps."""
        steps = int((most - now) / step + 1e-6)
        if steps < 1:
            return []

        def amount(count: int) -> float:
            return round(now + count * step, 4)

        best = self.tried(kind, amount(steps), changed(amount(steps)))
        if best is None:
            return []
        low, high = 0, steps
        while high - low > 1:
            middle = (low + high) // 2
            cure = self.tried(kind, amount(middle), changed(amount(middle)))
            if cure and cure.gain >= best.gain - ENOUGH and cure.left <= best.left + ENOUGH:
                high, best = middle, cure
            else:
                low = middle
        return [best]

    def held(self) -> Cure | None:
        """Holding the picture at the end of the line, so that it ends as late as it must and all that follows
        comes later by as much."""
        assert self.line.slot
        mine = self.placed[self.at]
        need = round(mine.harm + 0.005, 2)

        def later(line: TimedLine) -> TimedLine:
            assert line.slot
            at = line.timing.at
            return replace(
                line, slot=(line.slot[0] + need, line.slot[1] + need),
                part_end=None if line.part_end is None else line.part_end + need,
                timing=replace(line.timing, at=None if at is None else at + need))

        end = self.line.slot[1]
        lines = [replace(one, slot=(one.slot[0], one.slot[1] + need), part_end=one.part_end and one.part_end + need)
                 if k == self.at and one.slot else later(one) if one.slot and one.slot[0] >= end - 0.05 else one
                 for k, one in enumerate(self.lines)]
        placed = place(lines, self.settings)
        return self._cure("hold_part", need, self.whole - sum(p.misfit for p in placed), placed[self.at])
