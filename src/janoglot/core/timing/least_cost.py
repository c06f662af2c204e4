"""Least cost under linear inequalities, for problems in which only neighbours are tied to one another.

One convex problem: a diagonal quadratic cost and a strictly convex cost of *give*, under rows
``c1·x[i1] + c2·x[i2] + give + breach ≥ bound``. Some rows are hard; some may be breached at a steep price for each
unit, so that the problem always has an answer; some give way smoothly, at a cost that grows with how far.

Solved by a primal-dual interior-point method (Nocedal and Wright, *Numerical Optimization*, 2nd ed., ch. 14 and 19).
Every step needs one factorisation of a matrix whose band is as wide as rows reach, so cost grows linearly with
the unknowns. Deterministic: no random start, no time limit.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.linalg import LinAlgError, cho_solve_banded, cholesky_banded
from scipy.sparse import coo_array
from scipy.sparse.linalg import splu

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

HARD = float("inf")
SOFT = 0.0

_TOLERANCE = 1e-14
"""Of the mean complementarity, in units of cost."""
_GIVE = 1e-9
"""Rows are solved as if they gave by so little for each unit of force. It holds back the step and not where it leads;
without it the forces of rows that pull against one another (a line that is to last just so long) grow past all
arithmetic. Source: Friedlander and Orban, *A primal-dual regularized interior-point method* (2012)."""
_MOST_STEPS = 120
_WIDEST_BAND = 40
"""Beyond this band a sparse factorisation is cheaper than a banded one."""


@dataclass(slots=True)
class Rows:
    """Inequalities, gathered in blocks of equal kind. Build with :meth:`add`.

    ``price`` is the cost of a breach by one unit: HARD forbids it, SOFT marks rows that have ``give`` instead.
    ``give`` is how costly giving way is: a quadratic weight for kind 0; for kinds 1 and 2 the weight of the squared
    logarithm of a length that falls short of (1), or exceeds (2), ``reference``.
    """

    first: list[Ints] = field(default_factory=list)
    first_by: list[Floats] = field(default_factory=list)
    second: list[Ints] = field(default_factory=list)
    second_by: list[Floats] = field(default_factory=list)
    bound: list[Floats] = field(default_factory=list)
    price: list[Floats] = field(default_factory=list)
    give: list[Floats] = field(default_factory=list)
    kind: list[Ints] = field(default_factory=list)
    reference: list[Floats] = field(default_factory=list)

    def add(self, first: Any, first_by: float, bound: Any, *, second: Any = None, second_by: float = 0.0,
            price: Any = SOFT, give: Any = 0.0, kind: int = 0, reference: Any = 1.0) -> None:
        """Rows ``first_by·x[first] + second_by·x[second] ≥ bound``, one for each of ``first``."""
        at = np.asarray(first, dtype=np.int64)
        count = len(at)
        if count:
            self.first.append(at)
            self.first_by.append(np.full(count, first_by))
            self.second.append(at if second is None else np.asarray(second, dtype=np.int64))
            self.second_by.append(np.full(count, second_by))
            for kept, given in ((self.bound, bound), (self.price, price), (self.give, give),
                                (self.reference, reference)):
                kept.append(np.broadcast_to(np.asarray(given, dtype=float), (count,)).copy())
            self.kind.append(np.full(count, kind))


def least_cost(weight: Floats, wanted: Floats, pull: tuple[Ints, Floats, Floats], rows: Rows, start: Floats,
               group: Ints | None = None) -> Floats:
    """The ``x`` of least cost, shape (n,).

    ``group`` numbers problems that no row and no pull ties to one another, from 0, each of unknowns that stand
    together: they are solved side by side, each by steps of its own, and come out as they would alone.

    The quadratic cost is ``Σ weight·(x − wanted)²`` plus ``Σ w·(x[i+1] − x[i] − length)²`` for the triples of
    ``pull`` (indices i, weights, lengths). ``start`` need not keep the rows. Hard rows must leave room inside.
    """
    one = np.zeros(len(start), dtype=np.int64)
    return _Solver(weight, wanted, pull, rows, start, one if group is None else group).solve()


@dataclass(slots=True)
class _Step:
    """A change of everything: unknowns, forces of the rows, slack, breaches, what is left of their price, give."""

    x: Floats
    force: Floats
    slack: Floats
    breach: Floats
    rest: Floats
    yielded: Floats


class _ByProblem:
    """The least and the largest of values by the problem that each is of; nothing where there is none."""

    def __init__(self, of: Ints, count: int) -> None:
        self._count = count
        self._order = np.argsort(of, kind="stable")
        in_order = of[self._order]
        self._starts = np.flatnonzero(np.diff(in_order, prepend=-1)) if len(of) else np.zeros(0, dtype=np.int64)
        self._there = in_order[self._starts]

    def least(self, values: Floats) -> Floats:
        return self._reduced(np.minimum, values)

    def most(self, values: Floats) -> Floats:
        return self._reduced(np.maximum, values)

    def _reduced(self, what: np.ufunc, values: Floats) -> Floats:
        found = np.zeros(self._count)
        if len(self._starts):
            found[self._there] = what.reduceat(values[self._order], self._starts)
        return found


class _Solver:
    def __init__(self, weight: Floats, wanted: Floats, pull: tuple[Ints, Floats, Floats], rows: Rows,
                 start: Floats, group: Ints) -> None:
        self.x = start.astype(float).copy()
        self.n = len(start)
        price, give, kind = np.concatenate(rows.price), np.concatenate(rows.give), np.concatenate(rows.kind)
        # Rows of a sort stand together: those with a price, hard ones, those that give way by kind.
        elastic = (price != HARD) & (price != SOFT)
        sort = np.where(elastic, 0, np.where(give > 0, 2 + kind, 1))
        order = np.argsort(sort, kind="stable")
        ends = np.searchsorted(sort[order], [0, 1, 2, 3, 4, 5])
        self.i, self.j = np.concatenate(rows.first)[order], np.concatenate(rows.second)[order]
        self.ci, self.cj = np.concatenate(rows.first_by)[order], np.concatenate(rows.second_by)[order]
        self.bound = np.concatenate(rows.bound)[order]
        self.elastic, self.giving = slice(0, int(ends[1])), slice(int(ends[2]), len(order))
        self.price = price[order][self.elastic]
        self.give = give[order][self.giving]
        self.reference = np.concatenate(rows.reference)[order][self.giving]
        self.short, self.long = (slice(int(at - ends[2]), int(to - ends[2])) for at, to in
                                 ((ends[3], ends[4]), (ends[4], ends[5])))
        # Which problem each unknown, row, breach and give is of.
        self.group, self.groups = group, int(group.max(initial=0)) + 1
        self.of_row = group[self.i]
        self.of_breach, self.of_give = self.of_row[self.elastic], self.of_row[self.giving]
        self.unknowns, self.rows, self.breaches, self.gives, self.shorts = (
            _ByProblem(of, self.groups) for of in (group, self.of_row, self.of_breach, self.of_give,
                                                   self.of_give[self.short]))
        low, high = np.minimum(self.i, self.j), np.maximum(self.i, self.j)
        self.reach = int((high - low).max(initial=1))
        self.banded = self.reach <= _WIDEST_BAND
        # Where each row's products fall in the band (or, of a wide one, in a list of entries).
        both = np.flatnonzero(self.cj)
        self.both = both
        self.places = np.concatenate([self.i, self.j[both], (high - low)[both] * self.n + low[both]])
        self.products = np.concatenate([self.ci ** 2, self.cj[both] ** 2, (self.ci * self.cj)[both]])
        self.low, self.high = low[both], high[both]
        at, pulls, lengths = pull
        self.still = np.zeros((self.reach + 1 if self.banded else 2) * self.n)
        for where, much in ((np.arange(self.n), 2 * weight), (at, 2 * pulls), (at + 1, 2 * pulls),
                            (self.n + at, -2 * pulls)):
            np.add.at(self.still, where, much)
        self.drawn = 2 * weight * wanted
        np.add.at(self.drawn, at + 1, 2 * pulls * lengths)
        np.add.at(self.drawn, at, -2 * pulls * lengths)
        self.weight, self.pull = 2 * weight, (at, 2 * pulls)

    def solve(self) -> Floats:
        count = self._sums(np.ones(len(self.bound)), np.ones(len(self.price)))
        value = self._rows(self.x) - self.bound
        self.breach = np.maximum(-value[self.elastic], 0.0) + 0.05
        self.yielded = np.zeros(len(self.give))
        slack = value.copy()
        slack[self.elastic] += self.breach
        self.slack = np.maximum(slack, 0.05)
        self.force = np.full(len(self.bound), 0.02)
        self.rest = np.maximum(self.price - self.force[self.elastic], 0.01)
        for _ in range(_MOST_STEPS):
            gap = self._sums(self.force * self.slack, self.rest * self.breach) / count
            self._look()
            # Beyond a thousandth of the tolerance there is nothing but rounding.
            done = gap < _TOLERANCE
            if done.any():
                done &= self._at_rest() | (gap < _TOLERANCE / 1000)
            if done.all():
                break
            first = self._towards(0.0, 0.0)
            primal, dual = self._room(first, 1.0)
            after = self._sums((self.force + dual[self.of_row] * first.force)
                               * (self.slack + primal[self.of_row] * first.slack),
                               (self.rest + dual[self.of_breach] * first.rest)
                               * (self.breach + primal[self.of_breach] * first.breach)) / count
            aim = gap * np.clip(after / np.maximum(gap, 1e-300), 0.0, 1.0) ** 3
            # What the first step would leave over is allowed for in the second (Mehrotra 1992).
            second = self._towards(
                np.maximum(aim[self.of_row] - first.force * first.slack, -10 * gap[self.of_row]),
                np.maximum(aim[self.of_breach] - first.rest * first.breach, -10 * gap[self.of_breach]))
            primal, dual = self._room(second, 0.995)
            primal[done] = dual[done] = 0.0
            self.x = self.x + primal[self.group] * second.x
            self.slack = self.slack + primal[self.of_row] * second.slack
            self.breach = self.breach + primal[self.of_breach] * second.breach
            self.yielded = self.yielded + primal[self.of_give] * second.yielded
            self.force = self.force + dual[self.of_row] * second.force
            self.rest = self.rest + dual[self.of_breach] * second.rest
        return self.x

    def _sums(self, of_rows: Floats, of_breaches: Floats) -> Floats:
        """By problem."""
        return np.asarray(np.bincount(self.of_row, of_rows, self.groups)
                          + np.bincount(self.of_breach, of_breaches, self.groups), dtype=float)

    def _look(self) -> None:
        """How far from rest the present point is, and the Newton matrix there."""
        self.rate, self.bend = self._giving(self.yielded)
        self.residual = self._rows(self.x) - self.bound - self.slack
        self.residual[self.elastic] += self.breach
        self.residual[self.giving] += self.yielded
        self.gradient = self._gradient(self.x) - self._rows_back(self.force)
        soft = self.slack / self.force
        soft[self.elastic] += self.breach / self.rest
        soft[self.giving] += 1 / self.bend
        self.stiff = 1 / (soft + _GIVE)
        self.left = self.price - self.force[self.elastic]
        self.unmet = self.force[self.giving] - self.rate
        self.factor = self._factor(self.stiff)

    def _at_rest(self) -> npt.NDArray[np.bool_]:
        # Forces reach the price of the steepest row, and are no more exact than that allows.
        near = 1e-10 + 1e-13 * self.rows.most(self.force)
        return np.asarray((self.rows.most(np.abs(self.residual)) < 1e-7)
                          & (self.unknowns.most(np.abs(self.gradient)) < near)
                          & (self.gives.most(np.abs(self.unmet)) < near))

    def _towards(self, aim: Any, aim_breach: Any) -> _Step:
        """The Newton step to where ``force·slack`` is ``aim`` and ``rest·breach`` is ``aim_breach``."""
        wanted = aim_breach - self.breach * self.left
        short = aim / self.force - self.slack
        ahead = short - self.residual
        ahead[self.elastic] -= wanted / self.rest
        ahead[self.giving] -= self.unmet / self.bend
        x = self.factor(self._rows_back(self.stiff * ahead) - self.gradient)
        force = self.stiff * (ahead - self._rows(x))
        own = force[self.elastic]
        return _Step(x, force, short - self.slack / self.force * force, (wanted + self.breach * own) / self.rest,
                     self.left - self.rest - own, (force[self.giving] + self.unmet) / self.bend)

    def _room(self, step: _Step, most: float) -> tuple[Floats, Floats]:
        """The largest steps, at most 1, that keep what must stay above nothing so: by problem."""
        short = self.short
        primal = _step(np.minimum(self.rows.least(step.slack / self.slack),
                                  self.breaches.least(step.breach / self.breach)), most)
        shrunk = -step.yielded[short] / (self.reference[short] - self.yielded[short])
        return np.minimum(primal, _step(self.shorts.least(shrunk), 0.8)), _step(
            np.minimum(self.rows.least(step.force / self.force), self.breaches.least(step.rest / self.rest)), most)

    def _rows(self, x: Floats) -> Floats:
        return self.ci * x[self.i] + self.cj * x[self.j]

    def _rows_back(self, by: Floats) -> Floats:
        both = self.both
        return np.asarray(np.bincount(self.i, self.ci * by, self.n)
                          + np.bincount(self.j[both], (self.cj * by)[both], self.n), dtype=float)

    def _gradient(self, x: Floats) -> Floats:
        at, pulls = self.pull
        apart = pulls * (x[at + 1] - x[at])
        return (self.weight * x - self.drawn + np.bincount(at + 1, apart, self.n) - np.bincount(at, apart, self.n))

    def _giving(self, give: Floats) -> tuple[Floats, Floats]:
        """First and second derivative of the cost of giving way."""
        rate, bend = 2 * self.give * give, 2 * self.give
        for part, sign in ((self.short, -1.0), (self.long, 1.0)):
            weight, length = self.give[part], self.reference[part]
            now = np.maximum(length + sign * give[part], 1e-3)
            y = np.log(now / length)
            rate[part] = sign * 2 * weight * y / now
            bend[part] = 2 * weight * np.maximum(1 - y, 0.1) / now ** 2
        return rate, bend

    def _factor(self, stiff: Floats) -> Callable[[Floats], Floats]:
        """Solves the Newton system with these stiffnesses of the rows for one right-hand side after another."""
        by = np.concatenate([stiff, stiff[self.both], stiff[self.both]]) * self.products
        if self.banded:
            band = (self.still + np.bincount(self.places, by, len(self.still))).reshape(self.reach + 1, self.n)
            try:
                lower = cholesky_banded(band, lower=True, check_finite=False)
            except LinAlgError:  # flat to rounding: a little stiffness decides
                band[0] += 1e-9 * band[0].max()
                lower = cholesky_banded(band, lower=True, check_finite=False)
            return lambda wanted: np.asarray(cho_solve_banded((lower, True), wanted, check_finite=False))
        m, both = len(stiff), len(self.both)
        diagonal = self.still[: self.n] + np.bincount(self.places[: m + both], by[: m + both], self.n)
        beside, apart = self.still[self.n: 2 * self.n - 1], by[m + both:]
        at = np.arange(self.n)
        matrix = coo_array((
            np.concatenate([diagonal, beside, beside, apart, apart]),
            (np.concatenate([at, at[1:], at[:-1], self.high, self.low]),
             np.concatenate([at, at[:-1], at[1:], self.low, self.high]))), shape=(self.n, self.n)).tocsc()
        solve = splu(matrix).solve
        return lambda wanted: np.asarray(solve(wanted))


def _step(shrunk: Floats, most: float) -> Floats:
    """The largest steps, at most 1, where a whole one would shrink something by ``shrunk`` of itself."""
    return np.where(shrunk >= -most, 1.0, most / -np.minimum(shrunk, -most))
