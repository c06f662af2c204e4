"""Aiming at a length: how pauses and speed of an untimed script must change for the whole to last so long."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from janoglot.core.timing.placing import TimedLine, place, programme_seconds
from janoglot.core.timing.settings import TimingSettings

SLOWEST_PACE, QUICKEST_PACE = 0.5, 2.0


@dataclass(frozen=True, slots=True)
class Aimed:
    """``pace`` and ``rate`` to set, the seconds that come of them, and how far off the target those are."""

    pace: float
    rate: float
    seconds: float
    off: float


def aim(lines: Sequence[TimedLine], seconds: float, settings: TimingSettings | None = None) -> Aimed:
    """Pauses give way first, between half and twice their natural length; then the speed, as far as is comfortable."""
    settings = settings or TimingSettings()

    def length(pace: float, rate: float) -> float:
        placed = place(lines, replace(settings, pace=pace, untimed_rate=rate))
        return programme_seconds(lines, placed)

    pace = _where(lambda value: length(value, 1.0), seconds, SLOWEST_PACE, QUICKEST_PACE)
    rate = 1.0
    if pace in (SLOWEST_PACE, QUICKEST_PACE):
        rate = _where(lambda value: length(pace, value), seconds, settings.comfortable_slow, settings.comfortable_fast)
    made = length(pace, rate)
    return Aimed(round(pace, 4), round(rate, 4), made, made - seconds)


def _where(length: Callable[[float], float], wanted: float, low: float, high: float) -> float:
    """The value between ``low`` and ``high`` at which the falling ``length`` comes to ``wanted``; the nearer end where
    there is none."""
    if length(low) <= wanted:
        return low
    if length(high) >= wanted:
        return high
    for _ in range(40):
        middle = (low + high) / 2
        if length(middle) > wanted:
            low = middle
        else:
            high = middle
    return (low + high) / 2
