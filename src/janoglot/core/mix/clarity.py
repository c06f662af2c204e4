"""Whether words are hidden by what lies under them: speech against the rest, in the band that carries most of it."""

from __future__ import annotations

import math
from collections.abc import Mapping

from janoglot.core.mix.blocks import STEP, Energies
from janoglot.core.mix.sides import RATE

_FAINT = 1e-12


def clarity(lines: Mapping[str, tuple[float, float]], speech: Energies, under: Energies) -> dict[str, float]:
    """By how many LU each line is over what lies under it while it is said: ``lines`` by id, from where to where
    (seconds); ``speech`` and ``under``: energies of each 100 ms in the band of speech. Lines under which nothing
    lies are left out.

    Moments within a line that are not spoken do not count: those 12 dB under its loudest.
    """
    found = {}
    for line, (start, end) in lines.items():
        first, last = round(start * RATE / STEP), max(round(start * RATE / STEP) + 1, round(end * RATE / STEP))
        said, beneath = speech[first:last], under[first:last]
        if not len(said) or beneath.max(initial=0.0) <= _FAINT or said.max() <= _FAINT:
            continue
        spoken = said > said.max() * 10**-1.2
        found[line] = round(10 * math.log10(float(said[spoken].mean()) / max(_FAINT, float(beneath[spoken].mean()))), 2)
    return found
