"""Lines in frames of the neural engine: how long each sound lasts, what is directed of it, and what is sung.

Everything here is arithmetic on what the network has said; no sound is made.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from janoglot.core.speech.engines.base import Delivery, Guide, Mark, WordMark
from janoglot.core.speech.engines.rich_tokens import Token

Floats = npt.NDArray[np.float32]
Counts = npt.NDArray[np.int64]

RATE = 24_000
FRAME = 600
"""Samples in a frame, the network's unit of duration: 25 ms."""
FRAMES_A_SECOND = RATE // FRAME
LEAD = 3
"""Frames kept before the first phoneme. A line is spoken with the silence that the network wants before it,
which is then cut: an onset made without it is swallowed. Sound sets in a frame or so before its token."""
TAIL = 5
"""Frames kept from the start of the last phoneme before a pause; the network gives it the pause's own silence,
a third of a second and more, and is done with its sound within these."""
_HELD = 4
"""A silence between two words of so many frames is one to be heard: the sound before it ends as before a pause."""
_TURNED = 27
"""Half frames, at most, over which the end of a stretch is turned: a third of a second."""
_LEVELS_FOLLOWED = 0.6
"""How much of a guide's level above or below its own middle is added: a reading has most of that already."""
_BLEND = 4
"""Half frames over which what is directed of a word's melody blends into its neighbours."""
_CLAUSE_FRAMES, _SENTENCE_FRAMES = 3, 8
"""A pause inside a line is at least this long; some styles run over their full stops."""


@dataclass(frozen=True, slots=True)
class Piece:
    """A run of tokens that goes through the network at once, with what the first part says of it.

    ``natural`` has the frames of every token and of the silence at either end. Tokens from ``last`` on are
    the last phoneme and what follows it.
    """

    tokens: tuple[Token, ...]
    style: Floats
    natural: Floats
    last: int
    melody_features: Floats
    sound_features: Floats
    pause_after: int


@dataclass(frozen=True, slots=True)
class Timed:
    """A piece with whole frames for every token. Of its sound, what lies in ``begin`` to ``end`` is kept."""

    piece: Piece
    frames: Counts

    @property
    def begin(self) -> int:
        return int(self.frames[0]) - LEAD

    @property
    def end(self) -> int:
        return int(self.frames[: self.piece.last].sum()) + TAIL

    @property
    def kept(self) -> int:
        return self.end - self.begin


Plan = tuple[Timed, ...]


def with_edges(tokens: Sequence[Token]) -> list[Token]:
    return [Token(""), *tokens, Token("")]


def with_delivery(piece: Piece, pace: float, delivery: Delivery) -> Floats:
    """Frames that each token before the last phoneme would last at this delivery, not yet whole."""
    tokens = piece.tokens[: piece.last - 1]
    lengths: Floats = piece.natural[1: piece.last] / np.float32(pace)
    for number, token in enumerate(tokens):
        if token.is_pause and token.symbol != " ":
            shortest = _CLAUSE_FRAMES if token.symbol in ",;:—" else _SENTENCE_FRAMES
            lengths[number] = max(lengths[number], shortest / np.float32(pace)) * delivery.pauses
            # The phoneme before a pause holds most of its silence.
            if number and lengths[number - 1] > TAIL:
                lengths[number - 1] = TAIL + (lengths[number - 1] - TAIL) * delivery.pauses
        for at, length, amount in delivery.emphasis:
            if at <= token.at < at + length:
                lengths[number] *= 1 + 0.18 * amount
    if delivery.manner.final != 1.0 and tokens:
        # A line's last word is drawn out, or clipped; before a pause it is the line's end that counts.
        last = tokens[-1].at
        for number, token in enumerate(tokens):
            if token.at == last and token.at >= 0:
                lengths[number] *= delivery.manner.final
    if delivery.guide.words and delivery.guide.timing:
        _guided(lengths, piece, delivery.guide)
    for mark in delivery.marks:
        if mark.kind == "pace":
            _hurried(lengths, piece, mark)
        elif mark.kind == "gap":
            _parted(lengths, tokens, mark)
    for at, seconds in delivery.pauses_at:
        before = next((number for number, token in enumerate(tokens) if token.at >= at), 0) - 1
        if before >= 0:
            lengths[before] += seconds * FRAMES_A_SECOND
    return np.maximum(lengths, 1.0)


def _guided(lengths: Floats, piece: Piece, guide: Guide) -> None:
    """Words that begin when a guide's do and last as long; as much of it as is to be followed.

    From one word's beginning to the next it takes what the guide takes: the silence between them is the guide's, and
    the word has the rest.
    """
    tokens = piece.tokens[: piece.last - 1]
    gaps = [max(0.0, following.gap) for following in guide.words[1:]] + [0.0]
    for word, gap in zip(guide.words, gaps, strict=True):
        inside = [number for number, token in enumerate(tokens) if word.at <= token.at < word.at + word.length]
        ends = word.at <= piece.tokens[piece.last - 1].at < word.at + word.length
        if not inside:
            continue
        between = []
        for number in range(inside[-1] + 1, len(tokens)):
            if tokens[number].at >= 0:
                break
            between.append(number)
        # The phoneme before a pause holds most of its silence.
        spoken = np.array([min(float(lengths[number]), float(TAIL) if _pauses(piece.tokens, number + 1) else math.inf)
                           for number in inside])
        rest = float(TAIL) if ends else 0.0
        own_silence = float(sum(lengths[number] for number in between)) + float(
            sum(lengths[number] for number in inside) - spoken.sum())
        silence = max(float(len(between)), gap * FRAMES_A_SECOND) if between else 0.0
        whole = (word.seconds + (gap if between else 0.0)) * FRAMES_A_SECOND
        share = guide.timing
        silence = own_silence + share * (silence - own_silence)
        said = (spoken.sum() + rest + own_silence) * (1 - share) + share * whole - silence - rest
        said = max(float(len(inside)), said)
        for number, length in zip(inside, spoken, strict=True):
            lengths[number] = length * said / spoken.sum()
        for number in between:
            lengths[number] = max(1.0, silence / len(between))


def followed(drawn: npt.NDArray[Any], voiced: npt.NDArray[np.bool_], tokens: Sequence[Token], frames: Counts,
             guide: Guide) -> npt.NDArray[Any]:
    """The melody drawn towards a guide's, about the voice's own middle: in semitones, word by word, the silences
    between them bridged."""
    size = drawn.shape[-1]
    steps = np.repeat([token.at for token in tokens], frames * 2)[:size]
    wanted = np.full(size, np.nan)
    for one in guide.words:
        inside = np.flatnonzero((steps >= one.at) & (steps < one.at + one.length))
        if len(inside) and one.melody:
            along = np.linspace(0.0, 1.0, len(inside))
            wanted[inside] = np.interp(along, np.linspace(0.0, 1.0, len(one.melody)), one.melody)
    known = np.flatnonzero(~np.isnan(wanted))
    if not len(known):
        return drawn
    wanted = np.interp(np.arange(size), known, wanted[known])
    logged = np.log2(np.maximum(drawn, 1.0))
    middle = float(np.median(logged.reshape(-1)[voiced.reshape(-1)]))
    toward: npt.NDArray[Any] = 2.0 ** (logged + guide.melody * (middle + np.clip(wanted, -14, 14) / 12 - logged))
    return toward


def _hurried(lengths: Floats, piece: Piece, mark: WordMark) -> None:
    """A stretch of words quicker by the mark's amount; pauses inside it with them."""
    inside = [number for number, token in enumerate(piece.tokens[: piece.last - 1]) if _in(mark, token)]
    if not inside:
        return
    # The phoneme before a pause holds most of its silence, which stays; the last one lasts as long as it must.
    spoken = {number: min(float(lengths[number]), float(TAIL) if _pauses(piece.tokens, number + 1) else math.inf)
              for number in inside}
    total = sum(spoken.values())
    rest = float(TAIL) if _in(mark, piece.tokens[piece.last - 1]) else 0.0
    wanted = max(float(len(inside)), (total + rest) / mark.amount - rest)
    for number, length in spoken.items():
        lengths[number] += length * (wanted / total - 1.0)


def _parted(lengths: Floats, tokens: Sequence[Token], mark: WordMark) -> None:
    """Silence of just so many seconds before a word, in the place of what there was."""
    word = next((number for number, token in enumerate(tokens) if token.at >= mark.at), len(tokens))
    spoken = next((number for number in range(word - 1, -1, -1) if tokens[number].at >= 0), -1)
    between = word - spoken - 1
    if spoken < 0 or between < 1:
        return
    if any(token.symbol.strip() for token in tokens[spoken + 1: word]) or mark.amount >= _HELD / FRAMES_A_SECOND:
        lengths[spoken] = min(float(lengths[spoken]), TAIL)
    # The next word sets in a frame before its token.
    lengths[spoken + 1: word] = max(float(between), mark.amount * FRAMES_A_SECOND + 1) / between


def _pauses(tokens: Sequence[Token], number: int) -> bool:
    return number < len(tokens) and tokens[number].is_pause and tokens[number].symbol.strip() != ""


def _in(mark: WordMark, token: Token) -> bool:
    return mark.at <= token.at < mark.at + mark.length


def _heard(tokens: Sequence[Token], frames: Counts) -> npt.NDArray[np.bool_]:
    """Half frames that are heard of each sound: not the silence that the one before a pause holds."""
    last = max((number for number, token in enumerate(tokens) if token.at >= 0), default=0)
    return np.concatenate([
        np.arange(2 * count) < (2 * TAIL if number == last or _pauses(tokens, number + 1) else 2 * count)
        for number, count in enumerate(int(one) for one in frames)])


def bent(drawn: npt.NDArray[Any], voiced: npt.NDArray[np.bool_], tokens: Sequence[Token], frames: Counts,
          marks: Sequence[WordMark]) -> npt.NDArray[Any]:
    """The melody with stretches of it lifted, turned at their ends and widened, each blending into what is around."""
    size = drawn.shape[-1]
    heard = _heard(tokens, frames)[:size]
    for mark in marks:
        if mark.kind not in ("lift", "turn", "range"):
            continue
        inside = np.repeat([_in(mark, token) for token in tokens], frames * 2)[:size]
        sung = np.flatnonzero(inside & heard & voiced.reshape(-1))
        if not len(sung):
            continue
        if mark.kind == "turn":
            # Over the last half of what is sung of it, at most a third of a second, and on up to the next word.
            begin, end = int(sung[0]), int(sung[-1]) + 1
            start = max(end - _TURNED, (begin + end) // 2)
            curve = np.clip((np.arange(size) - start) / max(1, end - start), 0.0, 1.0)
            later = np.repeat([token.at >= mark.at + mark.length for token in tokens], frames * 2)[:size]
            curve[int(np.argmax(later)) if later.any() else size:] = 0.0
        else:
            window = np.hanning(2 * _BLEND + 1)
            curve = np.convolve(inside.astype(np.float64), window / window.sum(), "same")
        if mark.kind == "range":
            middle = float(np.median(np.log(drawn.reshape(-1)[sung])))
            logged = np.log(np.maximum(drawn, 1.0))
            drawn = np.exp(logged + (logged - middle) * (mark.amount - 1.0) * curve)
        else:
            drawn = drawn * 2 ** (mark.amount * curve / 12)
    return drawn


def onsets(piece: Piece, frames: Counts) -> npt.NDArray[np.float64]:
    """1 where a word begins, over its first sound, fading to 0 after it; two values a frame."""
    tokens = with_edges(piece.tokens)
    first = np.array([token.at >= 0 and (number == 0 or tokens[number - 1].at != token.at)
                      for number, token in enumerate(tokens)], np.float64)
    window = np.hanning(7)
    return np.convolve(np.repeat(first, frames * 2), window / window.sum(), "same")


def gains(timed: Timed, delivery: Delivery) -> Floats:
    """The levels that are directed, a factor for each sample of a piece with the silence around it."""
    guided = delivery.guide.words if delivery.guide.energy else ()
    if not guided and not any(mark.kind in ("level", "gap") for mark in delivery.marks):
        return np.ones(1, np.float32)
    tokens = with_edges(timed.piece.tokens)
    factors = np.ones(int(timed.frames.sum()))
    for one in guided:
        inside = np.repeat([one.at <= token.at < one.at + one.length for token in tokens], timed.frames)
        factors = factors * 10 ** (_LEVELS_FOLLOWED * delivery.guide.energy * one.level * inside / 20)
    starts = np.concatenate([[0], np.cumsum(timed.frames)])
    for mark in delivery.marks:
        if mark.kind == "level":
            inside = np.repeat([_in(mark, token) for token in tokens], timed.frames)
            factors = factors * 10 ** (mark.amount * inside / 20)
        elif mark.kind == "gap" and mark.amount >= _HELD / FRAMES_A_SECOND:
            word = next((number for number, token in enumerate(tokens) if token.at >= mark.at), len(tokens))
            spoken = next((number for number in range(word - 1, -1, -1) if tokens[number].at >= 0), -1)
            if 0 <= spoken < word < len(tokens):
                # The network fills a long pause with breath. The next word sets in a frame before its token.
                factors[starts[spoken + 1]: starts[word] - 1] = 0.0
    window = np.hanning(FRAME + 1)
    return np.convolve(np.repeat(factors, FRAME), window / window.sum(), "same").astype(np.float32)


def timed_piece(piece: Piece, spoken: Counts) -> Timed:
    """``spoken`` frames before the last phoneme, and around them the silence that the network wants."""
    around = np.maximum(1, np.rint(piece.natural)).astype(np.int64)
    frames = np.concatenate([np.maximum(around[:1], LEAD), spoken, around[piece.last:]])
    frames[-1] += max(0, TAIL - int(frames[piece.last:].sum()))
    return Timed(piece, frames)


def total_frames(plan: Plan) -> int:
    """Frames of the whole line."""
    return sum(timed.kept + timed.piece.pause_after for timed in plan)


def whole_frames(lengths: Floats, total: int) -> Counts:
    """``lengths`` scaled to whole numbers that add up to ``total``, each at least 1 where there is room.

    The rounding is carried along, so that no word drifts by more than half a frame.
    """
    if not len(lengths):
        return np.zeros(0, np.int64)
    if total <= len(lengths):
        few = np.zeros(len(lengths), np.int64)
        few[np.argsort(-lengths, kind="stable")[:total]] = 1
        return few
    ends = np.cumsum(lengths, dtype=np.float64)
    counts: Counts = np.diff(np.rint(ends * (total / ends[-1])).astype(np.int64), prepend=0)
    # A token without a frame is not said: it takes one from the longest.
    for place in np.flatnonzero(counts < 1):
        counts[np.argmax(counts)] -= 1
        counts[place] = 1
    return counts


def _spans(plan: Plan) -> Iterator[tuple[Token, float, float]]:
    """Each token that is said, with the seconds from which and to which it is heard in the line."""
    begun = 0
    for timed in plan:
        tokens = with_edges(timed.piece.tokens)
        starts = np.concatenate([[0], np.cumsum(timed.frames)]) - timed.begin + begun
        for number, token in enumerate(tokens):
            if token.at < 0:
                continue
            # Sound sets in a frame before its token; what is longer than a tail before a pause is silence.
            start, end = int(starts[number]), int(starts[number + 1])
            if (tokens[number + 1].symbol.strip() != "" and tokens[number + 1].is_pause) or number == timed.piece.last:
                end = min(end, start + TAIL)
            yield token, max(0, start - 1) / FRAMES_A_SECOND, (end - 1) / FRAMES_A_SECOND
        begun += timed.kept + timed.piece.pause_after


def word_marks(plan: Plan) -> list[Mark]:
    marks: list[Mark] = []
    for token, start, end in _spans(plan):
        if marks and marks[-1].at == token.at:
            marks[-1] = Mark(marks[-1].start, end, token.at, marks[-1].length)
        else:
            marks.append(Mark(start, end, token.at, token.length))
    return marks


def phoneme_marks(plan: Plan) -> list[Mark]:
    return [Mark(start, end, -1, 0, token.symbol) for token, start, end in _spans(plan)]
