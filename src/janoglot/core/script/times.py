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
LONGEST = 24 * 3600.0
"""Seconds. A time beyond a day in a script is a misread number, not a time."""


def read_time(text: str) -> float | None:
    """Seconds from ``1:02.5``, ``00:01:02,500``, ``62.5``, ``62.5 s``, ``1m 2.5s``; None where it is no time.

    Frames (``00:01:02:12``) are refused: without the frame rate they are a guess.
    """
    text = text.strip()
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


def write_time(seconds: float, mark: str = ".") -> str:
    """``00:01:02.500``, with ``mark`` before the milliseconds (SubRip wants a comma)."""
    milliseconds = max(0, round(seconds * 1000))
    minutes, milliseconds = divmod(milliseconds, 60_000)
    hours, minutes = divmod(minutes, 60)
    whole, milliseconds = divmod(milliseconds, 1000)
    return f"{hours:02}:{minutes:02}:{whole:02}{mark}{milliseconds:03}"
