"""Where a caption may be broken, and what is checked of it: by language, reading speed and columns.

Figures are common practice of broadcasters' published guidelines; the tables of little words are ours.
"""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.languages import primary
from janoglot.core.script.formats.cues import Cue

_WITH_NEXT: dict[str, str] = {
    "en": "a an the my your his her its our their this that these those of to in on at by for with from and or but nor "
          "mr mrs ms dr st no",
    "es": "el la los las un una unos unas lo al del mi tu su mis tus sus de a en con por para y e o u que sr sra dr",
    "fr": "le la les l un une des du au aux mon ma mes ton ta tes son sa ses ce cet cette ces de à en et ou que m mme "
          "dans pour par sur",
    "de": "der die das den dem des ein eine einen einem einer eines mein dein sein ihr unser kein zu in an auf bei mit "
          "von und oder aber für im am zum zur vom herr frau dr",
    "it": "il lo la i gli le un uno una l del della dei degli delle al alla ai nel nella di a da in con su per e o che",
    "pt": "o a os as um uma uns umas do da dos das no na nos nas ao à de em com por para e ou que sr sra",
    "ca": "el la els les l un una uns unes del dels al als de a en amb per i o que",
    "nl": "de het een mijn jouw zijn haar ons hun van in op aan bij met voor en of maar",
    "hi": "और या एक इस उस",
    "ar": "في من على إلى عن مع أو و هذا هذه ذلك",
}
"""Words that a row does not end with: articles, and what a word follows that belongs to it."""
_SETS = {tag: frozenset(words.split()) for tag, words in _WITH_NEXT.items()}
_LETTERS = re.compile(r"[^\w’']+")
_NUMBER = re.compile(r"^[\d.,:]+$")


@dataclass(frozen=True, slots=True)
class CaptionStyle:
    """How captions are laid out. ``columns`` in a row (wide characters take two), ``rows``, the fastest reading in
    characters a second, the shortest and the longest a caption is shown, and the gap between two, in seconds."""

    columns: int = 42
    rows: int = 2
    fastest: float = 20.0
    shortest: float = 0.833
    longest: float = 7.0
    gap: float = 0.08
    names: bool = False
    """Whether who speaks stands before what is said."""

    def checked(self) -> CaptionStyle:
        """Itself. Raises BadInput."""
        if not (12 <= self.columns <= 80 and 1 <= self.rows <= 4 and 5 <= self.fastest <= 60
                and 0 <= self.shortest < self.longest <= 30 and 0 <= self.gap <= 1):
            raise BadInput("Captions have 12 to 80 columns, 1 to 4 rows, and are read at 5 to 60 characters a second.")
        return self

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


def width(text: str) -> int:
    """Columns of a text: wide characters take two, marks over others none."""
    return sum(2 if unicodedata.east_asian_width(ch) in "WF" else 1 for ch in text if not unicodedata.combining(ch))


def keeps_together(before: str, after: str, language: str, names: Collection[str] = ()) -> bool:
    """Whether a row is not to end between the words ``before`` and ``after``: within a name, behind an article or what
    goes with the next word, between a number and its unit."""
    last, next_ = before.strip("“”\"«»„(¿¡").lower(), after.strip("“”\"«»„()")
    if last in _SETS.get(primary(language), frozenset()):
        return True
    bare, other = _LETTERS.sub("", before), _LETTERS.sub("", next_)
    if f"{bare} {other}" in names:
        return True
    if _NUMBER.match(before) and other and not _ends(before):
        return True
    # Two capitals in a row are a name, where capitals tell names.
    return primary(language) != "de" and bare[:1].isupper() and other[:1].isupper() and not _ends(before) and \
        len(bare) > 1 and bare.lower() != bare and not bare.isupper()


def _ends(word: str) -> bool:
    return word.rstrip("\"”»’)")[-1:] in ".!?…।؟。！？,;:—–،，、；"


def pairs_of_names(names: Collection[str]) -> frozenset[str]:
    """Each two words that follow each other in one of ``names``."""
    found = set()
    for name in names:
        words = name.split()
        found |= {f"{one} {other}" for one, other in itertools.pairwise(words)}
    return frozenset(found)


def break_cost(text: str, at: int, language: str, names: Collection[str] = ()) -> float:
    """What it costs to break ``text`` at the space ``at``: little behind a sentence or a clause, much where words
    belong together."""
    before, after = text[:at].split()[-1:], text[at:].split()[:1]
    if not before or not after:
        return 8.0
    if keeps_together(before[0], after[0], language, names):
        return 6.0
    mark = before[0].rstrip("\"”»’)")[-1:]
    return 0.0 if mark in ".!?…।؟。！？" else 0.5 if mark in ",;:—–،，、；" else 2.0


_SPEED_SLACK = 0.05
"""Characters a second that nobody reads as faster: what would be told as the limit itself is no fault."""


@dataclass(frozen=True, slots=True)
class CaptionFault:
    """One rule that a caption does not keep: its number from 1, ``start`` seconds, what was found and the limit;
    ``text`` is the caption's, in one row."""

    number: int
    start: float
    rule: str
    found: float
    limit: float
    text: str = ""


def check_captions(cues: Sequence[Cue], style: CaptionStyle, language: str,
                   names: Collection[str] = ()) -> list[CaptionFault]:
    """Every rule that is not kept, in order: *columns*, *rows*, *speed* (characters a second), *short*, *long*,
    *overlap* (seconds), *broken* (a row that ends within what belongs together)."""
    found: list[CaptionFault] = []
    for number, cue in enumerate(cues, 1):
        def say(rule: str, value: float, limit: float, number: int = number, cue: Cue = cue) -> None:
            found.append(CaptionFault(number, cue.start, rule, round(value, 3), limit, cue.text.replace("\n", " ")))

        rows, seconds = cue.text.split("\n"), cue.end - cue.start
        widest = max(map(width, rows))
        if widest > style.columns:
            say("columns", widest, style.columns)
        if len(rows) > style.rows:
            say("rows", len(rows), style.rows)
        speed = len(cue.text.replace("\n", " ")) / max(seconds, 0.001)
        if speed > style.fastest + _SPEED_SLACK:
            say("speed", speed, style.fastest)
        if seconds < style.shortest - 0.002:
            say("short", seconds, style.shortest)
        if seconds > style.longest + 0.002:
            say("long", seconds, style.longest)
        if number < len(cues) and cues[number].start < cue.end - 0.0005:
            say("overlap", cue.end - cues[number].start, 0.0)
        for row, after in itertools.pairwise(rows):
            words, rest = row.split()[-1:], after.split()[:1]
            if words and rest and keeps_together(words[0], rest[0], language, names):
                say("broken", 1, 0)
    return found
