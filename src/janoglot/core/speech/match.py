"""How near two voices sound, by measure; who of a cast is hard to tell apart; and casting many at once."""

from __future__ import annotations

import math
import operator
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
import numpy.typing as npt
from scipy.optimize import Bounds, LinearConstraint, linear_sum_assignment, milp
from scipy.sparse import coo_array

from janoglot.core.speech.acoustics import VoiceMeasure
from janoglot.core.speech.settings import VoiceSettings

# How much each measure weighs: pitch, brightness, vocal tract (semitones), tilt (dB an octave), melody, pace
# (semitones), and who it is by the speaker encoder (0 to 1). Fitted on 144 rich voices saying two texts each, so that
# the two of one voice and those of different voices separate best (logistic regression, no weight below nought;
# docs/voices.md), and scaled so that as many of the ones lie beyond ALIKE as of the others lie nearer. Where one of two
# voices has not been heard by the encoder, what is left was fitted by itself.
_BY_EAR = (0.64, 0.34, 1.16, 1.76, 0.08, 0.18, 10.7)
_BY_MEASURE = (0.72, 0.45, 1.59, 2.1, 0.11, 0.25)
ALIKE = 2.2
"""Nearer than this, two voices are as near as one voice saying two things: in one scene they are hard to tell apart."""
NEAR = 4.0
"""Nearer than this, they can be mixed up now and then."""
CLEAR = 7.0
"""From here on nobody mixes them up: about an octave less a fourth of pitch, or as much of the rest."""
TIERS = ((ALIKE, 14.0), (NEAR, 4.0), (CLEAR, 2.5))
"""What a pair of a shared part costs that is nearer than each limit, in semitones of nearness to the source."""
TAKEN_TWICE = 400.0
"""What it costs that two have one voice: more than one that suits nobody."""
_MOST_FOR_EXACT = 12_000
"""Rows of the exact problem. Beyond, it is solved step by step."""
_SECONDS = 2.0


class Distance(Protocol):
    """How far apart two voices sound, about in semitones of pitch: symmetric, 0 for the same. What casting, contrast
    and matching go by; by whatever it is heard, its figures mean the same (:data:`ALIKE`, :data:`NEAR`,
    :data:`CLEAR`)."""

    def __call__(self, one: VoiceMeasure, other: VoiceMeasure) -> float: ...


def far(one: VoiceMeasure, other: VoiceMeasure) -> float:
    """The distance between two voices by what was measured of their sound, and by ear where both have been heard."""
    def octaves(a: float, b: float) -> float:
        return 12 * math.log2(a / b) if a > 0 and b > 0 else 0.0

    melody = octaves(one.pitch_high_hz / max(one.pitch_low_hz, 1), other.pitch_high_hz / max(other.pitch_low_hz, 1))
    unlike = one.unlike(other)
    terms = [octaves(one.pitch_hz, other.pitch_hz), octaves(one.brightness_hz, other.brightness_hz),
             octaves(one.tract_cm, other.tract_cm), one.tilt_db - other.tilt_db, melody, octaves(one.pace, other.pace),
             *(() if unlike is None else (unlike,))]
    return math.hypot(*map(operator.mul, _BY_MEASURE if unlike is None else _BY_EAR, terms))


def set_as(measure: VoiceMeasure, settings: VoiceSettings) -> VoiceMeasure:
    """``measure`` as a casting's settings change it, worked out rather than heard."""
    middle = measure.pitch_hz * 2 ** ((settings.pitch + 2.0 * settings.younger) / 12)
    half = math.sqrt(max(1.0, measure.pitch_high_hz / max(measure.pitch_low_hz, 1))) ** settings.melody
    return replace(measure, pitch_hz=middle, pitch_low_hz=middle / half, pitch_high_hz=middle * half,
                   pace=measure.pace * settings.pace, tilt_db=measure.tilt_db + settings.brighter / 2,
                   brightness_hz=measure.brightness_hz * 1.05 ** settings.brighter,
                   tract_cm=measure.tract_cm / (1 + 0.09 * settings.younger))


@dataclass(frozen=True, slots=True)
class Pair:
    """Two speakers of an edition and how far apart they sound. ``together``: whether they share a part."""

    one: str
    other: str
    distance: float
    together: bool

    @property
    def alike(self) -> bool:
        return self.together and self.distance < ALIKE


def pair_price(distance: npt.NDArray[np.float64] | float) -> npt.NDArray[np.float64]:
    """What pairs of a shared part cost that lie so far apart: nothing once they are clear."""
    return np.asarray(sum(costs * (np.asarray(distance) < limit) for limit, costs in TIERS), dtype=np.float64)


def contrast(cast: Mapping[str, VoiceMeasure], together: Collection[frozenset[str]] | None = None,
             distance: Distance = far) -> list[Pair]:
    """Every pair of a cast, the hardest to tell apart first; those who share a part before those who do not.

    ``together``: who shares a part; None: everybody with everybody.
    """
    names = list(cast)
    pairs = [Pair(a, b, distance(cast[a], cast[b]), together is None or frozenset((a, b)) in together)
             for at, a in enumerate(names) for b in names[at + 1:]]
    return sorted(pairs, key=lambda pair: (not pair.together, pair.distance, pair.one, pair.other))


@dataclass(frozen=True, slots=True)
class CastingProblem:
    """Casting ``speakers`` with ``candidates``: ``cost[i, v]`` is what voice v costs for speaker i alone.

    ``measures`` are the candidates'; ``together`` pairs of speakers, by their places, who share a part.
    """

    cost: npt.NDArray[np.float64]
    measures: Sequence[VoiceMeasure]
    together: Sequence[tuple[int, int]]
    distance: Distance = far

    @property
    def distances(self) -> npt.NDArray[np.float64]:
        count = len(self.measures)
        found = np.zeros((count, count))
        for a in range(count):
            for b in range(a + 1, count):
                found[a, b] = found[b, a] = self.distance(self.measures[a], self.measures[b])
        return found


def total_cost(problem: CastingProblem, chosen: Sequence[int],
               distances: npt.NDArray[np.float64] | None = None) -> float:
    """What an assignment costs in all: each voice for its speaker, pairs that sound alike, voices used twice."""
    apart = problem.distances if distances is None else distances
    cost = float(sum(problem.cost[i, v] for i, v in enumerate(chosen)))
    for i, j in problem.together:
        cost += float(pair_price(apart[chosen[i], chosen[j]]))
    return cost + TAKEN_TWICE * (len(chosen) - len(set(chosen)))


def solve(problem: CastingProblem) -> list[int]:
    """For each speaker the place of a candidate, so that :func:`total_cost` is least.

    Small casts exactly, as a mixed-integer programme: one voice each, a price for every pair that shares a
    part and sounds alike, a price for each voice used again. Large ones by linear assignment (Crouse 2016),
    then by changing one speaker at a time while that helps; the same is what the exact answer is held
    against, so no answer is worse than one by one. Deterministic.
    """
    speakers, voices = problem.cost.shape
    if speakers == 0:
        return []
    apart = problem.distances
    stepwise = _improved(problem, _assigned(problem), apart)
    one_by_one = _improved(problem, _greedy(problem, apart), apart)
    best = min((stepwise, one_by_one), key=lambda chosen: total_cost(problem, chosen, apart))
    if len(problem.together) * voices * len(TIERS) <= _MOST_FOR_EXACT:
        exact = _exact(problem, apart)
        if exact is not None and total_cost(problem, exact, apart) < total_cost(problem, best, apart) - 1e-9:
            best = exact
    return best


def _greedy(problem: CastingProblem, apart: npt.NDArray[np.float64]) -> list[int]:
    """One speaker after the other, each the best that is left."""
    chosen: list[int] = []
    for i in range(len(problem.cost)):
        cost = problem.cost[i].copy()
        for j in range(i):
            if (j, i) in problem.together or (i, j) in problem.together:
                cost += pair_price(apart[chosen[j]])
        cost[list(set(chosen))] += TAKEN_TWICE
        chosen.append(int(np.argmin(cost)))
    return chosen


def _assigned(problem: CastingProblem) -> list[int]:
    """By each voice's cost alone, no voice twice while there are enough."""
    speakers, voices = problem.cost.shape
    copies = -(-speakers // voices)
    cost = np.hstack([problem.cost + copy * TAKEN_TWICE for copy in range(copies)])
    _, columns = linear_sum_assignment(cost)
    return [int(column) % voices for column in columns]


def _improved(problem: CastingProblem, chosen: list[int], apart: npt.NDArray[np.float64]) -> list[int]:
    """Give one speaker another voice, or let two swap, while that makes it cheaper; the best such step each time."""
    best = list(chosen)
    price = pair_price(apart)
    beside: list[list[int]] = [[] for _ in best]
    for i, j in problem.together:
        beside[i].append(j)
        beside[j].append(i)

    def alone(i: int) -> npt.NDArray[np.float64]:
        """What each voice would cost for speaker i, with everybody else as they are."""
        cost: npt.NDArray[np.float64] = problem.cost[i].copy()
        for j in beside[i]:
            cost += price[:, best[j]]
        return cost

    while True:
        gain, step = 1e-9, None
        held = np.bincount(best, minlength=len(problem.measures))
        costs = [alone(i) for i in range(len(best))]
        for i, cost in enumerate(costs):
            again = TAKEN_TWICE * ((held > 0).astype(float) - (held[best[i]] > 1))
            again[best[i]] = 0.0
            saved = cost[best[i]] - cost - again
            v = int(np.argmax(saved))
            if saved[v] > gain:
                gain, step = float(saved[v]), (i, v, -1)
        for i in range(len(best)):
            for j in range(i + 1, len(best)):
                now = costs[i][best[i]] + costs[j][best[j]]
                then = costs[i][best[j]] + costs[j][best[i]]
                if j in beside[i]:
                    # Each stood in the other's cost with the voice that it gives away: their own pair costs the same.
                    own = price[best[i], best[j]]
                    then += 2 * own - price[best[j], best[j]] - price[best[i], best[i]]
                if now - then > gain:
                    gain, step = float(now - then), (i, best[j], j)
        if step is None:
            return best
        i, v, j = step
        if j >= 0:
            best[j] = best[i]
        best[i] = v


def _exact(problem: CastingProblem, apart: npt.NDArray[np.float64]) -> list[int] | None:
    """The mixed-integer programme; None where it is not solved in the time that a person waits.

    Variables: x[i, v], one for each speaker and voice; t[k, p]: how much pair p is nearer than tier k's limit;
    u[v]: how often voice v is used again. A pair's price is forced by x[i, v] + sum of x[j, w] over all w too near
    to v ≤ 1 + t[k, p], which is as tight as such a row can be.
    """
    speakers, voices = problem.cost.shape
    pairs = list(problem.together)
    size = speakers * voices
    used = size + len(TIERS) * len(pairs)
    total = used + voices
    price = np.concatenate([problem.cost.ravel(), *(np.full(len(pairs), costs) for _, costs in TIERS),
                            np.full(voices, TAKEN_TWICE)])
    rows: list[int] = []
    columns: list[int] = []
    values: list[float] = []
    lower: list[float] = []
    upper: list[float] = []

    def row(entries: Sequence[tuple[int, float]], least: float, most: float) -> None:
        rows.extend([len(lower)] * len(entries))
        columns.extend(column for column, _ in entries)
        values.extend(value for _, value in entries)
        lower.append(least)
        upper.append(most)

    for i in range(speakers):
        row([(i * voices + v, 1.0) for v in range(voices)], 1, 1)
    for v in range(voices):
        row([*((i * voices + v, 1.0) for i in range(speakers)), (used + v, -1.0)], -np.inf, 1)
    for p, (i, j) in enumerate(pairs):
        for tier, (limit, _) in enumerate(TIERS):
            extra = size + tier * len(pairs) + p
            for v in range(voices):
                close = np.flatnonzero(apart[v] < limit)
                row([(i * voices + v, 1.0), *((j * voices + int(w), 1.0) for w in close), (extra, -1.0)], -np.inf, 1)
    matrix = coo_array((values, (rows, columns)), shape=(len(lower), total))
    whole = np.zeros(total)
    whole[:size] = 1
    found = milp(price, integrality=whole, bounds=Bounds(np.zeros(total), np.concatenate([
        np.ones(used), np.full(voices, np.inf)])),
        constraints=LinearConstraint(matrix.tocsr(), lower, upper), options={"time_limit": _SECONDS})
    if found.x is None:
        return None
    return [int(np.argmax(found.x[i * voices: (i + 1) * voices])) for i in range(speakers)]
