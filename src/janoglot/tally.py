"""How often what costs much was done, over all processes of one run: written down where a run asks for it.

``JANOGLOT_TALLY`` names the file; without it nothing is written. A line each, so that processes may add at once.
"""

from __future__ import annotations

import os
from collections import Counter
from pathlib import Path

FILE = "JANOGLOT_TALLY"


def tally(what: str) -> None:
    """``what`` was done once more."""
    place = os.environ.get(FILE)
    if not place:
        return
    # Less than a page, appended: the system keeps such lines apart.
    handle = os.open(place, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
    try:
        os.write(handle, f"{what}\n".encode())
    finally:
        os.close(handle)


def tallied(place: Path) -> dict[str, int]:
    """What ``place`` holds, by name, the commonest first."""
    return dict(Counter(place.read_text().splitlines()).most_common()) if place.exists() else {}
