"""XLIFF 2.0 and 1.2 (OASIS), out and back."""

from __future__ import annotations

import re
from xml.etree import ElementTree

from janoglot.core.adapt.outgoing import Outgoing, OutgoingLine, State, notes_of
from janoglot.core.errors import BadInput
from janoglot.core.guarded import read_xml, whole_number
from janoglot.core.languages import find_tag

V2, V1, SIZES = ("urn:oasis:names:tc:xliff:document:2.0", "urn:oasis:names:tc:xliff:document:1.2",
                 "urn:oasis:names:tc:xliff:sizerestriction:2.0")
_STATES_2: dict[State, str] = {"empty": "initial", "draft": "initial", "edited": "translated", "approved": "final"}
_STATES_1: dict[State, str] = {"empty": "new", "draft": "needs-translation", "edited": "translated",
                              "approved": "final"}
_BACK: dict[str, State] = {"initial": "draft", "translated": "edited", "reviewed": "approved", "final": "approved",
                           "new": "draft", "needs-translation": "draft", "needs-adaptation": "draft",
                           "needs-review-translation": "edited", "signed-off": "approved", "needs-l10n": "draft",
                           "needs-review-adaptation": "edited", "needs-review-l10n": "edited"}
MOST_LINES = 100_000


def write_xliff(outgoing: Outgoing, version: str = "2.0") -> str:
    """``version`` "2.0" or "1.2"."""
    root = _written_1(outgoing) if version == "1.2" else _written_2(outgoing)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _written_2(outgoing: Outgoing) -> ElementTree.Element:
    root = ElementTree.Element("xliff", {"xmlns": V2, "version": "2.0", "srcLang": outgoing.source_language,
                                         "trgLang": outgoing.language, "xmlns:slr": SIZES})
    file = ElementTree.SubElement(root, "file", id="f1", original=outgoing.name)
    _file_notes(ElementTree.SubElement(file, "notes"), outgoing, "category")
    ElementTree.SubElement(file, "slr:profiles", {"generalProfile": "xliff:codepoints"})
    # Children of a file come in this order: module elements, then notes, then units.
    file[:] = [file[1], file[0]]
    for line in outgoing.lines:
        unit = ElementTree.SubElement(file, "unit", {"id": line.tag, "name": f"{line.number} {line.speaker}".strip()})
        if line.longest is not None:
            unit.set("slr:sizeRestriction", str(line.longest))
        if line.locked:
            unit.set("translate", "no")
        notes = ElementTree.SubElement(unit, "notes")
        for category, text in notes_of(line, outgoing):
            ElementTree.SubElement(notes, "note", category=category).text = _clean(text)
        if not len(notes):
            unit.remove(notes)
        segment = ElementTree.SubElement(unit, "segment", id="s1", state=_STATES_2[line.state])
        if line.state == "draft":
            segment.set("subState", "janoglot:draft")
        ElementTree.SubElement(segment, "source").text = _clean(line.source)
        if line.text:
            ElementTree.SubElement(segment, "target").text = _clean(line.text)
    return root


def _written_1(outgoing: Outgoing) -> ElementTree.Element:
    root = ElementTree.Element("xliff", {"xmlns": V1, "version": "1.2"})
    file = ElementTree.SubElement(root, "file", {
        "original": outgoing.name, "datatype": "plaintext", "source-language": outgoing.source_language,
        "target-language": outgoing.language})
    _file_notes(ElementTree.SubElement(file, "header"), outgoing, "from")
    body = ElementTree.SubElement(file, "body")
    for line in outgoing.lines:
        unit = ElementTree.SubElement(body, "trans-unit", {
            "id": line.tag, "resname": f"{line.number} {line.speaker}".strip(),
            "approved": "yes" if line.state == "approved" else "no"})
        if line.longest is not None:
            unit.set("maxwidth", str(line.longest))
            unit.set("size-unit", "char")
        if line.locked:
            unit.set("translate", "no")
        ElementTree.SubElement(unit, "source").text = _clean(line.source)
        if line.text:
            ElementTree.SubElement(unit, "target", state=_STATES_1[line.state]).text = _clean(line.text)
        for category, text in notes_of(line, outgoing):
            ElementTree.SubElement(unit, "note", {"from": category}).text = _clean(text)
    return root


def _file_notes(parent: ElementTree.Element, outgoing: Outgoing, attribute: str) -> None:
    notes = [("address", outgoing.address), ("brief", outgoing.brief)]
    for category, text in [(c, t) for c, t in notes if t] or [("production", outgoing.name)]:
        ElementTree.SubElement(parent, "note", {attribute: category}).text = _clean(text)


def read_xliff(content: bytes) -> Outgoing:
    """XLIFF of any 1.x or 2.x. Segments of a unit are joined, inline codes give their text. Raises BadInput."""
    root = read_xml(content, "XLIFF")
    if _name(root) != "xliff":
        raise BadInput("This is no XLIFF; it begins with <{tag}>.", tag=_name(root))
    two = (root.get("version") or "").startswith("2")
    file = next((child for child in root if _name(child) == "file"), None)
    if file is None:
        raise BadInput("There is no file in this XLIFF.")
    source = root.get("srcLang") if two else file.get("source-language")
    target = root.get("trgLang") if two else file.get("target-language")
    found = Outgoing(file.get("original") or "", find_tag(source or "") or source or "",
                     find_tag(target or "") or target or "")
    for unit in root.iter():
        if _name(unit) != ("unit" if two else "trans-unit"):
            continue
        line = _unit_2(unit) if two else _unit_1(unit)
        if line.id:
            found.lines.append(line)
        if len(found.lines) > MOST_LINES:
            raise BadInput("An XLIFF may have {most} units at most.", most=MOST_LINES)
    return found


def _unit_2(unit: ElementTree.Element) -> OutgoingLine:
    sources: list[str] = []
    targets: list[tuple[int, str]] = []
    states: list[State] = []
    for segment in unit:
        if _name(segment) not in ("segment", "ignorable"):
            continue
        sources.append(_inside(segment, "source"))
        target = next((child for child in segment if _name(child) == "target"), None)
        if target is not None:
            # Segments whose translation comes in another order say where (4.3.1.7 of the standard).
            order = target.get("order") or ""
            targets.append((len(sources) if (place := whole_number(order)) is None else place, _text(target)))
        elif _name(segment) == "ignorable":
            # What lies between segments and has no target of its own is the same in both languages.
            targets.append((len(sources), sources[-1]))
        if _name(segment) == "segment":
            states.append(_BACK.get(segment.get("state") or "initial", "draft"))
    return _line(unit.get("id"), "".join(sources), "".join(text for _, text in sorted(targets, key=lambda one: one[0])),
                 min(states, key=("draft", "edited", "approved").index, default="draft"))


def _unit_1(unit: ElementTree.Element) -> OutgoingLine:
    target = next((child for child in unit if _name(child) == "target"), None)
    said = target.get("state") if target is not None else None
    state: State = _BACK.get(said or "", "edited")
    if unit.get("approved") == "yes":
        state = "approved"
    return _line(unit.get("id"), _inside(unit, "source"), _text(target) if target is not None else "", state)


def _line(line_id: str | None, source: str, text: str, state: State) -> OutgoingLine:
    return OutgoingLine.of_tag(line_id or "", source.strip(), text.strip(), state if text.strip() else "empty")


def _inside(element: ElementTree.Element, name: str) -> str:
    return next((_text(child) for child in element if _name(child) == name), "")


def _text(element: ElementTree.Element) -> str:
    text = "" if _name(element) in ("bpt", "ept", "it", "ph", "bx", "ex", "x", "sc", "ec") else element.text or ""
    for child in element:
        tail = child.tail or ""
        inside = _text(child)
        if _ends_row(child) and not text[-1:].isspace() and not tail[:1].isspace():
            # A line is one row: what stood on two has a space between.
            inside = " "
        text += inside + tail
    return text


def _ends_row(code: ElementTree.Element) -> bool:
    """Whether an inline code is a line break: of 1.2 by ``ctype`` "lb", of 2.x by ``subType`` "xlf:lb"."""
    return _name(code) in ("x", "ph") and (code.get("ctype") == "lb" or code.get("subType") == "xlf:lb")


def _name(element: ElementTree.Element) -> str:
    return str(element.tag).split("}")[-1]


_NOT_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")


def _clean(text: str) -> str:
    return _NOT_XML.sub("", text)
