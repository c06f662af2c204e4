"""Time codes at all frame rates of the trade. Source: SMPTE ST 12-1."""

from __future__ import annotations

import re

from janoglot.core.errors import BadInput

_TEXT = re.compile(r"^(\d{2}):(\d{2}):(\d{2})([:;])(\d{2,3})$")
RATES: dict[float, tuple[int, int]] = {
    23.976: (24_000, 1001), 24.0: (24, 1), 25.0: (25, 1), 29.97: (30_000, 1001), 30.0: (30, 1), 48.0: (48, 1),
    50.0: (50, 1), 59.94: (60_000, 1001), 60.0: (60, 1)}


def exact_rate(fps: float) -> tuple[int, int]:
    """A rate as a fraction: 29.97 is 30000/1001."""
    for known, fraction in RATES.items():
        if abs(known - fps) < 0.006:
            return fraction
    return round(fps * 1000), 1000


def frames_at(seconds: float, fps: float) -> int:
    """The frame that a time falls on, nearest."""
    over, under = exact_rate(fps)
    return round(seconds * over / under)


def can_drop(fps: float) -> bool:
    """Whether frame numbers may be dropped at a rate: only where it is a little under a multiple of thirty."""
    return exact_rate(fps) in ((30_000, 1001), (60_000, 1001))


def timecode_of(frames: int, fps: float, drop: bool = False) -> str:
    """``hh:mm:ss:ff``, or ``hh:mm:ss;ff`` with dropped numbers: two in thirty at the start of each minute but every
    tenth. Raises BadInput where a rate has none to drop."""
    if drop and not can_drop(fps):
        raise BadInput("Frames are dropped at 29.97 and 59.94 only, not at {fps:g}.", fps=fps)
    over, under = exact_rate(fps)
    base = round(over / under)
    if drop:
        lost = base // 15
        per_ten, per_one = base * 600 - 9 * lost, base * 60 - lost
        tens, rest = divmod(frames, per_ten)
        frames += 9 * lost * tens + (lost * ((rest - lost) // per_one) if rest > lost else 0)
    whole, rest = divmod(frames, base)
    digits = 3 if base > 100 else 2
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}{';' if drop else ':'}{rest:0{digits}}"


def frames_of(text: str, fps: float) -> int:
    """The frame that a time code names. Raises BadInput."""
    match = _TEXT.match(text)
    if not match:
        raise BadInput("“{text}” is no time code.", text=text[:20])
    over, under = exact_rate(fps)
    base = round(over / under)
    hours, minutes, seconds, frame = (int(match[number]) for number in (1, 2, 3, 5))
    if frame >= base or seconds > 59 or minutes > 59:
        raise BadInput("There is no {text} at {fps:g} frames a second.", text=text, fps=fps)
    if match[4] == ";" and (not can_drop(fps) or (frame < base // 15 and not seconds and minutes % 10)):
        raise BadInput("There is no {text} at {fps:g} frames a second: its number is dropped, or none are.", text=text,
                       fps=fps)
    count = ((hours * 60 + minutes) * 60 + seconds) * base + frame
    if match[4] == ";":
        total = hours * 60 + minutes
        count -= base // 15 * (total - total // 10)
    return count
