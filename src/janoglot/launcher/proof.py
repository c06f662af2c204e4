"""What a run of ``./janoglot test`` took, by part and by test, and how often what costs much was done."""

from __future__ import annotations

import json
import os
import platform
import shutil
import time
from collections import Counter
from dataclasses import dataclass

from janoglot.launcher.places import HOME, VAR
from janoglot.tally import FILE, tallied

FOLDER = VAR / "proof"
RESULT = VAR / "proof.json"
_SLOWEST = 20


@dataclass(frozen=True)
class Part:
    """One part of a run: how long it took in seconds, and whether all of it held."""

    name: str
    seconds: float
    passed: bool


def begin() -> None:
    """Forget what an earlier run left."""
    shutil.rmtree(FOLDER, ignore_errors=True)
    FOLDER.mkdir(parents=True)


def environment(part: str) -> dict[str, str]:
    """What makes a part's processes write down what they do."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    return {"JANOGLOT_MEASURED": str(FOLDER / f"{part}.json"), FILE: str(FOLDER / f"{part}.tally")}


def tests_of(part: str) -> dict[str, float]:
    """Seconds by test. Raises nothing where a part wrote nothing down: it says so by having none."""
    try:
        told = json.loads((FOLDER / f"{part}.json").read_text())
    except (FileNotFoundError, ValueError):
        return {}
    if "testResults" not in told:
        return {str(name): float(seconds) for name, seconds in told.items()}
    # Vitest's report, in milliseconds.
    return {f"{os.path.relpath(file['name'], HOME)}::{one['fullName']}": (one.get("duration") or 0.0) / 1000
            for file in told["testResults"] for one in file["assertionResults"]}


def told(parts: list[Part], seconds: float) -> str:
    """The table that ends a run; the same as JSON in ``var/proof.json``."""
    slowest = sorted(((taken, part.name, test) for part in parts for test, taken in tests_of(part.name).items()),
                     reverse=True)[:_SLOWEST]
    done = {part.name: tallied(FOLDER / f"{part.name}.tally") for part in parts}
    total = sum((Counter(by) for by in done.values()), Counter[str]())
    RESULT.write_text(json.dumps({
        "at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()), "cores": os.cpu_count(),
        "machine": platform.machine(), "seconds": round(seconds, 1),
        "parts": [{"name": one.name, "seconds": round(one.seconds, 1), "passed": one.passed,
                   "tests": len(tests_of(one.name)), "done": done[one.name]} for one in parts],
        "slowest": [{"seconds": round(taken, 2), "part": part, "test": test} for taken, part, test in slowest],
        "done": dict(total.most_common())}, indent=1, ensure_ascii=False))
    lines = ["", f"{'part':<8}{'seconds':>9}{'tests':>7}"]
    lines += [f"{one.name:<8}{one.seconds:>9.0f}{len(tests_of(one.name)):>7}" for one in parts]
    lines += [f"{'whole':<8}{seconds:>9.0f}", "", "the slowest tests, in seconds"]
    lines += [f"{taken:>8.1f}  {part:<7} {test}" for taken, part, test in slowest]
    names = [one.name for one in parts if done[one.name]]
    if names:
        width = max(len(what) for what in total) + 2
        lines += ["", "done how often".ljust(width) + "".join(f"{name:>8}" for name in names) + f"{'all':>8}"]
        lines += [what.ljust(width) + "".join(f"{done[name].get(what, 0):>8}" for name in names) + f"{count:>8}"
                  for what, count in total.most_common()]
    return "\n".join(lines)
