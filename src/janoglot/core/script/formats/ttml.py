"""Timed text: TTML 2 and IMSC 1.1 text profile (W3C), with agents as speakers."""

from __future__ import annotations

import html
import re
from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass
from xml.etree import ElementTree

from janoglot.core.errors import BadInput, Problem
from janoglot.core.guarded import read_xml, whole_number
from janoglot.core.languages import find_tag
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.cues import Cue, lines_of_cues
from janoglot.core.script.limits import check_rows
from janoglot.core.script.model import Script, ScriptLine

_TT = "http://www.w3.org/ns/ttml"
_TTP = "http://www.w3.org/ns/ttml#parameter"
_TTM = "http://www.w3.org/ns/ttml#metadata"
_XML = "http://www.w3.org/XML/1998/namespace"
_TTS = "http://www.w3.org/ns/ttml#styling"
_CLOCK = re.compile(r"^(\d{1,3}):(\d{1,2}):(\d{1,2})(?:(\.\d{1,9})|[:;](\d{1,3})(?:\.\d{1,9})?)?$")
_OFFSET = re.compile(r"^(\d{1,12}(?:\.\d{1,9})?)(h|ms|m|s|f|t)?$")
_ANNOTATION = {"text", "textContainer", "delimiter"}
"""What of ruby is written beside the words, and would be said twice."""
_FIT = 0.05
"""Seconds."""


class _Clock:
    """Time expressions as the document's parameters say. Source: W3C TTML2, 12.3; SMPTE ST 12-1 for drop frame."""

    def __init__(self, root: ElementTree.Element) -> None:
        def told(name: str) -> str:
            # Older namespaces too: only what the attribute is called counts.
            return next((text.strip() for key, text in root.attrib.items() if key.endswith(f"#parameter}}{name}")), "")

        def number(name: str, default: float) -> float:
            text = told(name)
            return float(text) if re.fullmatch(r"[0-9]{1,9}(\.[0-9]{1,9})?", text) and float(text) > 0 else default

        above, below = [*map(whole_number, re.split(r"[ :]+", told("frameRateMultiplier"))), None, None][:2]
        multiplier = above / below if above and below else 1.0
        self._base = number("frameRate", 30.0)
        self._frames = self._base * multiplier
        self._ticks = number("tickRate", self._frames * number("subFrameRate", 1.0) if told("frameRate") else 1.0)
        self._counts = told("timeBase") == "smpte"
        self._drop = {"dropNTSC": 2, "dropPAL": 4}.get(told("dropMode"), 0) if self._counts else 0

    def seconds(self, text: str) -> float | None:
        """A time expression in seconds; None where it is none."""
        clock = _CLOCK.match(text.strip())
        if clock:
            hours, minutes, seconds, fraction, frames = clock.groups()
            whole = int(hours) * 3600 + int(minutes) * 60 + int(seconds)
            if self._counts and fraction is None:
                # A label counts frames: how long they take, the rate says.
                minute = whole // 60
                dropped = self._drop * (minute - minute // 10 if self._drop == 2 else minute // 2 - minute // 20)
                return float((whole * round(self._base) + int(frames or 0) - dropped) / self._frames)
            return whole + float(fraction or 0) + int(frames or 0) / self._frames
        offset = _OFFSET.match(text.strip())
        if not offset:
            return None
        unit = {"h": 3600.0, "m": 60.0, "s": 1.0, "ms": 0.001, "f": 1 / self._frames, "t": 1 / self._ticks,
                None: 1.0}[offset[2]]
        return float(offset[1]) * unit


@dataclass(frozen=True, slots=True)
class _Paragraph:
    """Something that is shown for a while: a p, or a span in one that has times of its own."""

    text: str
    start: float | None
    end: float | None
    agent: str
    part: str
    language: str
    notes: str
    on_screen: bool


class _Walk:
    """Every paragraph under the body with the times that it really has: those of what it stands in added up.

    ``absolute``: times of what stands in something are the document's, not counted from its beginning.
    """

    def __init__(self, clock: _Clock, absolute: bool) -> None:
        self._clock = clock
        self._absolute = absolute
        self.found: list[_Paragraph] = []
        self.misfits = 0

    def go(self, element: ElementTree.Element, start: float = 0.0, end: float | None = None, agent: str = "",
           part: str = "", language: str = "") -> None:
        """``start`` and ``end``: when what ``element`` is begins and ends."""
        before = start
        for child in element:
            name = _name(child)
            if name not in ("div", "p", "span", "body"):
                continue
            own_agent = child.get(f"{{{_TTM}}}agent", "").split(" ")[0] or agent
            own_language = child.get(f"{{{_XML}}}lang", language)
            title = next((_row(one) for one in child if _name(one) == "title"), part) if name == "div" else part
            first = before if element.get("timeContainer") == "seq" else start
            begins, ends = self._times(child, first, end)
            if end is not None and begins is not None and begins >= end + _FIT:
                self.misfits += 1
            if name == "p" or (name == "span" and (child.get("begin") or child.get("dur"))):
                self._paragraph(child, begins, ends, own_agent, title, own_language)
            else:
                self.go(child, start if begins is None else begins, ends, own_agent, title, own_language)
            before = ends if ends is not None else before

    def _times(self, element: ElementTree.Element, start: float,
               end: float | None) -> tuple[float | None, float | None]:
        offset = 0.0 if self._absolute else start
        begin, stop, length = (self._clock.seconds(element.get(name, "")) for name in ("begin", "end", "dur"))
        begins = start if begin is None else begin + offset
        candidates = [] if stop is None else [stop + offset]
        if length is not None:
            candidates.append(begins + length)
        if end is not None:
            candidates.append(end)
        if begin is None and not candidates and _name(element) in ("p", "span"):
            return None, None
        return begins, min(candidates) if candidates else None

    def _paragraph(self, element: ElementTree.Element, start: float | None, end: float | None, agent: str, part: str,
                   language: str) -> None:
        notes = element.get(f"{{{_TTM}}}desc", "")
        on_screen = element.get(f"{{{_TTM}}}role") in ("caption", "text", "title")
        timed = [child for child in element if _name(child) == "span" and (child.get("begin") or child.get("dur"))]
        own = _text(element, set(map(id, timed))) if timed else _text(element)
        if own.strip():
            self.found.append(_Paragraph(own, start, end, agent, part, language, notes, on_screen))
        if timed:
            # What is shown piece by piece.
            self.go(element, start or 0.0, end, agent, part, language)


class TimedText:
    id = "ttml"
    name = "TTML"
    suffixes: tuple[str, ...] = (".ttml", ".dfxp", ".imsc", ".xml")
    expects = "Each cue needs a paragraph with begin and end inside the body of a tt document."

    def certain(self, text: str) -> bool:
        return bool(re.search(r"<(?:\w+:)?tt\b[^>]*http://www\.w3\.org/(?:ns|2006/(?:04|10))/ttml?", text[:4000]))

    def read(self, text: str, hints: Hints) -> Script:
        script = Script()
        # A declaration of the encoding would contradict what has been decoded already.
        root = read_xml(re.sub(r"^\s*<\?xml[^>]*\?>", "", text), "TTML")
        if _name(root) != "tt":
            raise BadInput("This XML is no TTML: its outermost element is “{name}”.", name=_name(root)[:40])
        clock = _Clock(root)
        agents = {agent.get(f"{{{_XML}}}id", ""): _row(agent) for agent in root.iter() if _name(agent) == "agent"}
        language = find_tag(root.get(f"{{{_XML}}}lang", "")) or ""
        script.source_language = language or hints.source_language or None
        found = self._paragraphs(root, clock, language, script, hints.from_start)
        check_rows(len(found))
        in_languages = self._languages(found)
        source = script.source_language if script.source_language in in_languages else (in_languages or [language])[0]
        script.source_language = source or script.source_language
        own = [one for one in found if len(in_languages) < 2 or one.language == source]
        cues = [_cue(one, number, agents) for number, one in enumerate(own, 1)]
        for number, cue in enumerate(cues, 1):
            if not cue.timed:
                script.problems.append(Problem("bad_time", "Cue {number} has no slot that runs forward: kept without.",
                                               {"number": number}, number))
        script.lines = lines_of_cues(cues, script, hints, agents.values())
        for line in script.lines:
            told = own[(line.row or 1) - 1]
            line.part, line.on_screen = told.part, told.on_screen
            line.notes = "; ".join(filter(None, [line.notes, told.notes]))
        for other in in_languages:
            if other != source:
                self._translated(script, [one for one in found if one.language == other], other, agents, hints)
        return script

    @staticmethod
    def _paragraphs(root: ElementTree.Element, clock: _Clock, language: str, script: Script,
                    from_start: bool | None) -> list[_Paragraph]:
        body = next((child for child in root if _name(child) == "body"), None)
        if body is None:
            return []
        walks = []
        for absolute in (False, True):
            walk = _Walk(clock, absolute)
            begins, ends = walk._times(body, 0.0, None)
            walk.go(body, begins or 0.0, ends, body.get(f"{{{_TTM}}}agent", ""), "",
                    body.get(f"{{{_XML}}}lang", language))
            walks.append(walk)
        relative, counted = walks
        if [(one.start, one.end) for one in relative.found] != [(one.start, one.end) for one in counted.found]:
            script.from_start = relative.misfits > counted.misfits if from_start is None else from_start
        if from_start is not None:
            return (counted if from_start else relative).found
        if relative.misfits > counted.misfits:
            script.problems.append(Problem(
                "absolute_times", "{count} times lie outside of what they stand in, unless they are counted from the "
                "beginning of the document: taken so.", {"count": relative.misfits}))
            return counted.found
        return relative.found

    @staticmethod
    def _languages(found: list[_Paragraph]) -> list[str]:
        """The languages in it, that which most paragraphs are in first."""
        counted = Counter(tag for one in found if (tag := find_tag(one.language)))
        return [tag for tag, _ in counted.most_common()]

    @staticmethod
    def _translated(script: Script, found: list[_Paragraph], language: str, agents: dict[str, str],
                    hints: Hints) -> None:
        """The same in another language: to the lines of the same times; what has none is a line of its own."""
        cues = [_cue(one, number, agents) for number, one in enumerate(found, 1)]
        script.languages.append(language)
        by_start: dict[float, list[ScriptLine]] = {}
        for line in script.lines:
            if line.start is not None:
                by_start.setdefault(round(line.start, 1), []).append(line)
        for told in lines_of_cues(cues, Script(), hints, agents.values()):
            near = by_start.get(round(told.start, 1), []) if told.start is not None else []
            same = next((one for one in near if language not in one.wordings), None)
            if same is not None:
                same.wordings[language] = told.words
            else:
                script.lines.append(ScriptLine(told.speaker, "", told.start, told.end, told.notes, row=told.row,
                                               wordings={language: told.words}))
        script.lines.sort(key=lambda line: (line.start is None, line.start or 0.0))

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        """IMSC 1.1 text profile; only timed lines, which are all that it can hold."""
        for prefix, space in (("", _TT), ("ttp", _TTP), ("ttm", _TTM)):
            ElementTree.register_namespace(prefix, space)
        root = ElementTree.Element(f"{{{_TT}}}tt", {
            f"{{{_XML}}}lang": language or source_language,
            f"{{{_TTP}}}contentProfiles": "http://www.w3.org/ns/ttml/profile/imsc1.1/text"})
        head = ElementTree.SubElement(root, f"{{{_TT}}}head")
        metadata = ElementTree.SubElement(head, f"{{{_TT}}}metadata")
        ids = {}
        for number, name in enumerate(script.speakers, 1):
            ids[name] = f"s{number}"
            agent = ElementTree.SubElement(metadata, f"{{{_TTM}}}agent",
                                           {f"{{{_XML}}}id": ids[name], "type": "character"})
            ElementTree.SubElement(agent, f"{{{_TTM}}}name", {"type": "alias"}).text = name
        body = ElementTree.SubElement(root, f"{{{_TT}}}body")
        division, part = ElementTree.SubElement(body, f"{{{_TT}}}div"), ""
        for line in script.lines:
            words = script.wording(line, language or source_language, source_language)
            if not line.slot or not words:
                continue
            if line.part != part:
                part = line.part
                division = ElementTree.SubElement(body, f"{{{_TT}}}div")
                ElementTree.SubElement(division, f"{{{_TTM}}}title").text = part
            attributes = {"begin": _time(line.slot[0]), "end": _time(line.slot[1]),
                          f"{{{_TTM}}}agent": ids[line.speaker]}
            if line.notes:
                attributes[f"{{{_TTM}}}desc"] = line.notes
            if "  " in words:
                attributes[f"{{{_XML}}}space"] = "preserve"
            if line.on_screen:
                attributes[f"{{{_TTM}}}role"] = "text"
            ElementTree.SubElement(division, f"{{{_TT}}}p", attributes).text = words
        ElementTree.indent(root)
        return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _cue(one: _Paragraph, number: int, agents: dict[str, str]) -> Cue:
    timed = one.start is not None and one.end is not None and one.end > one.start
    # What reads cues takes tags and entities for what they are: here there are none any more.
    return Cue(one.start or 0.0, one.end or 0.0, html.escape(one.text, quote=False), number,
               agents.get(one.agent, one.agent), timed)


def _row(element: ElementTree.Element) -> str:
    return " ".join("".join(element.itertext()).split())


def _text(element: ElementTree.Element, but: Collection[int] = ()) -> str:
    """The words of a paragraph with its line breaks; without children whose identity is in ``but``."""
    keeps = element.get(f"{{{_XML}}}space") == "preserve"
    pieces = [element.text or ""]
    for child in element:
        if _name(child) == "br":
            pieces.append("\ue000")
        elif _name(child) == "span" and id(child) not in but and child.get(f"{{{_TTS}}}ruby") not in _ANNOTATION:
            pieces.append(_text(child))
        pieces.append(child.tail or "")
    text = "".join(pieces)
    rows = text.split("\ue000") if keeps else [" ".join(re.split(r"[ \t\n\r]+", row)) for row in text.split("\ue000")]
    return "\n".join(rows)


def _name(element: ElementTree.Element) -> str:
    return str(element.tag).rsplit("}", 1)[-1]


def _time(seconds: float) -> str:
    whole = round(seconds * 1000)
    return f"{whole // 3_600_000:02d}:{whole // 60_000 % 60:02d}:{whole // 1000 % 60:02d}.{whole % 1000:03d}"


FORMAT = TimedText()
