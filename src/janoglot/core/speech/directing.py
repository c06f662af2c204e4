"""What is directed of single words: stresses, pauses, melody, readings. It is tied to the words, and follows them when
a line is edited."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal, cast

import regex

from janoglot.core.errors import BadInput
from janoglot.core.speech.engines.base import Delivery, WordMark, WordMarkKind
from janoglot.core.speech.lexicon import Lexicon
from janoglot.core.speech.readings import READING_KINDS, Reading, ReadingKind, checked_said

AmountKind = Literal["stress", "pause", "gap", "pace", "lift", "level", "turn", "range"]
MarkKind = AmountKind | ReadingKind | Literal["kept"]
MARK_BOUNDS: dict[AmountKind, tuple[float, float]] = {
    "stress": (-1.0, 2.0), "pause": (0.02, 10.0), "gap": (0.0, 10.0), "pace": (0.5, 2.0), "lift": (-8.0, 8.0),
    "level": (-18.0, 12.0), "turn": (-8.0, 8.0), "range": (0.0, 3.0)}
"""By kind: how much a stress is (1: plainly, −1: played down), how many seconds a pause adds and a gap lasts, and the
amounts of :class:`janoglot.core.speech.engines.base.WordMark`."""
MARK_KINDS: tuple[MarkKind, ...] = (*MARK_BOUNDS, *READING_KINDS, "kept")
_NOTHING: dict[AmountKind, float] = {"stress": 0.0, "pace": 1.0, "lift": 0.0, "level": 0.0, "turn": 0.0, "range": 1.0}
"""By kind, the amount that changes nothing: such a mark is none."""
MOST_MARKS = 200
_LONGEST_KEPT = 400


@dataclass(frozen=True, slots=True)
class DirectionMark:
    """What is directed of ``count`` words from the word numbered ``word`` (from 0) on; of a pause or a gap, before that
    word. ``said`` is of a reading: the other words, or the sounds."""

    kind: MarkKind
    word: int
    amount: float = 1.0
    count: int = 1
    said: str = ""

    @property
    def reads(self) -> bool:
        """Whether it says what its words are read as."""
        return self.kind in READING_KINDS

    def as_json(self) -> dict[str, Any]:
        return {name: value for name, value in asdict(self).items() if name != "said" or value}


def words_of(text: str) -> list[str]:
    """The words of a line as marks count them."""
    return text.split()


def marks_of(told: Iterable[Mapping[str, Any]], text: str) -> tuple[DirectionMark, ...]:
    """Marks on the words of ``text`` from what somebody sent, in order. Raises BadInput."""
    count = len(words_of(text))
    found = []
    for one in told:
        kind, word, amount, words = one.get("kind"), one.get("word"), one.get("amount", 1.0), one.get("count", 1)
        if kind not in MARK_KINDS:
            raise BadInput("Nothing of the kind “{kind}” can be directed of a word.", kind=str(kind)[:20])
        if not isinstance(word, int) or not isinstance(words, int) or not 0 <= word < word + words <= count:
            raise BadInput("This line has {count} words: there is no such word to mark.", count=count)
        if kind == "kept":
            found.append(DirectionMark(kind, word, 1.0, words, str(one.get("said", ""))[:_LONGEST_KEPT]))
            continue
        if kind in READING_KINDS:
            found.append(DirectionMark(kind, word, 1.0, words, checked_said(kind, str(one.get("said", "")))))
            continue
        low, high = MARK_BOUNDS[kind]
        if not isinstance(amount, int | float) or isinstance(amount, bool) or not low <= amount <= high:
            raise BadInput("“{name}” must lie between {low} and {high}.", name=kind, low=low, high=high)
        if amount != _NOTHING.get(kind):
            found.append(DirectionMark(kind, word, round(float(amount), 3), words))
    if len(found) > MOST_MARKS:
        raise BadInput("One line may have {most} marks at most.", most=MOST_MARKS)
    read: set[int] = set()
    for mark in found:
        if mark.reads:
            here = set(range(mark.word, mark.word + mark.count))
            if read & here:
                raise BadInput("A word is read in one way only.")
            read |= here
    return tuple(sorted(set(found), key=lambda mark: (mark.word, mark.kind, mark.count, mark.amount, mark.said)))


def carried(marks: Sequence[DirectionMark], said: str, now: str) -> tuple[tuple[DirectionMark, ...], int]:
    """Marks that were made on the words of ``said``, on those of ``now``; and how many were lost with their words.

    Words are found again by what is common to both (Ratcliff and Obershelp, in the standard library's form); a word
    that was only given other marks or capitals is the same. Where some of a stress's words are left it is on those.
    """
    if not marks or said.split() == now.split():
        return tuple(marks), 0
    old, new = ([_plain(word) for word in words_of(text)] for text in (said, now))
    to: dict[int, int] = {}
    for tag, a, b, c, d in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        # As many words for as many: each has been worded otherwise, and stays where it was.
        if tag == "equal" or (tag == "replace" and b - a == d - c):
            to.update(zip(range(a, b), range(c, d), strict=True))
    found = []
    for mark in marks:
        kept = [to[word] for word in range(mark.word, mark.word + mark.count) if word in to]
        # What is read in its own way is that only as long as it is written so.
        if mark.reads and [old[word] for word in range(mark.word, mark.word + mark.count)] != [
                new[word] for word in kept]:
            continue
        if kept:
            found.append(replace(mark, word=kept[0], count=kept[-1] - kept[0] + 1))
    return tuple(found), len(marks) - len(found)


def lost_marks(marks: Sequence[DirectionMark], said: str, now: str) -> list[DirectionMark]:
    """Those of ``marks``, on the words of ``said``, whose words are not there any more."""
    return [mark for mark in marks if not carried([mark], said, now)[0]]


def _plain(word: str) -> str:
    return regex.sub(r"[^\p{L}\p{M}\p{N}]+", "", word).casefold() or word


def directed(delivery: Delivery, marks: Sequence[DirectionMark], text: str, lexicon: Lexicon | None = None,
             language: str = "") -> Delivery:
    """``delivery`` with these marks on the words of ``text``, as engines take them: by character. What ``lexicon`` has
    of words in ``language`` is read so too, where no mark says otherwise."""
    if not marks and not (lexicon and lexicon.entries):
        return delivery
    spans, at = [], 0
    for word in words_of(text):
        spans.append((at, at + len(word)))
        at += len(word) + 1
    spoken = " ".join(words_of(text))
    stresses, pauses, others, readings = [], [], [], []
    for mark in marks:
        if mark.word + mark.count > len(spans) or mark.kind == "kept":
            continue
        begin, end = spans[mark.word][0], spans[mark.word + mark.count - 1][1]
        if mark.reads:
            # The marks around a word are not read.
            inner = regex.sub(r"^[^\p{L}\p{M}\p{N}+\-−€$£¥₹]+", "", spoken[begin:end])
            begin = end - len(inner)
            end = begin + len(regex.sub(r"[^\p{L}\p{M}\p{N}%°€$£¥₹²³]+$", "", inner))
            readings.append(Reading(begin, end - begin, cast(ReadingKind, mark.kind), mark.said))
        elif mark.kind == "stress":
            stresses.append((begin, end - begin, mark.amount))
        elif mark.kind == "pause":
            pauses.append((begin, mark.amount))
        else:
            length = 0 if mark.kind == "gap" else end - begin
            others.append(WordMark(cast(WordMarkKind, mark.kind), begin, length, mark.amount))
    if lexicon:
        readings += lexicon.readings(spoken, language, [(one.at, one.length) for one in readings])
    said = tuple(sorted((one for one in readings if one.length and (
        one.kind != "alias" or one.said != spoken[one.at: one.at + one.length])), key=lambda one: one.at))
    return replace(delivery, emphasis=(*delivery.emphasis, *stresses), pauses_at=(*delivery.pauses_at, *pauses),
                   marks=(*delivery.marks, *others), readings=said)
