"""Timed text: TTML 2 and IMSC 1.1 text profile (W3C), with agents as speakers."""

from __future__ import annotations

import re
from collections.abc import Iterator
from xml.etree import ElementTree

from janoglot.core.errors import BadInput, Problem
from janoglot.core.guarded import read_xml, whole_number
from janoglot.core.languages import find_tag
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.limits import check_rows
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.naming import Names

_TT = "http://www.w3.org/ns/ttml"
_TTP = "http://www.w3.org/ns/ttml#parameter"
_TTM = "http://www.w3.org/ns/ttml#metadata"
_XML = "http://www.w3.org/XML/1998/namespace"
_CLOCK = re.compile(r"^(\d{2,3}):(\d{2}):(\d{2})(?:(\.\d{1,9})|:(\d{2,3})(?:\.\d{1,9})?)?$")
_OFFSET = re.compile(r"^(\d{1,12}(?:\.\d{1,9})?)(h|ms|m|s|f|t)$")


class _Clock:
    def __init__(self, root: ElementTree.Element) -> None:
        def number(name: str, default: float) -> float:
            text = root.get(f"{{{_TTP}}}{name}", "")
            return float(text) if re.fullmatch(r"[0-9]{1,9}(\.[0-9]{1,9})?", text) and float(text) > 0 else default

        up, _, down = root.get(f"{{{_TTP}}}frameRateMultiplier", "1 1").partition(" ")
        above, below = whole_number(up), whole_number(down)
        multiplier = above / below if above and below else 1.0
        self._frames = number("frameRate", 30.0) * multiplier
        self._ticks = number("tickRate", number("frameRate", 1.0))

    def seconds(self, text: str) -> float | None:
        """A time expression in seconds; None where it is none."""
        clock = _CLOCK.match(text.strip())
        if clock:
            hours, minutes, seconds, fraction, frames = clock.groups()
            return int(hours) * 3600 + int(minutes) * 60 + int(seconds) + float(fraction or 0) + \
                int(frames or 0) / self._frames
        offset = _OFFSET.match(text.strip())
        if not offset:
            return None
        unit = {"h": 3600.0, "m": 60.0, "s": 1.0, "ms": 0.001, "f": 1 / self._frames, "t": 1 / self._ticks}[offset[2]]
        return float(offset[1]) * unit


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
        agents = {agent.get(f"{{{_XML}}}id", ""): " ".join("".join(agent.itertext()).split())
                  for agent in root.iter() if _name(agent) == "agent"}
        script.source_language = find_tag(root.get(f"{{{_XML}}}lang", "")) or hints.source_language or None
        body = next((child for child in root if _name(child) == "body"), None)
        paragraphs = list(_paragraphs(body, 0.0, "", ""))
        check_rows(len(paragraphs))
        unnamed = (words for one, _, agent, _ in paragraphs if not agent and (words := " ".join(_text(one).split())))
        names = Names(unnamed, [*hints.known, *agents.values()], captions=True)
        for number, (paragraph, start, agent, part) in enumerate(paragraphs, 1):
            self._read(script, paragraph, number, start, agents.get(agent, agent), part, clock, names)
        script.problems += names.problems
        if script.lines and all(line.speaker == UNNAMED for line in script.lines):
            script.problems.append(Problem("no_speakers", "No names: all lines are “{unnamed}”'s.",
                                           {"unnamed": UNNAMED}))
        return script

    @staticmethod
    def _read(script: Script, paragraph: ElementTree.Element, number: int, offset: float, speaker: str, part: str,
              clock: _Clock, names: Names) -> None:
        words = " ".join(_text(paragraph).split())
        if not words:
            return
        start = clock.seconds(paragraph.get("begin", ""))
        end = clock.seconds(paragraph.get("end", ""))
        length = clock.seconds(paragraph.get("dur", ""))
        if start is not None and end is None and length is not None:
            end = start + length
        notes = paragraph.get(f"{{{_TTM}}}desc", "")
        label = None if speaker else names.split(words, number)
        if label and label.words:
            speaker, notes, words = label.name, "; ".join(filter(None, [label.aside, notes])), label.words
        line = ScriptLine(speaker or UNNAMED, words, notes=notes, part=part, row=number,
                          on_screen=paragraph.get(f"{{{_TTM}}}role") in ("caption", "text", "title"))
        if start is None or end is None or end <= start:
            script.problems.append(Problem("bad_time", "Cue {number} has no slot that runs forward: kept without.",
                                           {"number": number}, number))
        else:
            line.start, line.end = round(start + offset, 3), round(end + offset, 3)
        script.lines.append(line)

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
            if line.on_screen:
                attributes[f"{{{_TTM}}}role"] = "text"
            ElementTree.SubElement(division, f"{{{_TT}}}p", attributes).text = words
        ElementTree.indent(root)
        return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _paragraphs(element: ElementTree.Element | None, offset: float, agent: str,
                part: str) -> Iterator[tuple[ElementTree.Element, float, str, str]]:
    """Every p under ``element``, with who and which part is said of what it stands in."""
    if element is None:
        return
    for child in element:
        own = child.get(f"{{{_TTM}}}agent", "").split(" ")[0] or agent
        if _name(child) == "p":
            yield child, offset, own, part
        elif _name(child) == "div":
            title = next((" ".join("".join(one.itertext()).split()) for one in child if _name(one) == "title"), part)
            yield from _paragraphs(child, offset, own, title)


def _text(element: ElementTree.Element) -> str:
    pieces = [element.text or ""]
    for child in element:
        if _name(child) == "br":
            pieces.append(" ")
        elif _name(child) == "span":
            pieces.append(_text(child))
        pieces.append(child.tail or "")
    return "".join(pieces)


def _name(element: ElementTree.Element) -> str:
    return str(element.tag).rsplit("}", 1)[-1]


def _time(seconds: float) -> str:
    whole = round(seconds * 1000)
    return f"{whole // 3_600_000:02d}:{whole // 60_000 % 60:02d}:{whole // 1000 % 60:02d}.{whole % 1000:03d}"


FORMAT = TimedText()
