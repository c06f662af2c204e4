"""Cutting and joining lines: sentences, words and times."""

from __future__ import annotations

import re
from collections.abc import Sequence

# Abbreviations that a full stop belongs to, in the languages that scripts come in most. Lower case.
_TITLES = (
    "mr mrs ms dr prof st rev hon capt col gen lt sgt jr vs approx dept sr sra sres srta dña ud uds av mm mme mlle mgr "
    "hr fr frl dipl bzw ca evtl ggf inkl usw vgl str sigg avv dott exmo exma etc"
)
_BEFORE_NUMBERS = "no nr núm fig abb vol pp pág art jan feb mar apr jun jul aug sep sept oct nov dec"
_ABBREVIATIONS = frozenset(_TITLES.split())
_COUNTING = frozenset(_BEFORE_NUMBERS.split())
_END = re.compile(r"[.!?…。！？]+[\"'”’»)\]]*(?=\s|$)|[。！？…]+[」』”]*")


def sentences(text: str) -> list[str]:
    """``text`` in sentences, which joined with spaces are it again but for the spacing.

    A full stop ends none after an abbreviation, a single capital ("J. Marlow") or a number that goes on.

    >>> sentences("Dr. Ash came at 9.30 p.m. with the key. Who? Nobody.")
    ['Dr. Ash came at 9.30 p.m. with the key.', 'Who?', 'Nobody.']
    """
    found, start = [], 0
    for match in _END.finditer(text):
        if match.end() <= start or not _ends(text, match):
            continue
        found.append(text[start: match.end()].strip())
        start = match.end()
    rest = text[start:].strip()
    return [one for one in (*found, rest) if one]


def _ends(text: str, match: re.Match[str]) -> bool:
    following = text[match.end():].lstrip()
    if match[0].rstrip("\"'”’»)]") != ".":
        # "…and then" goes on; "?" and "!" end, unless the sentence goes on in lower case after a closing quote.
        return not (match[0].startswith(("…", "...")) and following[:1].islower())
    # No abbreviation is as long as this: to look further back costs time that grows with the paragraph.
    word = re.split(r"[\s(\[“\"«]", text[max(0, match.start() - 40): match.start()])[-1]
    plain = word.lower().strip("'’")
    if plain in _ABBREVIATIONS and following:
        return plain == "etc" and following[:1].isupper()
    if plain in _COUNTING and following[:1].isdigit():
        return False
    if re.fullmatch(r"[^\W\d_]", word) and word.isupper() and following:
        return False  # an initial
    if re.fullmatch(r"(?:[^\W\d_]\.)+[^\W\d_]", word):
        return following[:1].isupper() or not following  # "p.m." ends a sentence only where another begins
    return not following[:1].islower()


def split_at(text: str, at: int) -> tuple[str, str]:
    """The two sides of a place in ``text``, each without the spaces there."""
    return text[:at].rstrip(), text[at:].lstrip()


_CLAUSE = re.compile(r"[,;:،؛、，；：][\"'”’»)\]]*(?=\s|$)|(?<=[、，；：])|\s(?=[–—]\s)")
_INSIDE_A_CLAUSE, _BETWEEN_CLAUSES, _BETWEEN_SENTENCES = 0.12, 0.04, 0.06
"""What it costs to cut there, in shares of the length. A sentence's end costs something only where its source was cut
inside one: then the end that is near is likely another one's."""


def ends_sentence(text: str) -> bool:
    """Whether a sentence is over at the end of ``text``."""
    return bool(re.search(_END.pattern + r"$", text.rstrip())) or not text.strip()


def split_like(text: str, share: float, inside: bool = False) -> tuple[str, str, bool]:
    """A translation, cut where its source was cut at ``share`` of its length, and whether that is sure: between the
    sentences nearest to there. Where the source was cut ``inside`` a sentence, or there is but one, it is a proposal:
    between clauses or words.
    """
    text = text.strip()
    pieces = sentences(text)
    ends: list[int] = []
    for piece in pieces[:-1]:
        ends.append(text.index(piece, ends[-1] if ends else 0) + len(piece))
    if ends and not inside:
        at = min(ends, key=lambda end: abs(end / len(text) - share))
        return (*split_at(text, at), True)
    places = dict.fromkeys(ends, _BETWEEN_SENTENCES)
    for match in _CLAUSE.finditer(text):
        places.setdefault(match.end() if match[0].strip() or not match[0] else match.start(), _BETWEEN_CLAUSES)
    for match in re.finditer(r"\s+", text):
        places.setdefault(match.start(), _INSIDE_A_CLAUSE)
    for place in range(1, len(text)):
        if _unspaced(text[place - 1]) and _unspaced(text[place]):
            places.setdefault(place, _INSIDE_A_CLAUSE)
    places = {place: cost for place, cost in places.items() if 0 < place < len(text)}
    if not places:
        return text, "", False
    at = min(places, key=lambda place: (abs(place / len(text) - share) + places[place], place))
    return (*split_at(text, at), False)


def joined(first: str, second: str) -> str:
    """Two lines' words as one line's: with a space, but for scripts that write none."""
    first, second = first.rstrip(), second.lstrip()
    if not first or not second:
        return first or second
    return first + ("" if _unspaced(first[-1]) and _unspaced(second[0]) else " ") + second


def _unspaced(character: str) -> bool:
    return "\u3000" <= character <= "\u9fff" or "\uff00" <= character <= "\uffef" or "\u0e00" <= character <= "\u0e7f"


def split_slot(slot: tuple[float, float], share: float, shortest: float = 0.2) -> tuple[tuple[float, float], ...]:
    """A slot in two at ``share`` of it, neither side under ``shortest`` seconds where there is room for that."""
    start, end = slot
    length = end - start
    shortest = min(shortest, length / 2)
    middle = round(start + min(max(share * length, shortest), length - shortest), 3)
    return (start, middle), (middle, end)


def share_at(text: str, at: int, marks: Sequence[tuple[float, float, int, int]] = ()) -> float:
    """How much of the time of ``text`` has passed at place ``at``: by its spoken words where they are known
    (``marks``: start, end in seconds, place, length), else by its letters."""
    if marks:
        seconds = marks[-1][1]
        later = [start for start, _, place, _ in marks if place >= at]
        if seconds > 0 and later:
            return later[0] / seconds
    whole = sum(ch.isalnum() for ch in text)
    return sum(ch.isalnum() for ch in text[:at]) / whole if whole else 0.5
