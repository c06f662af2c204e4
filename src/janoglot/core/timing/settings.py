"""What can be set of an edition's timing and of a single line's, within which bounds: declared here, once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any, Literal

from janoglot.core.errors import BadInput
from janoglot.core.settings import bounds_of, setting, within

Mode = Literal["within", "hold", "run", "pinned"]
MODES: tuple[Mode, ...] = ("within", "hold", "run", "pinned")


@dataclass(frozen=True, slots=True)
class TimingSettings:
    """Rates are multiples of the natural speed; everything else is in seconds, but ``pace``.

    ``early`` and ``late`` are how far a line may start from its in-time; the ``tight`` ones are for mouths in sight.
    ``run_on`` is how much of the silence after its slot a line may use. ``pace`` above 1 makes the pauses of untimed
    lines shorter, ``untimed_rate`` is how fast those are spoken. ``breath`` is kept free before whoever speaks next,
    unless the source leaves less.
    """

    comfortable_slow: float = setting(0.92, 0.7, 1.0)
    comfortable_fast: float = setting(1.15, 1.0, 1.5)
    hard_slow: float = setting(0.80, 0.6, 1.0)
    hard_fast: float = setting(1.35, 1.0, 1.6)
    early: float = setting(0.25, 0.0, 2.0, "How far before its in-time a line may start.")
    late: float = setting(0.40, 0.0, 2.0)
    tight_early: float = setting(0.08, 0.0, 0.5, "The same where the mouth is in sight.")
    tight_late: float = setting(0.08, 0.0, 0.5)
    run_on: float = setting(1.5, 0.0, 10.0, "How much of the silence after its slot a line may use.")
    pace: float = setting(1.0, 0.5, 2.0, "Above 1: shorter pauses between lines without times.")
    untimed_rate: float = setting(1.0, 0.8, 1.35, "The rate of lines without times.")
    breath: float = setting(0.08, 0.0, 0.5, "Kept free before whoever speaks next.")


@dataclass(frozen=True, slots=True)
class OwnTiming:
    """What has been decided for one line; None and nothing follow the edition.

    ``mode``: *within* its slot and the silence that it may use; *hold*, which fills the slot from end to end; *run*, at
    its natural length; *pinned*, which starts at ``at``. ``seconds`` is a length it is to be played in. ``overlap`` is
    how far it may speak over whoever is next, ``pause`` the silence before it where it has no slot (below nothing:
    it begins while the one before still speaks).
    """

    mode: Mode = "within"
    at: float | None = setting(None, 0.0, 86_400.0)
    seconds: float | None = setting(None, 0.1, 600.0)
    hard_fast: float | None = setting(None, 1.0, 1.6)
    early: float | None = setting(None, 0.0, 5.0)
    late: float | None = setting(None, 0.0, 5.0)
    run_on: float | None = setting(None, 0.0, 60.0)
    overlap: float = setting(0.0, 0.0, 5.0)
    pause: float | None = setting(None, -5.0, 60.0)


TIMING_BOUNDS = bounds_of(TimingSettings)
LINE_TIMING_BOUNDS = bounds_of(OwnTiming)
RATES = ("comfortable_slow", "comfortable_fast", "hard_slow", "hard_fast")
Rates = tuple[float, float, float, float]
"""Of a voice, as multiples of its natural speed: comfortable slow and fast, hard slow and fast."""


def checked_timing(changes: Mapping[str, Any]) -> dict[str, float]:
    """Raises BadInput for what is not known or lies outside its bounds."""
    found = {}
    for name, value in changes.items():
        if name not in TIMING_BOUNDS:
            raise BadInput("“{name}” is nothing that can be set of timing.", name=name)
        found[name] = within(name, value, TIMING_BOUNDS[name])
    return found


def require_consistent(settings: TimingSettings) -> None:
    """Raises BadInput where a limit lies inside what is comfortable."""
    if not settings.hard_slow <= settings.comfortable_slow <= 1 <= settings.comfortable_fast <= settings.hard_fast:
        raise BadInput("Rates must run from the slow limit over the comfortable ones, around ×1.00, to the fast limit.")


def checked_line_timing(own: Mapping[str, Any]) -> dict[str, Any]:
    """What a line has of its own, without what says nothing. Raises BadInput."""
    found: dict[str, Any] = {}
    for name, value in own.items():
        if name == "mode":
            if value not in MODES:
                raise BadInput("A line is held within its slot, holds it, runs or is pinned; not “{mode}”.", mode=value)
            if value != "within":
                found[name] = value
        elif name in LINE_TIMING_BOUNDS:
            if value is not None and not (name == "overlap" and not value):
                found[name] = round(within(name, value, LINE_TIMING_BOUNDS[name]), 3)
        else:
            raise BadInput("“{name}” is nothing that can be set of timing.", name=name)
    if found.get("mode") == "pinned" and "at" not in found:
        raise BadInput("Say where the line is pinned.")
    if found.get("mode") != "pinned":
        found.pop("at", None)
    return found


def timing_of(told: Mapping[str, Any]) -> TimingSettings:
    """Settings from what was set of them by name; what else stands beside is passed over."""
    return TimingSettings(**{name: value for name, value in told.items() if name in TIMING_BOUNDS})


def rates_over(own: Mapping[str, float], settings: TimingSettings) -> Rates:
    """A voice's own rates, those of ``settings`` where it has none."""
    of_all = asdict(settings)
    slow, fast, hard_slow, hard_fast = (float(own.get(name, of_all[name])) for name in RATES)
    return slow, fast, hard_slow, hard_fast


def own_timing(timing: OwnTiming) -> dict[str, Any]:
    """What a line has of its own, by name; what follows the edition is left out."""
    if timing == _USUAL:
        return {}
    return {field.name: getattr(timing, field.name) for field in fields(OwnTiming)
            if getattr(timing, field.name) != field.default}


_USUAL = OwnTiming()
