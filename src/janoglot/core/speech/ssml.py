"""Directed lines as SSML 1.1 (W3C 2010) and back: two views of the same thing.

Every mark is an element of the standard where it has one; what it does not say (how strong a stress is in between, that
a pause is added to the one that is there, moods) stands in attributes of our own namespace, which other programs pass
over. Elements that no engine here can do anything with are kept, with their attributes, and written out again.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import log2
from typing import Any, Literal
from xml.parsers import expat
from xml.sax.saxutils import escape, quoteattr

import regex

from janoglot.core.errors import BadInput
from janoglot.core.languages import find_tag
from janoglot.core.speech.directing import MARK_BOUNDS, AmountKind, DirectionMark, MarkKind, marks_of, words_of
from janoglot.core.speech.mood_words import in_words, understood
from janoglot.core.speech.moods import Moods
from janoglot.core.speech.readings import READING_KINDS

SSML = "http://www.w3.org/2001/10/synthesis"
OURS = "urn:janoglot:directing"
_XML = "http://www.w3.org/XML/1998/namespace"
_LEVELS = {"strong": 2.0, "moderate": 1.0, "none": 0.0, "reduced": -1.0}
_BREAKS = {"none": 0.0, "x-weak": 0.1, "weak": 0.2, "medium": 0.4, "strong": 0.7, "x-strong": 1.0}
_RATES = {"x-slow": 0.6, "slow": 0.8, "medium": 1.0, "default": 1.0, "fast": 1.25, "x-fast": 1.6}
_PITCHES = {"x-low": -6.0, "low": -3.0, "medium": 0.0, "default": 0.0, "high": 3.0, "x-high": 6.0}
_RANGES = {"x-low": 0.3, "low": 0.6, "medium": 1.0, "default": 1.0, "high": 1.5, "x-high": 2.2}
_VOLUMES = {"silent": -18.0, "x-soft": -12.0, "soft": -6.0, "medium": 0.0, "default": 0.0, "loud": 6.0, "x-loud": 12.0}
_AS: dict[str, str] = {"number": "cardinal", "spell-out": "characters", "verbatim": "characters", "alpha": "characters"}
_THROUGH = {"speak", "p", "s", "w", "token", "voice", "lang"}
"""Elements that say where something belongs, or how it is cut, and change nothing of how it is said by themselves."""
_EMPTY = {"break", "mark", "audio", "lexicon", "meta", "lookup"}
LONGEST = 4_000_000


@dataclass(frozen=True, slots=True)
class SsmlProblem:
    """``line`` and ``column`` count from 1. What is *kept* is in the text and not done; an *error* stops."""

    line: int
    column: int
    severity: Literal["error", "kept"]
    message: str


@dataclass(frozen=True, slots=True)
class DirectedLine:
    """A line's words with everything that is directed of them. ``number`` is the script's; ``foreign``: words in
    another language, each with its BCP 47 tag."""

    words: str
    marks: tuple[DirectionMark, ...] = ()
    moods: Moods = ()
    variant: int = 0
    foreign: tuple[tuple[str, str], ...] = ()
    number: int | None = None
    speaker: str = ""


@dataclass(slots=True)
class ReadSsml:
    lines: list[DirectedLine] = field(default_factory=list)
    problems: list[SsmlProblem] = field(default_factory=list)
    language: str = ""

    @property
    def errors(self) -> list[SsmlProblem]:
        return [one for one in self.problems if one.severity == "error"]


# ── out

def write_ssml(lines: Sequence[DirectedLine], language: str, parts: Sequence[str] = ()) -> str:
    """A document with these lines; ``parts``: the name of each line's part, a paragraph for each run of them."""
    out = ['<?xml version="1.0" encoding="UTF-8"?>',
           f'<speak version="1.1" xmlns="{SSML}" xmlns:jn="{OURS}" xml:lang={quoteattr(language)}>']
    open_part: str | None = None
    for number, line in enumerate(lines):
        part = parts[number] if number < len(parts) else ""
        if parts and part != open_part:
            if open_part is not None:
                out.append("</p>")
            out.append(f"<p jn:part={quoteattr(part)}>" if part else "<p>")
            open_part = part
        body = line_ssml(line)
        out.append(f"<voice name={quoteattr(line.speaker)}>{body}</voice>" if line.speaker else body)
    if open_part is not None:
        out.append("</p>")
    return "\n".join([*out, "</speak>", ""])


def line_ssml(line: DirectedLine) -> str:
    """One line as a sentence."""
    own = {"jn:line": str(line.number) if line.number is not None else "", "jn:moods": in_words(line.moods),
           "jn:reading": str(line.variant) if line.variant else ""}
    head = "".join(f" {name}={quoteattr(value)}" for name, value in own.items() if value)
    return f"<s{head}>{_body(line)}</s>"


@dataclass(frozen=True, slots=True)
class _Span:
    """A mark, or words in another language, as an element around ``start`` to ``end``. ``order`` names its
    pieces where it has to be cut."""

    start: int
    end: int
    tag: str
    attributes: tuple[tuple[str, str], ...]
    order: int


def _body(line: DirectedLine) -> str:
    words = words_of(line.words)
    before: dict[int, list[str]] = {}
    spans: list[_Span] = []
    for order, mark in enumerate(line.marks):
        if mark.kind in ("gap", "pause") or (mark.kind == "kept" and mark.said.endswith("/>")):
            before.setdefault(mark.word, []).append(mark.said if mark.kind == "kept" else _break(mark))
        else:
            tag, attributes = _element(mark)
            spans.append(_Span(mark.word, mark.word + mark.count, tag, attributes, order))
    begins: dict[str, list[int]] = {}
    plain = [_bare(word) for word in words] if line.foreign else []
    for at, word in enumerate(plain):
        begins.setdefault(word, []).append(at)
    for phrase, tag in line.foreign:
        for start, end in _places(plain, begins, phrase):
            spans.append(_Span(start, end, "lang", (("xml:lang", tag),), len(line.marks) + start))
    spans.sort(key=lambda one: (one.start, -one.end, one.order))
    cut = _crossing(spans)
    begin: dict[int, list[_Span]] = {}
    for span in spans:
        begin.setdefault(span.start, []).append(span)
    text: list[str] = []
    opened: list[_Span] = []
    for at in range(len(words) + 1):
        # What ends here is closed; what lies inside it and goes on is closed with it, and opened again.
        again: list[_Span] = []
        while any(one.end <= at for one in opened):
            one = opened.pop()
            text.append(f"</{one.tag}>")
            if one.end > at:
                again.append(one)
        if at == len(words):
            break
        if at:
            text.append(" ")
        text += before.get(at, [])
        for one in [*reversed(again), *begin.get(at, ())]:
            text.append(_opening(one, cut))
            opened.append(one)
        text.append(escape(words[at]))
    return "".join(text)


def _opening(span: _Span, cut: set[int]) -> str:
    attributes = [*span.attributes, *([("jn:piece", str(span.order))] if span.order in cut else [])]
    return f"<{span.tag}{''.join(f' {name}={quoteattr(value)}' for name, value in attributes)}>"


def _crossing(spans: Sequence[_Span]) -> set[int]:
    """Those that others begin inside of and end after, so that one of the two is written in pieces."""
    found: set[int] = set()
    for number, one in enumerate(spans):
        # They are in the order in which they begin.
        for other in itertools.islice(spans, number + 1, None):
            if other.start >= one.end:
                break
            if one.start < other.start and one.end < other.end:
                found |= {one.order, other.order}
    return found


def _places(plain: Sequence[str], begins: Mapping[str, Sequence[int]], phrase: str) -> list[tuple[int, int]]:
    """Where a phrase stands among ``plain`` words, of which ``begins`` says where each is."""
    wanted = [_bare(word) for word in phrase.split()]
    return [(at, at + len(wanted)) for at in (begins.get(wanted[0], ()) if wanted else ())
            if plain[at: at + len(wanted)] == wanted]


def _bare(word: str) -> str:
    return regex.sub(r"[^\p{L}\p{M}\p{N}]+", "", word).casefold() or word


def _break(mark: DirectionMark) -> str:
    if mark.kind == "pause":
        return f'<break time="{_number(mark.amount)}s" jn:more="true"/>'
    return f'<break time="{_number(mark.amount)}s"/>' if mark.amount else '<break strength="none"/>'


def _element(mark: DirectionMark) -> tuple[str, tuple[tuple[str, str], ...]]:
    amount = mark.amount
    if mark.kind == "kept":
        tag = regex.match(r"<([\w:.-]+)", mark.said)
        return (tag[1] if tag else "jn:kept"), tuple(
            (name, _unescaped(value)) for name, value in regex.findall(r'\s([\w:.-]+)="([^"]*)"', mark.said))
    if mark.kind == "stress":
        level = "reduced" if amount < 0 else "strong" if amount > 1 else "moderate"
        exact = () if _LEVELS[level] == amount else (("jn:amount", _number(amount)),)
        return "emphasis", (("level", level), *exact)
    if mark.kind == "alias":
        return "sub", (("alias", mark.said),)
    if mark.kind == "ipa":
        return "phoneme", (("alphabet", "ipa"), ("ph", mark.said))
    if mark.kind in READING_KINDS:
        return "say-as", (("interpret-as", mark.kind),)
    told = {"pace": ("rate", f"{_number(100 * amount)}%"), "lift": ("pitch", f"{_signed(amount)}st"),
            "range": ("range", f"{_signed(100 * (amount - 1))}%"), "level": ("volume", f"{_signed(amount)}dB"),
            "turn": ("contour", f"(50%,+0st) (100%,{_signed(amount)}st)")}
    return "prosody", (told[mark.kind],)


def _number(value: float) -> str:
    return f"{round(value, 4):g}"


def _signed(value: float) -> str:
    return f"{'-' if value < 0 else '+'}{_number(abs(value))}"


def _unescaped(text: str) -> str:
    return text.replace("&quot;", '"').replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&")


# ── in

@dataclass(slots=True)
class _Open:
    """An element that is not closed yet. ``marks``: what it says of its words, by kind."""

    tag: str
    word: int
    marks: list[tuple[MarkKind, float, str]] = field(default_factory=list)
    piece: str = ""
    language: str = ""


@dataclass(slots=True)
class _Line:
    number: int | None = None
    speaker: str = ""
    moods: Moods = ()
    variant: int = 0
    pieces: list[str] = field(default_factory=list)
    words: int = 0
    marks: list[tuple[DirectionMark, str]] = field(default_factory=list)
    foreign: list[tuple[int, int, str]] = field(default_factory=list)
    waiting: list[DirectionMark] = field(default_factory=list)

    @property
    def text(self) -> str:
        return "".join(self.pieces)

    @property
    def _inside_word(self) -> bool:
        return bool(self.pieces) and not self.pieces[-1][-1].isspace()

    def add(self, text: str) -> None:
        # Counted as they come: a line may have as many elements as words.
        self.words += len(words_of(text)) - (1 if self._inside_word and not text[0].isspace() else 0)
        self.pieces.append(text)

    @property
    def next_word(self) -> int:
        """Which word a mark that stands here is of: inside a word it is that one."""
        return self.words - (1 if self._inside_word else 0)


class _Reader:
    def __init__(self) -> None:
        self.read = ReadSsml()
        self._open: list[_Open] = []
        self._line: _Line | None = None
        self._speaker = ""
        self._parser = expat.ParserCreate(namespace_separator=" ")
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._parser.CharacterDataHandler = self._characters
        self._parser.EntityDeclHandler = self._forbidden
        self._parser.buffer_text = True

    def parse(self, data: str) -> ReadSsml:
        try:
            self._parser.Parse(data.encode(), True)
        except expat.ExpatError as error:
            self._problem("error", f"This is no well-formed XML: {expat.errors.messages.get(error.code, '')}.",
                          error.lineno, error.offset + 1)
        self._finish()
        return self.read

    def _forbidden(self, *_: Any) -> None:
        raise BadInput("SSML with definitions of its own is not read.")

    def _problem(self, severity: Literal["error", "kept"], message: str, line: int = 0, column: int = 0) -> None:
        self.read.problems.append(SsmlProblem(line or self._parser.CurrentLineNumber,
                                              column or self._parser.CurrentColumnNumber + 1, severity, message))

    def _start(self, name: str, given: dict[str, str]) -> None:
        space, _, tag = name.rpartition(" ")
        foreign_space = space not in ("", SSML)
        told = {key.rpartition(" ")[2] if key.rpartition(" ")[0] in ("", SSML) else key: value
                for key, value in given.items()}
        language = told.get(f"{_XML} lang", "")
        if not self._open and tag != "speak" and not foreign_space and tag not in ("s", "p", "voice"):
            self._problem("error", f"The document begins with “speak”, not “{tag}”.")
        if tag == "speak":
            self.read.language = language
        elif tag == "voice" and not foreign_space:
            self._finish()
            self._speaker = told.get("name", "")
        elif tag == "p":
            self._finish()
        elif tag == "s":
            self._finish()
            self._line = self._begun(told)
        line = self._line
        if tag in _EMPTY and not foreign_space:
            self._empty(tag, told, given)
            self._open.append(_Open(tag, 0))
            return
        if line is None and tag not in _THROUGH and not foreign_space:
            line = self._line = self._begun({})
        at = line.next_word if line else 0
        if foreign_space:
            # Under a prefix of its own, so that what stands inside stays what it is.
            given, tag = {"xmlns:x": space, **given}, f"x:{tag}"
        one = _Open(tag, at, piece=told.get(f"{OURS} piece", ""))
        if tag == "lang" or (tag in ("w", "token", "s") and language):
            one.language = find_tag(language) or ""
            if language and not one.language:
                self._problem("error", f"“{language}” is no language.")
        elif foreign_space or tag not in _THROUGH:
            one.marks = self._meant(tag, told, given)
        self._open.append(one)

    def _begun(self, told: dict[str, str]) -> _Line:
        number = told.get(f"{OURS} line", "")
        variant = told.get(f"{OURS} reading", "")
        moods = understood(told.get(f"{OURS} moods", ""))
        if moods.missed:
            self._problem("error", f"“{', '.join(moods.missed)}” is no mood.")
        return _Line(int(number) if number.isdigit() else None, self._speaker, moods.moods,
                     int(variant) if variant.isdigit() and int(variant) < 1000 else 0)

    def _empty(self, tag: str, told: dict[str, str], given: dict[str, str]) -> None:
        if self._line is None:
            self._line = self._begun({})
        line = self._line
        at = line.words
        if tag == "break":
            seconds = self._pause(told)
            if seconds is not None:
                more = told.get(f"{OURS} more") == "true" and seconds > 0
                kind: AmountKind = "pause" if more else "gap"
                low, high = MARK_BOUNDS[kind]
                line.waiting.append(DirectionMark(kind, at, min(high, max(low, seconds))))
            return
        self._problem("kept", f"“{tag}” is kept, and nothing here does it.")
        line.waiting.append(DirectionMark("kept", at, said=_kept(tag, given, True)))

    def _pause(self, told: dict[str, str]) -> float | None:
        if "time" in told:
            match = regex.fullmatch(r"\+?(\d*\.?\d+)\s*(s|ms)", told["time"].strip())
            if not match:
                self._problem("error", f"“{told['time']}” is no time: write 300ms or 0.3s.")
                return None
            return float(match[1]) / (1000 if match[2] == "ms" else 1)
        strength = told.get("strength", "medium")
        if strength not in _BREAKS:
            self._problem("error", f"“{strength}” is no strength of a break: {', '.join(_BREAKS)}.")
            return None
        return _BREAKS[strength]

    def _meant(self, tag: str, told: dict[str, str], given: dict[str, str]) -> list[tuple[MarkKind, float, str]]:
        """What an element says of its words."""
        if tag == "emphasis":
            level = told.get("level", "moderate")
            exact = told.get(f"{OURS} amount", "")
            if level not in _LEVELS:
                self._problem("error", f"“{level}” is no level of emphasis: {', '.join(_LEVELS)}.")
                return []
            return [("stress", self._within("stress", _float(exact, _LEVELS[level])), "")]
        if tag == "sub":
            if not told.get("alias", "").strip():
                self._problem("error", "“sub” says what is read instead in “alias”.")
                return []
            return [("alias", 1.0, told["alias"])]
        if tag == "phoneme":
            if told.get("alphabet", "ipa") != "ipa":
                self._problem("kept", f"Sounds in “{told['alphabet']}” are kept; only IPA is said.")
                return [("kept", 1.0, _kept(tag, given, False))]
            if not told.get("ph", "").strip():
                self._problem("error", "“phoneme” says the sounds in “ph”.")
                return []
            return [("ipa", 1.0, told["ph"])]
        if tag == "say-as":
            kind = told.get("interpret-as", "")
            kind = _AS.get(kind, kind)
            if kind in READING_KINDS and kind not in ("alias", "ipa"):
                return [(kind, 1.0, "")]
            self._problem("kept", f"To say something as “{kind}” is kept, and nothing here does it.")
            return [("kept", 1.0, _kept(tag, given, False))]
        if tag == "prosody":
            return self._prosody(told, given)
        self._problem("kept", f"“{tag}” is kept, and nothing here does it.")
        return [("kept", 1.0, _kept(tag, given, False))]

    def _prosody(self, told: dict[str, str], given: dict[str, str]) -> list[tuple[MarkKind, float, str]]:
        found: list[tuple[MarkKind, float, str]] = []
        kept: dict[str, str] = {}
        readers: dict[str, tuple[AmountKind, Any]] = {
            "rate": ("pace", _rate), "pitch": ("lift", _pitch), "range": ("range", _range),
            "volume": ("level", _volume), "contour": ("turn", _contour)}
        for name, value in told.items():
            if name.startswith(OURS):
                continue
            if name not in readers:
                kept[name] = value
                self._problem("kept", f"“{name}” of “prosody” is kept, and nothing here does it.")
                continue
            kind, reader = readers[name]
            amount = reader(value.strip())
            if amount is None:
                known = regex.fullmatch(r"[\d.]+\s*Hz|[\d.+-]+|(\([^)]*\)\s*)+", value.strip())
                if known:
                    kept[name] = value
                    self._problem("kept", f"“{name}={value}” is kept, and nothing here does it.")
                else:
                    self._problem("error", f"“{value}” is no {name}.")
                continue
            found.append((kind, self._within(kind, amount), ""))
        if kept:
            found.append(("kept", 1.0, _kept("prosody", kept, False)))
        return found

    def _within(self, kind: AmountKind, amount: float) -> float:
        low, high = MARK_BOUNDS[kind]
        return min(high, max(low, amount))

    def _end(self, name: str) -> None:
        if not self._open:
            return
        one, line = self._open.pop(), self._line
        tag = one.tag
        if tag in ("s", "p", "voice"):
            if tag == "s" and one.language and line and line.text.strip():
                line.foreign.append((0, line.words, one.language))
            self._finish()
            if tag == "voice":
                self._speaker = ""
            return
        if line is None:
            return
        count = line.words - one.word
        for kind, amount, said in one.marks:
            if count > 0:
                line.marks.append((DirectionMark(kind, one.word, amount, count, said), one.piece))
        if one.language and count > 0 and tag != "speak":
            line.foreign.append((one.word, count, one.language))

    def _characters(self, text: str) -> None:
        if self._line is None:
            if not text.strip():
                return
            self._line = self._begun({})
        if any(one.tag in _EMPTY for one in self._open[-1:]):
            return
        if text:
            self._line.add(text)

    def _finish(self) -> None:
        """The line that is read so far is whole."""
        line, self._line = self._line, None
        if line is None or (not line.text.strip() and not line.waiting):
            return
        words = words_of(line.text)
        if not words:
            return
        marks = _joined(line.marks)
        marks += [mark for mark in line.waiting if mark.word < len(words)]
        if any(mark.word >= len(words) for mark in line.waiting):
            self._problem("kept", "What stands after a line's last word is of no word, and is not taken.")
        text = " ".join(words)
        try:
            checked = marks_of([mark.as_json() for mark in marks], text)
        except BadInput as error:
            self._problem("error", str(error))
            checked = ()
        foreign = tuple(dict.fromkeys((" ".join(words[at: at + count]).strip(",.;:!?¡¿…"), tag)
                                      for at, count, tag in line.foreign))
        self.read.lines.append(DirectedLine(text, checked, line.moods, line.variant, foreign, line.number,
                                            line.speaker))


def _joined(marks: Sequence[tuple[DirectionMark, str]]) -> list[DirectionMark]:
    """Marks, those that were written in pieces whole again."""
    whole: dict[tuple[str, str], DirectionMark] = {}
    found = []
    for mark, piece in marks:
        if not piece:
            found.append(mark)
            continue
        before = whole.get((piece, mark.kind))
        if before:
            start, end = min(before.word, mark.word), max(before.word + before.count, mark.word + mark.count)
            mark = replace(before, word=start, count=end - start)
        whole[piece, mark.kind] = mark
    return [*found, *whole.values()]


def _kept(tag: str, given: dict[str, str], empty: bool) -> str:
    """An element as it stands in the text: its own attributes in order."""
    names = {key: key.replace(f"{_XML} ", "xml:").replace(f"{OURS} ", "jn:").replace(f"{SSML} ", "") for key in given}
    inside = "".join(f' {names[key].rpartition(" ")[2]}="{_quoted(value)}"' for key, value in given.items())
    return f"<{tag}{inside}/>" if empty else f"<{tag}{inside}>"


def _quoted(value: str) -> str:
    return escape(value, {'"': "&quot;"})


def _float(text: str, usual: float) -> float:
    try:
        return float(text)
    except ValueError:
        return usual


def _percent(text: str) -> float | None:
    match = regex.fullmatch(r"([+-]?\d*\.?\d+)%", text)
    return float(match[1]) / 100 if match else None


def _rate(text: str) -> float | None:
    if text in _RATES:
        return _RATES[text]
    share = _percent(text)
    if share is None:
        return float(text) if regex.fullmatch(r"\d*\.?\d+", text) and float(text) <= 4 else None
    # "+20%" is what SSML 1.0 wrote for 120 %.
    return 1 + share if text[0] in "+-" else share


def _pitch(text: str) -> float | None:
    if text in _PITCHES:
        return _PITCHES[text]
    match = regex.fullmatch(r"([+-]\d*\.?\d+)st", text)
    if match:
        return float(match[1])
    share = _percent(text)
    if share is None or text[0] not in "+-" or share <= -0.9:
        return None
    return round(12 * log2(1 + share), 3)


def _range(text: str) -> float | None:
    if text in _RANGES:
        return _RANGES[text]
    share = _percent(text)
    return 1 + share if share is not None and text[0] in "+-" else None


def _volume(text: str) -> float | None:
    if text in _VOLUMES:
        return _VOLUMES[text]
    match = regex.fullmatch(r"([+-]\d*\.?\d+)\s*dB", text)
    return float(match[1]) if match else None


def _contour(text: str) -> float | None:
    """Of a contour the turn of its end is done, where it is told in semitones and is level before that."""
    points = regex.findall(r"\(\s*(\d*\.?\d+)%\s*,\s*([+-]\d*\.?\d+)st\s*\)", text)
    if not points or regex.sub(r"\(\s*\d*\.?\d+%\s*,\s*[+-]\d*\.?\d+st\s*\)|\s", "", text):
        return None
    return float(points[-1][1]) if all(float(height) == 0 for _, height in points[:-1]) else None


def read_ssml(text: str) -> ReadSsml:
    """The lines of a document, or of a part of one: whatever stands between sentences. What is wrong is told with its
    place, and what cannot be done with it.

    Raises BadInput for what is far too long, or defines entities of its own.
    """
    if len(text) > LONGEST:
        raise BadInput("This is too long to be read.")
    return _Reader().parse(text)


def looks_like_ssml(text: str) -> bool:
    """Whether words are marked up rather than plain."""
    return bool(regex.match(r"\s*(<\?xml|<speak\b)", text) or regex.search(
        r"<(break|emphasis|prosody|say-as|sub|phoneme)\b[^<>]*>", text))


def read_words(text: str) -> ReadSsml:
    """Words of a script's cell that may be marked up without a document around them."""
    whole = text if regex.match(r"\s*(<\?xml|<speak\b)", text) else \
        f'<speak version="1.1" xmlns="{SSML}" xmlns:jn="{OURS}">{text}</speak>'
    return read_ssml(whole)
