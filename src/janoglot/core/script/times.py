"""Times in any notation that scripts use, read to seconds and written back."""

from __future__ import annotations

import re

_CLOCK = re.compile(
    r"^(?:(?P<h>\d{1,3}):)?(?P<m>\d{1,3}):(?P<s>\d{1,2})(?:[.,](?P<f>\d{1,6}))?$"
)
_SECONDS = re.compile(r"^(?P<s>\d{1,6})(?:[.,](?P<f>\d{1,6}))?\s*(?:s|sec|secs|seconds?)?$", re.IGNORECASE)
_UNITS = re.compile(
    r"^(?:(?P<h>\d+)\s*h)?\s*(?:(?P<m>\d+)\s*m(?:in)?)?\s*(?:(?P<s>\d+)(?:[.,](?P<f>\d+))?\s*s)?$", re.IGNORECASE
)
_FRAMES = re.compile(r"^(?P<h>\d{1,2}):(?P<m>\d{2}):(?P<s>\d{2})(?P<mark>[:;])(?P<f>\d{2,3})$")
USUAL_FPS = 25.0
LONGEST = 24 * 3600.0
"""Seconds. A time beyond a day in a script is a misread number, not a time."""


def has_frames(text: str) -> bool:
    """Whether a time counts frames, as in ``00:01:02:12``: how long one is, only the picture's rate says."""
    return _FRAMES.match(text.strip()) is not None


def read_time(text: str, fps: float | None = None) -> float | None:
    """Seconds from ``1:02.5``, ``00:01:02,500``, ``62.5``, ``62.5 s``, ``1m 2.5s``; None where it is no time.

    Frames (``00:01:02:12``) are read at ``fps``, and are no time without it.
    """
    text = text.strip()
    frames = _FRAMES.match(text)
    if frames:
        return None if fps is None else _of_frames(frames, fps)
    match = _CLOCK.match(text)
    if match and match["h"] is not None and int(match["m"]) > 59:
        return None
    if match and int(match["s"]) > 59:
        return None
    match = match or _SECONDS.match(text) or (_UNITS.match(text) if text else None)
    if not match:
        return None
    parts = match.groupdict()
    whole = 3600 * int(parts.get("h") or 0) + 60 * int(parts.get("m") or 0) + int(parts.get("s") or 0)
    seconds = whole + float(f"0.{parts.get('f') or 0}")
    return seconds if seconds <= LONGEST else None


def _of_frames(match: re.Match[str], fps: float) -> float | None:
    """A time code in seconds. Frames are numbered by the whole rate; drop frame, said by a semicolon, leaves two
    numbers in thirty out each minute but every tenth. Source: SMPTE ST 12-1."""
    whole = round(fps)
    hours, minutes, seconds, frame = (int(match[name]) for name in ("h", "m", "s", "f"))
    if minutes > 59 or seconds > 59 or frame >= whole:
        return None
    number = ((hours * 60 + minutes) * 60 + seconds) * whole + frame
    if match["mark"] == ";":
        all_minutes = hours * 60 + minutes
        number -= round(whole / 15) * (all_minutes - all_minutes // 10)
        fps = whole * 1000 / 1001
    found = number / fps
    return found if found <= LONGEST else None


def write_time(seconds: float, mark: str = ".") -> str:
    """``00:01:02.500``, with ``mark`` before the milliseconds (SubRip wants a comma)."""
    milliseconds = max(0, round(seconds * 1000))
    minutes, milliseconds = divmod(milliseconds, 60_000)
    hours, minutes = divmod(minutes, 60)
    whole, milliseconds = divmod(milliseconds, 1000)
    return f"{hours:02}:{minutes:02}:{whole:02}{mark}{milliseconds:03}"
