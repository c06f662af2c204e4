"""Matching translated captions to the lines of a timed script, by time alone."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field

from janoglot.core.errors import BadInput, Problem
from janoglot.core.script.model import ScriptLine

NEAR = 1.0
"""Seconds. A cue that touches no slot still belongs to a line that starts this near."""


@dataclass(slots=True)
class Matched:
    """``wordings[i]`` are the words for the i-th slot, "" where no cue fell into it."""

    wordings: list[str]
    problems: list[Problem] = field(default_factory=list)


def match_by_time(slots: Sequence[tuple[float, float] | None], translated: Sequence[ScriptLine]) -> Matched:
    """Give each translated line to the slot that it shares most time with.

    Several cues of one slot are joined in the order of time. Sorting apart, the cost grows linearly.
    Raises BadInput where the script has no slots or nothing matches.
    """
    timed = sorted((slot[0], slot[1], index) for index, slot in enumerate(slots) if slot)
    if not timed:
        raise BadInput("This production has no times, so captions cannot be matched to its lines. "
                       "Type the wordings, or bring in a CSV with times.")
    starts = [start for start, _, _ in timed]
    longest = max(end - start for start, end, _ in timed)
    result = Matched([""] * len(slots))
    for cue in sorted((line for line in translated if line.slot), key=lambda line: line.start or 0.0):
        assert cue.slot is not None
        cue_start, cue_end = cue.slot
        best, best_score = None, 0.0
        place = max(0, bisect_left(starts, cue_start - max(longest, NEAR)))
        while place < len(timed) and starts[place] < cue_end + NEAR:
            start, end, index = timed[place]
            shared = min(end, cue_end) - max(start, cue_start)
            drift = abs(start - cue_start)
            score = 1.0 + shared if shared > 0 else (1.0 - drift / NEAR if drift < NEAR else 0.0)
            if score > best_score:
                best, best_score = index, score
            place += 1
        if best is None:
            result.problems.append(Problem("no_line_there", "No line is spoken at {at:.1f} s: “{words}” was left out.",
                                           {"at": cue_start, "words": cue.words[:40]}, cue.row))
        else:
            result.wordings[best] = f"{result.wordings[best]} {cue.words}".strip()
    if not any(result.wordings):
        raise BadInput("None of the captions falls where a line is spoken. Is it the right file?")
    missing = sum(1 for slot, words in zip(slots, result.wordings, strict=True) if slot and not words)
    if missing:
        result.problems.append(Problem("lines_without_caption", "{count} lines have no caption: they stay without "
                                       "words.", {"count": missing}, severity="note"))
    return result
