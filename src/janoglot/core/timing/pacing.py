"""Natural pacing: how long people wait before the next one speaks."""

from __future__ import annotations

import re

# Seconds of silence after a line, by how it ends. Ends are looked at without closing marks.
GAP = 0.42
AFTER_QUESTION = 0.22
AFTER_COMMA = 0.18
AFTER_BROKEN_OFF = -0.12
AFTER_TRAILING_OFF = 0.75
SAME_SPEAKER = 0.30
NEW_PART = 1.20

_CLOSING = "”’\"')]}» \u200f\u200e"
_QUESTION = re.compile(r"[?？؟;]$")
_BROKEN = re.compile(r"(?:—|–|--|-)$")
_TRAILING = re.compile(r"(?:…|\.\.\.)$")
_COMMA = re.compile(r"[,،，、:：]$")


def gap_after(words: str, *, same_speaker: bool, new_part: bool, pace: float = 1.0) -> float:
    """Seconds between the end of ``words`` and the start of the next line; negative where they overlap.

    ``pace`` above 1 makes gaps shorter. A question is answered sooner, a line that is broken off is
    spoken into, a new part takes a breath. A Greek question ends in a semicolon.
    """
    end = words.rstrip(_CLOSING)
    if new_part:
        return NEW_PART / pace
    if same_speaker:
        return SAME_SPEAKER / pace
    if _BROKEN.search(end):
        return AFTER_BROKEN_OFF
    if _TRAILING.search(end):
        return AFTER_TRAILING_OFF / pace
    if _QUESTION.search(end):
        return AFTER_QUESTION / pace
    if _COMMA.search(end):
        return AFTER_COMMA / pace
    return GAP / pace
