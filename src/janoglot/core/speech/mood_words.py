"""How a line should sound, told in plain words: what was understood of them, and what was not.

A small grammar of our own over lists of words: degrees ("a little", "very"), moods and what people call them, the
voice's dials ("faster", "deeper"), and where in the line ("slow at the end"). English so far.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from typing import Literal

import regex

from janoglot.core.speech.directing import AmountKind, DirectionMark, words_of
from janoglot.core.speech.moods import MOST_MOODS, STRONGEST, Moods

Place = Literal["", "start", "end"]
_MOODS: dict[str, str] = {
    "calm": "calm calmly quiet quietly serene composed relaxed soothing soothingly unhurried placid peaceful easy",
    "warm": "warm warmly kind kindly friendly affectionate fond fondly loving lovingly heartfelt caring",
    "bright": "bright brightly light lightly fresh cheerful cheery cheerfully perky sunny upbeat",
    "joyful": "joyful joyfully happy happily delighted glad gladly merry laughing smiling overjoyed gleeful",
    "excited": "excited excitedly thrilled eager eagerly enthusiastic enthusiastically breathless elated",
    "urgent": "urgent urgently hurried pressing insistent insistently alarmed hasty",
    "stern": "stern sternly severe strict strictly commanding firm firmly grave gravely cold coldly",
    "angry": "angry angrily furious furiously cross annoyed irritated enraged raging bitter bitterly",
    "afraid": "afraid fearful fearfully frightened scared terrified nervous nervously anxious anxiously trembling "
              "panicked worried",
    "sad": "sad sadly sorrowful mournful mournfully grieving melancholy wistful wistfully tearful tearfully "
           "heartbroken regretful",
    "tired": "tired tiredly weary wearily exhausted sleepy sleepily drained worn",
    "dry": "dry drily dryly deadpan flat flatly matter-of-fact laconic indifferent bored",
    "mocking": "mocking mockingly sarcastic sarcastically ironic ironically teasing teasingly sneering scornful",
    "secretive": "secretive secretively confidential confidentially conspiratorial furtive furtively hushed "
                 "mysterious",
    "whispered": "whispered whispering whisper whispers",
    "shouted": "shouted shouting shout shouts yelling yelled calling screaming",
    "gentle": "gentle gently tender tenderly soft softly mild mildly delicate",
    "formal": "formal formally official officially serious seriously businesslike solemn solemnly proper",
    "welcoming": "welcoming welcomingly inviting hospitable polite politely helpful obliging",
    "announcing": "announcing announcement proclaiming proclaimed declaiming",
}
_PHRASES: dict[str, tuple[str, float]] = {
    "close to tears": ("sad", 1.2), "near tears": ("sad", 1.2), "in tears": ("sad", 1.4), "out of breath": (
        "excited", 0.7), "under the breath": ("secretive", 1.0), "under his breath": ("secretive", 1.0),
    "under her breath": ("secretive", 1.0), "at the top of the voice": ("shouted", 1.2), "out loud": (
        "announcing", 0.6), "as a secret": ("secretive", 1.0), "matter of fact": ("dry", 1.0), "in a hurry": (
        "urgent", 0.8), "like a reception desk": ("welcoming", 1.0), "as at a reception desk": ("welcoming", 1.0),
    "with a smile": ("joyful", 0.6), "on edge": ("afraid", 0.7), "fed up": ("angry", 0.6), "to herself": (
        "secretive", 0.6), "to himself": ("secretive", 0.6), "to themselves": ("secretive", 0.6),
    "worn out": ("tired", 1.2), "like an announcement": ("announcing", 1.0), "half asleep": ("tired", 1.2)}
_DEGREES = {"slightly": 0.5, "a little": 0.5, "a bit": 0.5, "a touch": 0.4, "a hint of": 0.4, "somewhat": 0.6,
            "faintly": 0.4, "rather": 0.8, "quite": 0.9, "fairly": 0.8, "very": 1.4, "really": 1.3, "extremely": 1.5,
            "utterly": 1.5, "terribly": 1.4, "so": 1.2, "deeply": 1.3, "almost": 0.7, "nearly": 0.7, "much": 1.4,
            "more": 1.0, "half": 0.5}
_DIALS: dict[str, tuple[AmountKind, float]] = {
    "slow": ("pace", 0.85), "slowly": ("pace", 0.85), "slower": ("pace", 0.88), "slowing": ("pace", 0.8),
    "fast": ("pace", 1.18), "faster": ("pace", 1.12), "quick": ("pace", 1.15), "quickly": ("pace", 1.15),
    "quicker": ("pace", 1.12), "speeding": ("pace", 1.2), "louder": ("level", 3.0), "loud": ("level", 4.0),
    "loudly": ("level", 4.0), "quieter": ("level", -3.0), "fading": ("level", -5.0), "higher": ("lift", 1.5),
    "high": ("lift", 2.0), "rising": ("turn", 4.0), "questioning": ("turn", 7.0), "lower": ("lift", -1.5),
    "low": ("lift", -2.0), "deep": ("lift", -2.5), "deeper": ("lift", -2.0), "falling": ("turn", -3.0),
    "monotone": ("range", 0.4), "monotonous": ("range", 0.4), "lively": ("range", 1.4), "livelier": ("range", 1.3),
    "expressive": ("range", 1.4), "animated": ("range", 1.5), "steady": ("range", 0.7), "steadier": ("range", 0.75)}
_PLACES: dict[str, Place] = {
    "at the end": "end", "towards the end": "end", "toward the end": "end", "at last": "end", "to the end": "end",
    "in the end": "end", "at the start": "start", "at the beginning": "start", "at first": "start", "first": "start"}
_PASSED_OVER = {"and", "but", "then", "with", "in", "a", "an", "the", "of", "as", "if", "to", "voice", "tone", "sound",
                "sounds", "sounding", "like", "it", "he", "she", "they", "is", "are", "be", "should", "please", "said",
                "says", "spoken", "speaking", "say", "way", "manner", "getting", "up", "down", "also", "that", "this"}
_NOT = {"not", "no", "never", "without", "less"}
_END_SHARE = 3
"""What is of a line's end, or start, is of one word in so many."""


@dataclass(frozen=True, slots=True)
class Understood:
    """``moods`` with their strengths; ``dials``: the kind of a mark, its amount, and where in the line; ``missed``: the
    words that nothing was made of."""

    moods: Moods = ()
    dials: tuple[tuple[AmountKind, float, Place], ...] = ()
    missed: tuple[str, ...] = field(default=())

    def marks(self, text: str) -> tuple[DirectionMark, ...]:
        """The dials as marks on the words of a line."""
        words = words_of(text)
        found = []
        for kind, amount, place in self.dials:
            share = max(1, round(len(words) / _END_SHARE)) if place else len(words)
            at = len(words) - share if place == "end" else 0
            if words:
                found.append(DirectionMark(kind, at, amount, share))
        return tuple(found)


@cache
def _known() -> dict[str, tuple[str, float]]:
    found = {word: (mood, 1.0) for mood, words in _MOODS.items() for word in words.split()}
    return {**found, **_PHRASES}


def understood(told: str) -> Understood:
    """What ``told`` asks for, in plain English."""
    moods: dict[str, float] = {}
    dials: dict[tuple[AmountKind, Place], float] = {}
    missed: list[str] = []
    for clause in regex.split(r"[,;.!?]+|\b(?:and|but|then)\b", told.casefold().replace("’", "'")):
        _read(" ".join(clause.split()), moods, dials, missed)
    strongest = sorted(moods.items(), key=lambda one: -one[1])[:MOST_MOODS]
    return Understood(tuple(sorted((name, round(min(STRONGEST, strength), 2)) for name, strength in strongest)),
                      tuple((kind, amount, place) for (kind, place), amount in dials.items()),
                      tuple(dict.fromkeys(missed)))


def in_words(moods: Moods) -> str:
    """Moods as :func:`understood` reads them again."""
    return ", ".join(name if strength == 1.0 else f"{name} {100 * strength:.0f} %" for name, strength in moods)


def _read(clause: str, moods: dict[str, float], dials: dict[tuple[AmountKind, Place], float],
          missed: list[str]) -> None:
    place: Place = ""
    for phrase, where in _PLACES.items():
        if regex.search(rf"\b{phrase}\b", clause):
            place, clause = where, regex.sub(rf"\b{phrase}\b", " ", clause)
    degree, unless = 1.0, False
    words = clause.split()
    at = 0
    while at < len(words):
        size, meant = _longest(words[at:])
        phrase = " ".join(words[at: at + size])
        at += size
        percent = regex.fullmatch(r"(\d{1,3})%?", phrase)
        if phrase in _DEGREES:
            degree = _DEGREES[phrase]
        elif percent:
            # "tired 120 %", as it is written out.
            last = next(reversed(moods), "")
            if last:
                moods[last] = min(STRONGEST, int(percent[1]) / 100)
        elif phrase == "%":
            continue
        elif phrase in _NOT:
            unless = True
        elif meant is None:
            if phrase not in _PASSED_OVER:
                missed.append(phrase)
        elif unless:
            # What it is not is no mood of its own; nothing is made of it, and that is said.
            missed.append(f"not {phrase}")
            unless, degree = False, 1.0
        elif phrase in _DIALS:
            kind, amount = _DIALS[phrase]
            neutral = 1.0 if kind in ("pace", "range") else 0.0
            told = amount ** degree if neutral else amount * degree
            dials[kind, place] = round(told, 2)
            degree = 1.0
        else:
            mood, strength = meant
            moods[mood] = max(moods.get(mood, 0.0), strength * degree)
            degree = 1.0


def _longest(words: list[str]) -> tuple[int, tuple[str, float] | None]:
    """How many of the first words are one expression, and what it means; one word without a meaning otherwise."""
    known = _known()
    for size in range(min(6, len(words)), 0, -1):
        phrase = " ".join(words[:size])
        if phrase in known:
            return size, known[phrase]
        if phrase in _DIALS:
            return size, _DIALS[phrase]
        if phrase in _DEGREES or phrase in _NOT:
            return size, None
    return 1, None
