"""Which rows of a text begin with a speaker's name and a colon: decided over the whole text, not by one row.

A colon stands after names, and inside sentences too ("Remember: never run"). In a dialogue that is typed as
``Name: words`` the first is the rule; in captions it has to show. What was doubtful is told, never settled in silence.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from janoglot.core.errors import Problem
from janoglot.core.script.labels import likeness
from janoglot.core.script.model import ON_SCREEN

LONGEST = 60
"""Characters of a name; as many again for an aside beside it."""
_MOST_WORDS = 5
_SHORT = 2
"""Words. A label so short is a name in typed dialogue, however it is written ("Old man:")."""
_COLONS = ":："
_TURNS = "-–—>"
_DASHES = _TURNS + "•* "
"""What may stand before a name where speakers take turns."""
_SENTENCE = set("!?;\n“”\"…。！？；")
_LISTED = re.compile(r"\s*[,，、]\s*")
_ORDINAL = re.compile(r"^\d{1,3}(?:st|nd|rd|th|er|re|e|ème|eme|º|ª|\.)\s+(?=[^\W\d_])", re.IGNORECASE)
_ELIDED = re.compile(r"^(?:j|qu|c)['’]", re.IGNORECASE)
_SAYING = {
    "said", "says", "say", "asked", "asks", "answered", "replied", "wrote", "writes", "told", "dit", "disait", "disent",
    "demande", "demanda", "répond", "répondit", "écrit", "dijo", "dice", "decía", "preguntó", "respondió", "escribió",
    "disse", "diz", "dizia", "perguntou", "respondeu", "sagte", "sagt", "fragte", "fragt", "rief", "schrieb", "meinte",
    "chiese", "rispose", "scrisse", "zei", "zegt", "vroeg", "sa", "sade", "frågade", "сказал", "сказала",
    "говорит", "спросил", "спросила", "powiedział", "powiedziała", "mówi", "rzekł", "follows", "follow", "following",
    "this", "that", "these", "is", "are", "was", "were", "be",
}
"""Words that stand before a colon in a sentence and end no name."""
_TITLES = {
    "mr", "mrs", "ms", "mx", "dr", "prof", "st", "sr", "jr", "rev", "fr", "capt", "cpt", "lt", "sgt", "cpl", "col",
    "gen", "maj", "adm", "cmdr", "insp", "det", "supt", "hon", "pres", "gov", "sen", "rep", "mme", "mlle", "mgr",
    "sra", "srta", "dra", "dña", "hr", "frl", "ing", "dipl", "mag", "sig", "dott", "avv", "ten",
    "nr", "núm", "bros", "messrs", "pte", "pvt", "ofc", "asst", "mt", "ft",
}
"""What is shortened with a full stop in names, without case."""
_PARTICLES = {"de", "del", "della", "di", "da", "do", "dos", "das", "du", "la", "le", "el", "al", "bin", "ibn", "van",
              "der", "den", "von", "zu", "of", "the", "and", "y", "e", "et", "und", "&", "+"}
_SHARE = 0.25
"""Of cues with a label: from here on a file of captions is one that names its speakers."""
_NEARLY_ALL = 0.8


@dataclass(frozen=True, slots=True)
class Label:
    """What stands before a row's first colon, and what comes after it."""

    name: str
    aside: str
    words: str
    turn: bool = False
    """Whether a dash before it says that somebody else begins to speak."""
    dashed: bool = False
    """Whether a dash stands behind it where others have a colon."""

    @property
    def people(self) -> list[str]:
        """Those whom it names: more than one for what they say together."""
        return _LISTED.split(self.name)

    @property
    def ends_as_sentence(self) -> bool:
        """Whether it is the beginning of a sentence by its words, however it is written."""
        return self.name.split()[-1] in _SAYING or (not self.is_written_as_name and bool(_ELIDED.match(self.name)))

    @property
    def capitals(self) -> bool:
        letters = [ch for ch in self.name if ch.isalpha()]
        return len(letters) > 1 and all(ch.isupper() for ch in letters) and any(ch.islower() or ch.isupper()
                                                                               for ch in letters)

    @property
    def is_written_as_name(self) -> bool:
        """Whether every word begins as names do; scripts without case always do."""
        return all(not word[0].islower() or word.lower() in _PARTICLES or bool(_ORDINAL.match(f"{word} x"))
                   for word in self.name.split())


def label_of(text: str) -> Label | None:
    """The label that ``text`` begins with, where it could be a name at all; None where it cannot."""
    turn = text[:1] in _TURNS
    text = text[:4].lstrip(_DASHES) + text[4:] if text[:1] in _DASHES else text
    at = min((place for colon in _COLONS if (place := text.find(colon, 0, 2 * LONGEST + 4)) >= 0), default=-1)
    if at < 1:
        return _dashed(text, turn)
    if text.startswith("//", at + 1) or (text[at - 1].isdigit() and text[at + 1:at + 2].isdigit()):
        # An address; a time, a ratio, a verse.
        return None
    return _label(text[:at], text[at + 1:].strip(), turn)


_DASHED = re.compile(r"^([^—–:]{2,60}) [—–](?: |$)")


def _dashed(text: str, turn: bool) -> Label | None:
    """``NAME — words``."""
    found = _DASHED.match(text)
    label = _label(found[1], text[found.end():].strip(), turn) if found else None
    return replace(label, dashed=True) if label and label.capitals else None


def _label(before: str, words_after: str, turn: bool) -> Label | None:
    name, aside = before.rstrip(), ""
    if name.endswith((")", "]")):
        opening = max(name.rfind("("), name.rfind("["))
        if opening < 1:
            return None
        name, aside = name[:opening].rstrip(), name[opening + 1: -1].strip()
    words = name.split()
    if not words or len(name) > LONGEST or not (name[0].isalpha() or _ORDINAL.match(name)):
        return None
    people = _LISTED.split(name)
    if any(not one or len(one.split()) > (_MOST_WORDS if len(people) == 1 else 3) for one in people):
        return None
    if any(ch in _SENTENCE or ch in "()[]" for ch in name) or not all(map(_stops_are_short_forms, words)):
        return None
    return Label(" ".join(words), aside, words_after, turn)


def _stops_are_short_forms(word: str) -> bool:
    """Whether each full stop in ``word`` shortens it, as in "Mrs." or "J.R.", and none ends a sentence."""
    if "." not in word:
        return True
    pieces = word.rstrip(".").split(".")
    if len(pieces) == 1 and word.endswith("."):
        return pieces[0].lower() in _TITLES or (len(pieces[0]) == 1 and pieces[0].isupper())
    return all(1 <= len(piece) <= 3 for piece in pieces)


class Names:
    """Which labels are names in one text.

    ``rows``: every row of it that could begin with a label. ``known``: names that are speakers anyway. ``told``: by
    label, what a person said of it: that is so, whatever it looks like. In
    ``captions`` a label counts only where it shows to be one: it is known, or written in capitals in a text that is
    not, or written as a name in a file whose cues name their speakers.
    """

    def __init__(self, rows: Iterable[str], known: Iterable[str] = (), captions: bool = False,
                 told: Mapping[str, bool] | None = None) -> None:
        self._told = {likeness(name): taken for name, taken in (told or {}).items()}
        self._known = {likeness(name) for name in (*known, ON_SCREEN)}
        self._known |= {name for name, taken in self._told.items() if taken}
        self._captions = captions
        count, letters, capitals = 0, 0, 0
        labels: list[Label] = []
        for row in rows:
            label = label_of(row)
            if label and likeness(label.name) == likeness(ON_SCREEN):
                # Nobody's: it says nothing of how this file writes its speakers.
                continue
            count += 1
            if label:
                labels.append(label)
            spoken = label.words if label else row
            letters += sum(ch.islower() or ch.isupper() for ch in spoken)
            capitals += sum(ch.isupper() for ch in spoken)
        self._often = Counter(label.name for label in labels)
        self._alone = {likeness(label.name) for label in labels if len(label.people) == 1} | self._known
        named = [label for label in labels if label.is_written_as_name and not label.ends_as_sentence]
        self._dashes_tell = sum(label.dashed for label in labels) >= max(2, _SHARE * count)
        self._most_often = max(self._often.values(), default=0)
        self._some_are_names = bool(named)
        self._capitals_tell = capitals * 2 < letters
        upper = sum(label.capitals for label in named)
        # A file that writes its names in capitals means something else by what is written otherwise.
        self._in_capitals = self._capitals_tell and upper > 1 and upper * 2 > len(named)
        many = len(named) == count or (len(named) >= 2 and len(named) >= _SHARE * count)
        # Who speaks comes back, unless everybody is named: "Remember: never run." stands there once.
        self._uses_names = many and (len(named) == count or self._most_often > 1)
        # One alone, where the others come back and many cues have none, may as well begin a sentence.
        self._doubtful = not many or (self._most_often > 2 and len(named) < _NEARLY_ALL * count)
        self.problems: list[Problem] = []
        self.decided: dict[str, tuple[bool, int]] = {}
        """By label: whether it was taken for a speaker's, and how often it stands in the text."""

    def split(self, text: str, row: int | None = None) -> Label | None:
        """The label of ``text`` where it is taken for a speaker's; what was in doubt goes to ``problems``."""
        label = label_of(text)
        if label is None:
            return None
        taken = self._taken(label, row)
        self.decided[label.name] = taken, max(1, self._often[label.name])
        return label if taken else None

    def _taken(self, label: Label, row: int | None) -> bool:
        alike = likeness(label.name)
        if not self._told.get(alike, True):
            return False
        if alike in self._known:
            return True
        once = self._often[label.name] == 1
        if self._is_name(label, once):
            if once and (self._doubtful if self._captions else not label.is_written_as_name and not label.turn):
                self.problems.append(Problem(
                    "label_taken", "“{name}” stands before a colon once in this file: taken for a speaker.",
                    {"name": label.name}, row, "note"))
            return True
        self.problems.append(Problem(
            "label_kept", "“{name}:” could be a speaker's name, but is not written as the others here: kept as words.",
            {"name": label.name}, row, "note"))
        return False

    def _is_name(self, label: Label, once: bool) -> bool:
        if label.ends_as_sentence or (label.dashed and not self._dashes_tell):
            return False
        if len(label.people) > 1:
            # Said together, by people who speak by themselves too.
            return all(likeness(one) in self._alone for one in label.people) or (label.capitals and self._capitals_tell)
        if not self._captions:
            # Typed dialogue: a colon stands after a name, unless the one before it is plainly part of a sentence.
            short = len(label.name.split()) <= _SHORT and label.name[0].isupper()
            if not label.words and not label.is_written_as_name:
                # On a row of its own it may as well end a sentence that the next row goes on with.
                return not once
            return label.is_written_as_name or label.turn or short or not once or not self._some_are_names
        if not label.is_written_as_name:
            return False
        return (label.capitals and self._capitals_tell) or label.turn or (self._uses_names and not self._in_capitals)
