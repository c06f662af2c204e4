"""Mixing three hours: seconds of programme for each second on one core, and the memory that it takes."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.result import Result
from janoglot.launcher.services import die_with_parent

HOURS = 3.0


def child(hours: float) -> None:
    """In a process of its own, so that its peak of memory is this mix's."""
    from janoglot.core.mix.programme import Clip, mix_to_file
    from janoglot.core.speech.catalogue import voice_named
    from janoglot.core.speech.takes import TakeRecipe, make_take, read_sound
    from janoglot.core.store import FolderStore

    with tempfile.TemporaryDirectory(prefix="janoglot-bench-") as folder:
        store = FolderStore(Path(folder))
        voices = ("curlew", "wren", "siskin", "plover")
        takes = [make_take(TakeRecipe(f"Under floor {n} the water turned, and the single hand moved on by the width of "
                                      "a hair.", voice_named(voices[n % 4])), store) for n in range(40)]
        clips, at, number = [], 0.0, 0
        while at < hours * 3600 - 20:
            take = takes[number % len(takes)]
            clips.append(Clip(at, take.seconds, take.lufs, lambda key=f"{take.hash}.wav": read_sound(store, key)))  # type: ignore[misc]
            # Speech for about two thirds of the time, as in a drama.
            at += take.seconds * 1.5
            number += 1
        before = resource.getrusage(resource.RUSAGE_SELF)
        began = time.perf_counter()
        mix_to_file(clips, hours * 3600, Path(folder) / "mix.wav")
        wall = time.perf_counter() - began
        after = resource.getrusage(resource.RUSAGE_SELF)
        spent = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
        print(hours * 3600 / max(wall, spent), after.ru_maxrss / 1024)


def _measure(hours: float) -> tuple[float, float]:
    environment = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    out = subprocess.run([sys.executable, "-m", "bench.mixing", str(hours)], env=environment, capture_output=True,
                         text=True, check=True, preexec_fn=die_with_parent).stdout
    speed, memory = map(float, out.split())
    return speed, memory


def run() -> list[Result]:
    _, small = _measure(HOURS / 12)
    speed, memory = _measure(HOURS)
    return [
        Result(f"mixing {HOURS:g} hours on one core", speed, "× real time", 300, at_least=True),
        Result("its memory", memory, "MB", 300, detail=f"[a twelfth of it: {small:.0f} MB]"),
    ]


if __name__ == "__main__":
    child(float(sys.argv[1]))
