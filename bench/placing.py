"""Placing 10,000 lines, how the cost grows with them, and the picture of that in docs/placing-cost.svg."""

from __future__ import annotations

import os
import random
import time
from pathlib import Path

from bench.result import Result
from janoglot.core.timing.placing import TimedLine, place
from janoglot.core.timing.runs import forget_runs

PICTURE = Path(__file__).parents[1] / "docs" / "placing-cost.svg"
SIZES = (250, 500, 1_000, 2_000, 4_000, 7_000, 10_000)


def lines(count: int, crowded: bool) -> list[TimedLine]:
    """A programme with room to spare, or one in which every other line presses on its neighbours."""
    chance = random.Random(count)
    if not crowded:
        return [TimedLine(n, f"s{n % 5}", "Yes, it is.", 1.2 + (n * 7 % 23) / 8, (n * 3.0, n * 3.0 + 2.2))
                for n in range(count)]
    return [TimedLine(n, f"s{n % 5}", "Yes, it is.", chance.uniform(0.5, 4.2),
                      (n * 3.0, n * 3.0 + chance.uniform(0.5, 3.6)), in_sight=chance.choice([None, True, False]))
            for n in range(count)]


def seconds(count: int, crowded: bool = False) -> float:
    some = lines(count, crowded)
    best = float("inf")
    for _ in range(3):
        # All of it, and nothing from before.
        forget_runs()
        began = time.perf_counter()
        place(some)
        best = min(best, time.perf_counter() - began)
    return best


def run() -> list[Result]:
    small, large = seconds(1_000), seconds(10_000)
    crowded = seconds(10_000, crowded=True)
    if os.environ.get("JANOGLOT_WRITE"):
        PICTURE.write_text(picture())
    return [Result("placing 10,000 lines", large, "s", 0.5), Result("… that press on each other", crowded, "s", 0.75),
            Result("ten times the lines cost", large / small, "×", 12)]


def picture() -> str:
    """Seconds against lines, both scales from nothing: a straight line is what linear cost looks like."""
    curves = [("with room to spare", "#1b6673", [seconds(count) for count in SIZES]),
              ("pressing on each other", "#a8321a", [seconds(count, True) for count in SIZES])]
    top = max(max(times) for *_, times in curves)

    def x(count: float) -> float:
        return 60 + 520 * count / SIZES[-1]

    def y(spent: float) -> float:
        return 270 - 230 * spent / top

    parts = ['<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 640 320" font-family="sans-serif" font-size="12">',
             '<rect width="640" height="320" fill="#fbfcfa"/>',
             '<path d="M60 30V270H600" fill="none" stroke="#50626a"/>',
             '<text x="330" y="308" text-anchor="middle">lines</text><text x="62" y="22">seconds</text>']
    parts += [f'<text x="{x(count):.0f}" y="288" text-anchor="middle">{count:,}</text>' for count in SIZES[2:]]
    parts += [f'<text x="54" y="{y(top * share) + 4:.0f}" text-anchor="end">{top * share:.2f}</text>'
              for share in (0, 0.5, 1)]
    for number, (name, colour, times) in enumerate(curves):
        points = " ".join(f"{x(count):.1f},{y(spent):.1f}" for count, spent in zip(SIZES, times, strict=True))
        parts.append(f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="2"/>')
        parts += [f'<circle cx="{x(count):.1f}" cy="{y(spent):.1f}" r="3" fill="{colour}"/>'
                  for count, spent in zip(SIZES, times, strict=True)]
        parts.append(f'<text x="80" y="{50 + 18 * number}" fill="{colour}">{name}</text>')
    return "\n".join([*parts, "</svg>", ""])
