"""What a producer may set of an edition's timing, within which bounds, and what holds where nothing was set."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.timing.placing import MODES, TimingSettings
from janoglot.productions.models import Edition

BOUNDS: dict[str, tuple[float, float]] = {
    "comfortable_slow": (0.7, 1.0), "comfortable_fast": (1.0, 1.5), "hard_slow": (0.6, 1.0), "hard_fast": (1.0, 1.6),
    "early": (0.0, 2.0), "late": (0.0, 2.0), "tight_early": (0.0, 0.5), "tight_late": (0.0, 0.5),
    "run_on": (0.0, 10.0), "pace": (0.5, 2.0), "untimed_rate": (0.8, 1.35), "breath": (0.0, 0.5),
}
"""By name of a field of TimingSettings: the least and the most that it may be."""
LINE_BOUNDS: dict[str, tuple[float, float]] = {
    "at": (0.0, 86_400.0), "seconds": (0.1, 600.0), "hard_fast": (1.0, 1.6), "early": (0.0, 5.0), "late": (0.0, 5.0),
    "run_on": (0.0, 60.0), "overlap": (0.0, 5.0), "pause": (-5.0, 60.0),
}
RATES = ("comfortable_slow", "comfortable_fast", "hard_slow", "hard_fast")


def settings_of(edition: Edition) -> TimingSettings:
    return TimingSettings(**{name: value for name, value in edition.timing.items() if name in BOUNDS})


def rates_of(edition: Edition, speaker_id: int) -> tuple[float, float, float, float] | None:
    """The rates of a speaker's voice in this edition; None where they are the edition's."""
    own = edition.timing.get("speakers", {}).get(str(speaker_id))
    if not own:
        return None
    of_all = asdict(settings_of(edition))
    slow, fast, hard_slow, hard_fast = (float(own.get(name, of_all[name])) for name in RATES)
    return slow, fast, hard_slow, hard_fast


def checked_settings(changes: dict[str, Any]) -> dict[str, float]:
    """Raises BadInput for what is not known or lies outside its bounds, and for limits that contradict each other."""
    found = {}
    for name, value in changes.items():
        if name not in BOUNDS:
            raise BadInput("“{name}” is nothing that can be set of timing.", name=name)
        found[name] = _within(name, value, BOUNDS[name])
    return found


def consistent(settings: TimingSettings) -> None:
    """Raises BadInput where a limit lies inside what is comfortable."""
    if not settings.hard_slow <= settings.comfortable_slow <= 1 <= settings.comfortable_fast <= settings.hard_fast:
        raise BadInput("Rates must run from the slow limit over the comfortable ones, around ×1.00, to the fast limit.")


def checked_line(own: dict[str, Any]) -> dict[str, Any]:
    """What a line has of its own, without what says nothing. Raises BadInput."""
    found: dict[str, Any] = {}
    for name, value in own.items():
        if name == "mode":
            if value not in MODES:
                raise BadInput("A line is held within its slot, holds it, runs or is pinned; not “{mode}”.", mode=value)
            if value != "within":
                found[name] = value
        elif name in LINE_BOUNDS:
            if value is not None and not (name == "overlap" and not value):
                found[name] = round(_within(name, value, LINE_BOUNDS[name]), 3)
        else:
            raise BadInput("“{name}” is nothing that can be set of timing.", name=name)
    if found.get("mode") == "pinned" and "at" not in found:
        raise BadInput("Say where the line is pinned.")
    if found.get("mode") != "pinned":
        found.pop("at", None)
    return found


def _within(name: str, value: Any, bounds: tuple[float, float]) -> float:
    low, high = bounds
    if not isinstance(value, int | float) or isinstance(value, bool) or not low <= value <= high:
        raise BadInput("“{name}” must lie between {low} and {high}.", name=name.replace("_", " "), low=low, high=high)
    return float(value)

