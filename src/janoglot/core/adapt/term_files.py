"""Termbases in and out: TBX-Basic (ISO 30042) and CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from xml.etree import ElementTree

from janoglot.core.adapt.termbase import TermPair
from janoglot.core.errors import BadInput
from janoglot.core.guarded import read_xml
from janoglot.core.languages import find_tag, primary
from janoglot.core.script.decoding import decode

_LANG = "{http://www.w3.org/XML/1998/namespace}lang"
_STATUS = ("administrativeStatus", "normativeAuthorization")
_FORBIDDEN = {"deprecatedTerm-admn-sts", "supersededTerm-admn-sts"}
_PREFERRED = "preferredTerm-admn-sts"
MOST_TERMS = 20_000


def write_tbx(terms: Iterable[TermPair], source_language: str, language: str) -> str:
    """TBX-Basic of 2019 (version 3, DCA style): a concept for each term."""
    root = ElementTree.Element("tbx", {"type": "TBX-Basic", "style": "dca", _LANG: source_language,
                                       "xmlns": "urn:iso:std:iso:30042:ed-2"})
    header = ElementTree.SubElement(ElementTree.SubElement(root, "tbxHeader"), "fileDesc")
    ElementTree.SubElement(ElementTree.SubElement(header, "sourceDesc"), "p").text = "Janoglot"
    body = ElementTree.SubElement(ElementTree.SubElement(root, "text"), "body")
    for number, term in enumerate(terms, 1):
        entry = ElementTree.SubElement(body, "conceptEntry", id=f"c{number}")
        if term.note:
            ElementTree.SubElement(entry, "note").text = term.note
        for tag, text, status in ((source_language, term.source, ""),
                                  (language, term.text, "deprecatedTerm-admn-sts" if term.forbidden else _PREFERRED)):
            if not text:
                continue
            section = ElementTree.SubElement(ElementTree.SubElement(entry, "langSec", {_LANG: tag}), "termSec")
            ElementTree.SubElement(section, "term").text = text
            if status:
                ElementTree.SubElement(section, "termNote", type="administrativeStatus").text = status
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def read_tbx(content: bytes, source_language: str, language: str) -> list[TermPair]:
    """TBX of either edition, the terms of these two languages. Raises BadInput."""
    root = read_xml(content, "termbase (TBX)")
    if _name(root) not in ("tbx", "martif"):
        raise BadInput("This is no termbase (TBX); it begins with <{tag}>.", tag=_name(root))
    found: list[TermPair] = []
    for number, entry in enumerate(_outermost(root, ("conceptEntry", "termEntry")), 1):
        if number > MOST_TERMS:
            raise BadInput("A termbase may have {most} terms at most.", most=MOST_TERMS)
        # What kind of note it is stands in an attribute, or (the other style of the standard) in the tag.
        notes = {child.get("type") or _name(child): child.text or "" for child in entry}
        note = notes.get("note") or notes.get("definition") or ""
        sources: list[str] = []
        targets: list[tuple[str, bool]] = []
        for section in _outermost(entry, ("langSec", "langSet")):
            tag = primary(find_tag(section.get(_LANG) or section.get("lang") or "") or "")
            for group in _outermost(section, ("termSec", "tig", "ntig")):
                text = next((one.text or "" for one in group.iter() if _name(one) == "term"), "").strip()
                status = {(one.text or "").strip() for one in group.iter()
                          if (one.get("type") if _name(one) == "termNote" else _name(one)) in _STATUS}
                if text and tag == primary(source_language):
                    sources.append(text)
                elif text and tag == primary(language):
                    targets.append((text, bool(status & _FORBIDDEN)))
        found += _pairs(sources, targets, note.strip())
        if len(found) > MOST_TERMS:
            raise BadInput("A termbase may have {most} terms at most.", most=MOST_TERMS)
    return found


def _pairs(sources: list[str], targets: list[tuple[str, bool]], note: str) -> list[TermPair]:
    wanted = [text for text, forbidden in targets if not forbidden]
    terms = [TermPair("", text, True, note) for text, forbidden in targets if forbidden]
    return [*(TermPair(source, text, False, note) for source in sources for text in wanted[:1]), *terms]


def _outermost(element: ElementTree.Element, names: tuple[str, ...]) -> Iterator[ElementTree.Element]:
    """Elements so called under ``element``, without those that stand in another one of them: each is read once."""
    for child in element:
        if _name(child) in names:
            yield child
        else:
            yield from _outermost(child, names)


def _name(element: ElementTree.Element) -> str:
    return str(element.tag).split("}")[-1]


_HEADS = {"source": "source", "source term": "source", "from": "source", "term": "source", "target": "text",
          "to": "text", "translation": "text", "text": "text", "target term": "text", "forbidden": "forbidden",
          "not": "forbidden",
          "do not use": "forbidden", "note": "note", "notes": "note", "comment": "note"}
_YES = {"yes", "y", "true", "1", "x", "forbidden"}


def write_csv(terms: Iterable[TermPair]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["source", "text", "forbidden", "note"])
    for term in terms:
        writer.writerow([_plain(term.source), _plain(term.text), "yes" if term.forbidden else "", _plain(term.note)])
    return out.getvalue()


def _plain(text: str) -> str:
    """No cell begins a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def read_csv(content: bytes, source_language: str, language: str) -> list[TermPair]:
    """A table with a column for the source and one for the language, named so or by their tags. Raises BadInput."""
    text = decode(content, wanted="A termbase is a TBX file, or a CSV file with a column for each language: choose one "
                  "of these.").text
    head = text.lstrip().partition("\n")[0]
    delimiter = max(",;\t", key=head.count)
    rows = [row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if any(cell.strip() for cell in row)]
    if not rows:
        raise BadInput("There are no terms in this table.")
    columns: dict[str, int] = {}
    for number, head in enumerate(rows[0]):
        name = _HEADS.get(" ".join(head.lower().split()))
        tag = None if name else find_tag(head)
        if tag:
            kinds = {primary(source_language): "source", primary(language): "text"}
            name = kinds.get(primary(tag))
        if name:
            columns.setdefault(name, number)
    if "text" not in columns:
        raise BadInput("No column of this table says how the terms are said: name it “text” or “{tag}”.", tag=language)
    found = []
    for row in rows[1: MOST_TERMS + 1]:
        cells = {name: row[at].strip().removeprefix("'") if at < len(row) else "" for name, at in columns.items()}
        forbidden = cells.get("forbidden", "").lower() in _YES
        if cells["text"] or cells.get("source"):
            found.append(TermPair("" if forbidden else cells.get("source", ""), cells["text"], forbidden,
                              cells.get("note", "")))
    return found


def read_terms(content: bytes, filename: str, source_language: str, language: str) -> list[TermPair]:
    """By its ending: .tbx and .xml are TBX, everything else is a table."""
    if filename.lower().endswith((".tbx", ".xml")) or content.lstrip()[:1] == b"<":
        return read_tbx(content, source_language, language)
    return read_csv(content, source_language, language)
