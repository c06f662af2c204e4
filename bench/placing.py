"""Placing 10,000 lines, and how the cost grows with them."""

from __future__ import annotations

import time

from bench.result import Result
from janoglot.core.timing.placing import TimedLine, place


def seconds(count: int) -> float:
    lines = [TimedLine(n, f"s{n % 5}", "Yes, it is.", 1.2 + (n * 7 % 23) / 8, (n * 3.0, n * 3.0 + 2.2))
             for n in range(count)]
    best = float("inf")
    for _ in range(3):
        began = time.perf_counter()
        place(lines)
        best = min(best, time.perf_counter() - began)
    return best


def run() -> list[Result]:
    small, large = seconds(1_000), seconds(10_000)
    return [Result("placing 10,000 lines", large, "s", 0.5),
            Result("ten times the lines cost", large / small, "×", 12)]
