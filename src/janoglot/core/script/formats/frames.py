"""Times that may count frames, in any format: read at the picture's rate, which is asked for where nobody said it."""

from __future__ import annotations

from janoglot.core.errors import Problem
from janoglot.core.script.model import Script
from janoglot.core.script.times import USUAL_FPS, has_frames, read_time


def timed(text: str, script: Script) -> float | None:
    """Seconds; None where it is no time. That a rate had to be assumed is told once, in the script's problems."""
    if not has_frames(text):
        return read_time(text)
    script.frames = True
    if script.fps is None:
        script.fps = USUAL_FPS
        script.problems.append(Problem(
            "frames", "Times here count frames, such as “{text}”: read at {fps:g} frames a second. Choose the rate "
            "of the picture.", {"text": text.strip(), "fps": USUAL_FPS}))
    return read_time(text, script.fps)
