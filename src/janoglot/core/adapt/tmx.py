"""Translation memories in and out as TMX 1.4 (LISA OSCAR standard)."""

from __future__ import annotations

from collections.abc import Iterable
from xml.etree import ElementTree

from janoglot.core.adapt.memory import Unit
from janoglot.core.errors import BadInput
from janoglot.core.guarded import read_xml
from janoglot.core.languages import find_tag, primary

_LANG = "{http://www.w3.org/XML/1998/namespace}lang"
MOST_UNITS = 200_000
# Inline codes: of some only the tail is text, the code itself is another program's mark-up.
_CODES = {"bpt", "ept", "it", "ph", "ut"}


def write_tmx(units: Iterable[Unit], source_language: str, language: str) -> str:
    root = ElementTree.Element("tmx", version="1.4")
    ElementTree.SubElement(root, "header", {
        "creationtool": "janoglot", "creationtoolversion": "1", "segtype": "sentence", "o-tmf": "janoglot",
        "adminlang": "en", "srclang": source_language, "datatype": "plaintext"})
    body = ElementTree.SubElement(root, "body")
    for unit in units:
        entry = ElementTree.SubElement(body, "tu")
        if unit.origin:
            ElementTree.SubElement(entry, "note").text = unit.origin
        for tag, text in ((source_language, unit.source), (language, unit.text)):
            variant = ElementTree.SubElement(entry, "tuv", {_LANG: tag})
            ElementTree.SubElement(variant, "seg").text = _clean(text)
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def read_tmx(content: bytes, source_language: str, language: str) -> list[Unit]:
    """The pairs of these two languages, whatever their countries; a pair of the very countries goes last, and so
    before others. Raises BadInput for what is no TMX, or too much of it."""
    root = read_xml(content, "translation memory (TMX)")
    if root.tag.split("}")[-1] != "tmx":
        raise BadInput("This is no translation memory (TMX); it begins with <{tag}>.", tag=root.tag.split("}")[-1])
    exact: list[Unit] = []
    near: list[Unit] = []
    for number, entry in enumerate(root.iter("tu")):
        if number >= MOST_UNITS:
            raise BadInput("A translation memory may have {most} units at most.", most=MOST_UNITS)
        texts: dict[str, str] = {}
        for variant in entry.iter("tuv"):
            tag = find_tag(variant.get(_LANG) or variant.get("lang") or "") or ""
            segment = variant.find("seg")
            if tag and segment is not None:
                texts[tag] = " ".join(_text(segment).split())
        sources = [tag for tag in texts if primary(tag) == primary(source_language)]
        targets = [tag for tag in texts if primary(tag) == primary(language)]
        for one in sources:
            for other in targets:
                if one != other and texts[one] and texts[other]:
                    same = (one == source_language) and (other == language)
                    (exact if same else near).append(Unit(texts[one], texts[other]))
    return near + exact


def _text(element: ElementTree.Element) -> str:
    text = "" if element.tag in _CODES else element.text or ""
    for child in element:
        text += _text(child) + (child.tail or "")
    return text


def _clean(text: str) -> str:
    """Without what XML cannot hold."""
    return "".join(ch for ch in text if ch in "\t\n\r" or ord(ch) >= 32)
