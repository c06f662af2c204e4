"""Translated captions that were cut otherwise than the source: which belongs to which, and by which clock.

A dynamic programme in the manner of Gale and Church, "A Program for Aligning Sentences in Bilingual Corpora"
(Computational Linguistics 19, 1993), with the times of both beside the lengths. The clock (offset and drift) is
found first, so that another frame rate or another leader does no harm.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

import numpy as np
import numpy.typing as npt

from janoglot.core.script.cutting import joined, sentences

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

DRIFTS = (1.0, 25 / 24, 24 / 25, 25 / 23.976, 23.976 / 25, 24 / 23.976, 23.976 / 24, 30 / 29.97, 29.97 / 30, 30 / 25,
          25 / 30)
"""Ratios of frame rates that transcripts are converted by, rightly or not."""
_NEAR = 0.45
_SAME_CLOCK = 0.6
"""The share of edges that meet by the captions' own clock from which on no other is looked for."""
_VARIANCE = 6.8
"""Of lengths in characters, for each character of the source (Gale and Church)."""
# What a bead costs by the lines and cues in it, beside how well they agree: minus the logarithm of how rare it is.
_BEADS = {(1, 1): 0.1, (1, 0): 4.2, (0, 1): 4.2, (2, 1): 2.0, (1, 2): 2.0, (3, 1): 3.4, (1, 3): 3.4, (2, 2): 3.6,
          (4, 1): 4.8, (1, 4): 4.8}
_CUT_SENTENCE = 3.0
"""Lines that share a cue rarely share a sentence."""
_BROKEN_OFF = 1.8
"""A line that ends a sentence, with a cue that does not."""
_UNCOVERED = 4.0
"""A line during whose time its cue is not shown."""
_TIMED_BAND, _UNTIMED_BAND = 12, 60
DOUBTFUL = 0.5
"""From this on a pair is marked for a look."""


@dataclass(frozen=True, slots=True)
class TimedText:
    """A caption, seconds. Times may be missing: then lengths alone decide."""

    start: float | None
    end: float | None
    text: str


@dataclass(frozen=True, slots=True)
class Clock:
    """``source = drift · captions + offset``, in seconds; ``share`` of the captions begin where a line does by it."""

    offset: float = 0.0
    drift: float = 1.0
    share: float = 0.0

    def at(self, seconds: float) -> float:
        return self.drift * seconds + self.offset


@dataclass(frozen=True, slots=True)
class Bead:
    """Lines and cues (by index) that say the same. ``doubt`` from 0 (sure) to 1."""

    lines: tuple[int, ...]
    cues: tuple[int, ...]
    doubt: float


@dataclass(frozen=True, slots=True)
class Aligned:
    """``texts[i]`` is what line i says, "" where no cue does; ``doubts[i]`` how unsure that is, 0 to 1. ``left`` are
    cues that belong to no line."""

    clock: Clock
    beads: list[Bead]
    texts: list[str]
    doubts: list[float]
    left: list[int]


def align(slots: Sequence[tuple[float, float] | None], words: Sequence[str], cues: Sequence[TimedText],
          clock: Clock | None = None) -> Aligned:
    """Which cues each line says. ``cues`` may come in any order where they have times. ``clock`` overrides what is
    found."""
    order = sorted(range(len(cues)), key=lambda k: (_start(cues[k]), k)) if all(c.start is not None for c in cues) \
        else list(range(len(cues)))
    timed = any(slots) and all(cue.start is not None for cue in cues)
    in_order = [cues[k] for k in order]
    if clock is None:
        clock = find_clock([slot for slot in slots if slot], in_order) if timed else Clock()
    beads = [Bead(bead.lines, tuple(order[k] for k in bead.cues), bead.doubt)
             for bead in _beads(slots, words, in_order, clock, timed)]
    texts, doubts = [""] * len(words), [0.0] * len(words)
    for bead in beads:
        if not bead.lines or not bead.cues:
            continue
        text = ""
        for k in bead.cues:
            text = joined(text, " ".join(cues[k].text.split()))
        shares, sure = shared_out(text, [words[i] for i in bead.lines])
        for i, share in zip(bead.lines, shares, strict=True):
            texts[i] = share
            begins = not (share[:1].islower() and words[i][:1].isupper())
            whole = share == "" or (begins and (_is_final(share) or not _is_final(words[i])))
            doubts[i] = bead.doubt if sure and whole else max(bead.doubt, DOUBTFUL)
    left = [k for bead in beads if not bead.lines for k in bead.cues]
    for at, bead in enumerate(beads):
        # What was left over may have belonged to a neighbour.
        for beside in () if bead.lines else beads[max(0, at - 1): at + 2]:
            for i in beside.lines:
                if texts[i]:
                    doubts[i] = max(doubts[i], DOUBTFUL)
    return Aligned(clock, beads, texts, doubts, left)


def find_clock(slots: Sequence[tuple[float, float]], cues: Sequence[TimedText]) -> Clock:
    """The offset and drift by which most cues begin or end where a line does; the plainest of those that do as well."""
    if not slots or not cues:
        return Clock()
    ours = np.array([edge for slot in slots for edge in slot])
    theirs = np.array([edge for cue in cues for edge in (cue.start or 0.0, cue.end or 0.0)])
    kinds_ours, kinds_theirs = np.arange(len(ours)) % 2, np.arange(len(theirs)) % 2
    some = slice(None, None, max(1, len(theirs) // 800))
    plain = _refined(ours, theirs, kinds_ours, kinds_theirs, Clock())
    if plain.share >= _SAME_CLOCK and abs(plain.offset) < 1.0:
        return plain
    best = Clock(share=-1.0)
    for drift in DRIFTS:
        away = ours[None, :] - drift * theirs[some, None]
        away = away[kinds_theirs[some, None] == kinds_ours[None, :]]
        offset = _peak(away)
        fitted = _refined(ours, theirs, kinds_ours, kinds_theirs, Clock(offset, drift))
        # Another frame rate must explain clearly more than none does.
        if fitted.share > best.share + (0.04 if best.share >= 0 else 0.0):
            best = fitted
    return best


def _peak(away: Floats) -> float:
    width = 0.1
    low = math.floor(float(away.min()) / width)
    counts = np.bincount((np.floor(away / width) - low).astype(np.int64))
    smooth = np.convolve(counts, np.ones(5), mode="same")
    # Of equal peaks the one nearest to no offset.
    peaks = np.flatnonzero(smooth == smooth.max())
    middles = (peaks + low + 0.5) * width
    return float(middles[np.abs(middles).argmin()])


def _refined(ours: Floats, theirs: Floats, kinds_ours: Ints, kinds_theirs: Ints, clock: Clock) -> Clock:
    """The same fitted to the edges that nearly meet."""
    share = 0.0
    for reach in (0.8, _NEAR, _NEAR):
        mapped = clock.drift * theirs + clock.offset
        pairs = []
        for kind in (0, 1):
            edges = np.sort(ours[kinds_ours == kind])
            mine = np.flatnonzero(kinds_theirs == kind)
            at = np.clip(np.searchsorted(edges, mapped[mine]), 1, max(1, len(edges) - 1))
            near = np.where(np.abs(edges[at - 1] - mapped[mine]) <= np.abs(edges[np.minimum(at, len(edges) - 1)]
                                                                         - mapped[mine]),
                            edges[at - 1], edges[np.minimum(at, len(edges) - 1)])
            close = np.abs(near - mapped[mine]) < reach
            pairs.append((theirs[mine][close], near[close]))
        one, other = (np.concatenate([pair[k] for pair in pairs]) for k in (0, 1))
        share = len(one) / len(theirs)
        if len(one) >= 4 and np.ptp(one) > 20:
            drift, offset = np.polyfit(one, other, 1)
            # A drift so small is the jitter of cutting, not a clock.
            clock = Clock(float(offset), float(drift)) if abs(drift - 1) * np.ptp(one) > 0.3 else \
                Clock(float(np.median(other - one)), 1.0)
        elif len(one):
            clock = Clock(float(np.median(other - clock.drift * one)), clock.drift)
    return Clock(round(clock.offset, 4), round(clock.drift, 7), round(share, 4))


def _start(cue: TimedText) -> float:
    return cue.start if cue.start is not None else 0.0


def _beads(slots: Sequence[tuple[float, float] | None], words: Sequence[str], cues: Sequence[TimedText], clock: Clock,
           timed: bool) -> list[Bead]:
    n, m = len(words), len(cues)
    here = [max(1, len(text)) for text in words]
    there = [max(1, len(cue.text)) for cue in cues]
    ratio = sum(there) / max(1, sum(here)) if m and n else 1.0
    mapped = [(clock.at(_start(cue)), clock.at(cue.end if cue.end is not None else _start(cue))) for cue in cues]
    centres, band = _band(slots, mapped, n, m, timed)
    sum_here = np.concatenate([[0], np.cumsum(here)]).tolist()
    sum_there = np.concatenate([[0], np.cumsum(there)]).tolist()

    final = [_is_final(cue.text) for cue in cues]
    final_here = [_is_final(text) for text in words]
    sentence_count = np.concatenate([[0], np.cumsum([len(sentences(cue.text)) for cue in cues])]).tolist()

    def cost(i: int, j: int, a: int, b: int) -> float:
        """Of the bead that ends before line i and cue j, with a lines and b cues."""
        price = _BEADS[(a, b)]
        if a and b:
            price += _unlike(sum_here[i] - sum_here[i - a], sum_there[j] - sum_there[j - b], ratio)
            if not final[j - 1] and final_here[i - 1]:
                price += _BROKEN_OFF
            if a > 1 and sentence_count[j] - sentence_count[j - b] < a:
                price += _CUT_SENTENCE
            if timed:
                price += _apart(slots[i - a: i], mapped[j - b], mapped[j - 1])
        return price

    best: list[dict[int, float]] = [{} for _ in range(n + 1)]
    back: list[dict[int, tuple[int, int]]] = [{} for _ in range(n + 1)]
    best[0][0] = 0.0
    shapes = list(_BEADS)
    for i in range(n + 1):
        low, high = max(0, centres[i] - band), min(m, centres[i] + band)
        for j in range(low, high + 1):
            for a, b in shapes:
                if a > i or b > j:
                    continue
                before = best[i - a].get(j - b)
                if before is None or before + _BEADS[(a, b)] >= best[i].get(j, math.inf):
                    continue
                total = before + cost(i, j, a, b)
                if total < best[i].get(j, math.inf):
                    best[i][j] = total
                    back[i][j] = (a, b)
    # What the band did not reach is left over at the end.
    i, j = n, m
    if m not in best[n]:
        j = max(best[n], default=0)
    found = [Bead((), (k,), 1.0) for k in range(m - 1, j - 1, -1)]
    while i or j:
        a, b = back[i][j]
        price = cost(i, j, a, b) - _BEADS[(a, b)]
        doubt = min(1.0, price / 9.0 + (0.15 if a + b > 2 else 0.0)) if a and b else 1.0
        found.append(Bead(tuple(range(i - a, i)), tuple(range(j - b, j)), round(doubt, 3)))
        i, j = i - a, j - b
    return found[::-1]


def _band(slots: Sequence[tuple[float, float] | None], mapped: Sequence[tuple[float, float]], n: int, m: int,
          timed: bool) -> tuple[list[int], int]:
    """For each count of lines, about how many cues go before; and how far off that may be."""
    if not timed:
        return [round(i * m / max(1, n)) for i in range(n + 1)], max(_UNTIMED_BAND, abs(n - m) + 20)
    starts = np.array([start for start, _ in mapped])
    centres, last = [0], 0
    for slot in slots:
        last = int(np.searchsorted(starts, slot[1] - 0.05)) if slot else last + 1
        centres.append(min(m, last))
    centres[-1] = m if abs(m - centres[-1]) <= _TIMED_BAND else centres[-1]
    return centres, _TIMED_BAND


def _unlike(here: float, there: float, ratio: float) -> float:
    """How unlikely these lengths are for a text and its translation: minus the logarithm of the two-sided
    probability."""
    away = abs(there - here * ratio) / math.sqrt(_VARIANCE * (here + there / ratio) / 2)
    return min(12.0, -math.log(max(1e-12, math.erfc(away / math.sqrt(2)))))


def _apart(slots: Sequence[tuple[float, float] | None], cue: tuple[float, float],
           last_cue: tuple[float, float]) -> float:
    first, last = slots[0], slots[-1]
    if first is None or last is None:
        return 1.0
    price = 1.5 * min(abs(first[0] - cue[0]), 4.0) + 0.9 * min(abs(last[1] - last_cue[1]), 4.0)
    if len(slots) > 1:
        for slot in slots:
            if slot:
                seen = min(slot[1], last_cue[1]) - max(slot[0], cue[0])
                price += _UNCOVERED * (1 - min(1.0, max(0.0, seen) / max(0.1, slot[1] - slot[0])))
    return price


def shared_out(text: str, words: Sequence[str]) -> tuple[list[str], bool]:
    """``text`` cut into as many pieces as there are ``words``: as long in proportion, of as many sentences, and ending
    on the same marks, as far as can be. And whether that is sure: it could be cut between sentences, and no other cut
    does nearly as well. Else it is cut between clauses, or words."""
    count = len(words)
    if count == 1:
        return [text], True
    for number, pieces in enumerate((sentences(text), _clauses(text), text.split())):
        if len(pieces) >= count:
            found, margin = _cut(pieces, words)
            return found, number == 0 and margin > _SURE
    return [text, *[""] * (count - 1)], False


def _clauses(text: str) -> list[str]:
    pieces, last = [], 0
    for at, ch in enumerate(text):
        if ch in ",;:、，；：،—–" and at + 1 < len(text):
            pieces.append(text[last: at + 1].strip())
            last = at + 1
    return [one for one in (*pieces, text[last:].strip()) if one]


_SURE = 1.2
"""By how much the best cut must beat the next."""
_OTHER_COUNT, _OTHER_MARK = 1.5, 1.0
_ENDS = {"?": "?", "？": "?", "؟": "?", "!": "!", "！": "!"}


def _is_final(text: str) -> bool:
    return text.rstrip("\"'”’»)] ").endswith((".", "!", "?", "…", "。", "！", "？", "؟", "।", "—", "–"))


def _mark(text: str) -> str:
    plain = text.rstrip("\"'”’»)] ")
    return _ENDS.get(plain[-1:], ".")


def _cut(pieces: Sequence[str], words: Sequence[str]) -> tuple[list[str], float]:
    """The best cut, and how much worse the next best is."""
    lengths = np.concatenate([[0], np.cumsum([len(piece) + 1 for piece in pieces])])
    weights = [max(1, len(one)) for one in words]
    wanted = [float(lengths[-1]) * weight / sum(weights) for weight in weights]
    counts, marks = [len(sentences(one)) for one in words], [_mark(one) for one in words]
    count = len(words)

    def price(some: tuple[int, ...]) -> float:
        total = 0.0
        for k, (a, b) in enumerate(pairwise((0, *some, len(pieces)))):
            total += float((lengths[b] - lengths[a] - wanted[k]) ** 2) / wanted[k]
            total += _OTHER_COUNT * abs(b - a - counts[k]) + _OTHER_MARK * (_mark(pieces[b - 1]) != marks[k])
        return total

    margin = math.inf
    if math.comb(len(pieces) - 1, count - 1) > 5_000:
        goal = np.cumsum(wanted)[:-1]
        ends = [int(np.abs(lengths[1:-1] - one).argmin()) + 1 for one in goal]
        cuts = [max(end, k + 1) for k, end in enumerate(ends)]
    else:
        order = sorted((price(some), some) for some in combinations(range(1, len(pieces)), count - 1))
        cuts = list(order[0][1])
        margin = order[1][0] - order[0][0] if len(order) > 1 else math.inf
    found = []
    for a, b in pairwise((0, *cuts, len(pieces))):
        piece = ""
        for one in pieces[a:b]:
            piece = joined(piece, one)
        found.append(piece)
    return found, margin
