"""Words that are read exactly as in another line: the same frames for every token, the same pitch and energy.

What stands between them keeps its own lengths, and its melody is led from where the one stretch ends to where the next
begins, so that nothing leaps.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from janoglot.core.speech.engines.rich_frames import Counts, Floats, Plan, Timed, timed_piece, whole_frames
from janoglot.core.speech.engines.rich_tokens import Token

_VOICED = 10.0
"""Hz. The network takes a pitch under this as unvoiced."""


@dataclass(frozen=True, slots=True)
class Alike:
    """Tokens of a line that are tokens of another: piece and place in the piece with its edges, of both."""

    piece: int
    place: int
    other_piece: int
    other_place: int


def alike(own: Sequence[Sequence[Token]], other: Sequence[Sequence[Token]],
          spans: Sequence[tuple[int, int, int]]) -> list[Alike]:
    """The tokens of whole words in ``spans`` that both say with the same symbols, and of what stands between two of
    them. ``own`` and ``other``: the tokens of each piece, without its edges."""
    theirs = {token.at: number for number, token in enumerate(_flat(other)[0]) if token.at >= 0}
    (mine, places), (others, other_places) = _flat(own), _flat(other)
    # The first token of each word here, and of the same word there.
    pairs: list[tuple[int, int, int]] = []
    at = 0
    while at < len(mine):
        token = mine[at]
        size = 1
        while at + size < len(mine) and mine[at + size].at == token.at and token.at >= 0:
            size += 1
        span = next((one for one in spans if token.at >= one[0] and token.at + token.length <= one[0] + one[2]), None)
        first = _first(others, theirs.get(token.at - span[0] + span[1], -1)) if span and token.at >= 0 else -1
        if first >= 0 and [one.symbol for one in mine[at: at + size]] == [
                one.symbol for one in others[first: first + size]] and (
                first + size == len(others) or others[first + size].at != others[first].at):
            pairs.append((at, first, size))
        at += size
    found: list[tuple[int, int]] = []
    for k, (here, there, size) in enumerate(pairs):
        found += [(here + step, there + step) for step in range(size)]
        if k + 1 < len(pairs):
            after, other_after = pairs[k + 1][:2]
            between = [one.symbol for one in mine[here + size: after]]
            if between == [one.symbol for one in others[there + size: other_after]] and all(
                    one.at < 0 for one in mine[here + size: after]):
                found += [(here + size + step, there + size + step) for step in range(len(between))]
    # The edges of pieces come before and after their tokens.
    return [Alike(places[here][0], places[here][1] + 1, other_places[there][0], other_places[there][1] + 1)
            for here, there in found]


def _flat(pieces: Sequence[Sequence[Token]]) -> tuple[list[Token], list[tuple[int, int]]]:
    return ([token for piece in pieces for token in piece],
            [(number, place) for number, piece in enumerate(pieces) for place in range(len(piece))])


def _first(tokens: Sequence[Token], number: int) -> int:
    while number > 0 and tokens[number - 1].at == tokens[number].at:
        number -= 1
    return number


def fixed_frames(natural: Floats, timed: Timed, known: dict[int, int]) -> Timed:
    """A piece whose ``known`` tokens (by place, its first edge counted) last just so many frames; the others as long as
    is ``natural`` for them, each run of them to the whole frame."""
    counts = np.array(timed.frames[1: timed.piece.last], np.int64)
    run: list[int] = []
    for number in range(len(counts) + 1):
        if number < len(counts) and number + 1 not in known:
            run.append(number)
            continue
        if run:
            lengths = natural[run]
            counts[run] = whole_frames(lengths, max(len(run), round(float(lengths.sum()))))
            run = []
        if number < len(counts):
            counts[number] = known[number + 1]
    return timed_piece(timed.piece, counts)


def scaled_frames(frames: Counts, factor: float, known: dict[int, int]) -> Counts:
    """``frames`` of a piece made longer by a factor, in whole numbers; ``known`` tokens last just so many."""
    total = round(float(frames.sum()) * factor)
    made: Counts = np.zeros(len(frames), np.int64)
    free = [number for number in range(len(frames)) if number not in known]
    for number, count in known.items():
        made[number] = count
    made[free] = whole_frames(frames[free].astype(np.float32), max(len(free), total - int(made.sum())))
    return made


def in_its_place(own: Floats, frames: Counts, other: Sequence[tuple[Floats, Counts]], same: Sequence[Alike],
                 piece: int, logged: bool) -> Floats:
    """A track of two values a frame (pitch, or energy) with that of ``other`` where tokens are the same. Between them
    it is moved by what lies between, in log pitch where ``logged``."""
    line = own.reshape(-1).astype(np.float64)
    starts = np.concatenate([[0], np.cumsum(frames)]) * 2
    there = [np.concatenate([[0], np.cumsum(counts)]) * 2 for _, counts in other]
    fixed = np.zeros(len(line), bool)
    made = line.copy()
    for one in same:
        if one.piece != piece:
            continue
        begin, end = starts[one.place], min(starts[one.place + 1], len(line))
        track = other[one.other_piece][0].reshape(-1)
        first, last = there[one.other_piece][one.other_place: one.other_place + 2]
        values = track[first: last]
        if not len(values) or end <= begin:
            continue
        if len(values) != end - begin:
            # A tract of another length has each in frames of its own.
            values = values[np.minimum(len(values) - 1, np.arange(end - begin) * len(values) // (end - begin))]
        made[begin:end] = values
        fixed[begin:end] = True
    if not fixed.any():
        return own
    return _led(line, made, fixed, logged).astype(np.float32).reshape(own.shape)


def _led(line: npt.NDArray[Any], made: npt.NDArray[Any], fixed: npt.NDArray[np.bool_],
         logged: bool) -> npt.NDArray[Any]:
    """What is not fixed, moved by the difference at its edges, from the one to the other."""
    sung = fixed & (line > _VOICED) & (made > _VOICED) if logged else fixed
    places = np.flatnonzero(sung)
    if not len(places):
        return made
    away = np.log(made[places] / line[places]) if logged else made[places] - line[places]
    moved = np.interp(np.arange(len(line)), places, away)
    free = ~fixed & (line > _VOICED) if logged else ~fixed
    made[free] = line[free] * np.exp(moved[free]) if logged else line[free] + moved[free]
    return made


@dataclass(frozen=True, slots=True)
class Likeness:
    """Which tokens of a line are those of another, how that one is timed, and what is sung in it: for each of its
    pieces pitch, energy and the frames that they are at."""

    same: tuple[Alike, ...]
    plan: Plan
    sung: tuple[tuple[Floats, Floats, Counts], ...] = ()

    def known(self, piece: int, frames: Sequence[Counts]) -> dict[int, int]:
        """How many frames the tokens of a piece last that are the other's, of which each piece has ``frames``."""
        return {one.place: int(frames[one.other_piece][one.other_place]) for one in self.same if one.piece == piece}

    def in_place(self, pitch: Floats, energy: Floats, frames: Counts, piece: int) -> tuple[Floats, Floats]:
        """The melody and the energy of a piece, the other's where they are the same."""
        others = [(sung, counts) for sung, _, counts in self.sung]
        loud = [(level, counts) for _, level, counts in self.sung]
        return (in_its_place(pitch, frames, others, self.same, piece, logged=True),
                in_its_place(energy, frames, loud, self.same, piece, logged=False))
