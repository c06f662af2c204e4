"""Talking books: EPUB 3 with media overlays, and a packaged W3C audiobook.

Sources: EPUB 3.2 and EPUB Media Overlays 3.2 (W3C); Audiobooks and Lightweight Packaging Format (W3C).
"""

from __future__ import annotations

import json
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from itertools import pairwise
from pathlib import Path
from typing import Any

import soundfile
from lxml import etree

from janoglot.core.deliver.caption_items import captions_told
from janoglot.core.deliver.caption_rules import CaptionStyle
from janoglot.core.deliver.deliverable import Data, Material, Need, Report, Stores, require
from janoglot.core.deliver.encoding import AudioFormat, cut_out, encode, measured
from janoglot.core.deliver.items import YES_NO, Choice, ItemKind, MadeFile, Value, need
from janoglot.core.deliver.sound_items import mix_as_wav
from janoglot.core.graph import recipe_hash
from janoglot.core.languages import direction

_XHTML, _EPUB, _SMIL = "http://www.w3.org/1999/xhtml", "http://www.idpf.org/2007/ops", "http://www.w3.org/ns/SMIL"
_OPF, _DC = "http://www.idpf.org/2007/opf", "http://purl.org/dc/elements/1.1/"
_CONTAINER = "urn:oasis:names:tc:opendocument:xmlns:container"
_XML = "http://www.w3.org/XML/1998/namespace"
_STYLE = """body { font-family: serif; line-height: 1.5; margin: 5%; }
h1 { font-size: 1.4em; } .who { font-size: .8em; letter-spacing: .04em; display: block; opacity: .75; }
p { margin: 0 0 .9em; } .heard { background: #ffe2a6; color: #1c2326; }
"""


def _write_down(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    material = materials[0]
    key, lufs, seconds = material.mix()
    told = captions_told(material, CaptionStyle())
    plan = material.plan()
    parts = [asdict(part) for part in material.parts()] or [{"name": material.production, "start": 0.0, "end": seconds}]
    lines = [{**line, "number": planned.number} for line, planned in zip(told["lines"], plan.lines, strict=True)]
    return {"mix": key, "lufs": lufs, "seconds": seconds, "parts": parts, "lines": lines, "title": material.production,
            "language": material.language, "by_word": bool(choices.get("by_word", True)), "made": material.made(),
            "kbps": int(str(choices["kbps"])), "format": choices["format"]}


def _chapters(order: Data, stores: Stores, folder: Path) -> list[tuple[Data, Path]]:
    """The sound of each part as a file, by the moments at which parts begin."""
    found = []
    form = AudioFormat("mp3", kbps=order["kbps"])
    with mix_as_wav(order["mix"], stores, folder) as wav, soundfile.SoundFile(wav) as file:
        for number, part in enumerate(order["parts"], 1):
            low, high = round(part["start"] * file.samplerate), round(part["end"] * file.samplerate)
            if number == len(order["parts"]):
                high = file.frames
            plain = folder / "plain.wav"
            cut_out(file, low, high, plain)
            place = folder / f"chapter-{number:03}.mp3"
            encode(plain, place, form)
            plain.unlink()
            found.append((part, place))
    return found


def _bytes(root: etree._Element, doctype: str | None = None) -> bytes:
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=False, doctype=doctype))


def _page(language: str, title: str) -> tuple[etree._Element, etree._Element]:
    root = etree.Element(f"{{{_XHTML}}}html", nsmap={None: _XHTML, "epub": _EPUB})
    root.set("lang", language)
    root.set(f"{{{_XML}}}lang", language)
    root.set("dir", direction(language))
    head = etree.SubElement(root, f"{{{_XHTML}}}head")
    etree.SubElement(head, f"{{{_XHTML}}}title").text = title
    etree.SubElement(head, f"{{{_XHTML}}}link", rel="stylesheet", type="text/css", href="style.css")
    return root, etree.SubElement(root, f"{{{_XHTML}}}body", id="all")


def _text_and_sound(order: Data, number: int, part: Data) -> tuple[bytes, bytes, float]:
    """A chapter's page, its overlay, and how many seconds of it are read along."""
    page, body = _page(order["language"], part["name"] or order["title"])
    etree.SubElement(body, f"{{{_XHTML}}}h1").text = part["name"] or order["title"]
    smil = etree.Element(f"{{{_SMIL}}}smil", nsmap={None: _SMIL, "epub": _EPUB}, version="3.0")
    sequence = etree.SubElement(etree.SubElement(smil, f"{{{_SMIL}}}body"), f"{{{_SMIL}}}seq", id="all")
    sequence.set(f"{{{_EPUB}}}textref", f"chapter-{number:03}.xhtml#all")
    last = number == len(order["parts"])
    lines = [line for line in order["lines"] if part["start"] - 0.001 <= line["start"] and (
        last or line["start"] < part["end"] - 0.001)]
    read: list[tuple[float, str, str]] = []
    for line in sorted(lines, key=lambda one: one["start"]):
        paragraph = etree.SubElement(body, f"{{{_XHTML}}}p", id=f"l{line['number']}")
        who = etree.SubElement(paragraph, f"{{{_XHTML}}}span")
        who.set("class", "who")
        who.text = line["speaker"]
        for at, (start, text, tail) in enumerate(_spans(order, line), 1):
            span = etree.SubElement(paragraph, f"{{{_XHTML}}}span", id=f"l{line['number']}w{at}")
            span.text, span.tail = text, tail
            read.append((start - part["start"], f"p{line['number']}w{at}", f"l{line['number']}w{at}"))
    # All of the chapter's sound is heard, pauses and music too: from each word to the next, whatever speaks over it.
    begins = [0.0]
    for start, _, _ in read[1:]:
        begins.append(round(max(start, begins[-1] + 0.001), 3))
    lasts = round(max(part["end"] - part["start"], begins[-1] + 0.001), 3)
    heard = lasts
    for (_, identity, place), (low, high) in zip(read, pairwise([*begins, lasts]), strict=False):
        par = etree.SubElement(sequence, f"{{{_SMIL}}}par", id=identity)
        etree.SubElement(par, f"{{{_SMIL}}}text", src=f"chapter-{number:03}.xhtml#{place}")
        etree.SubElement(par, f"{{{_SMIL}}}audio", src=f"chapter-{number:03}.mp3", clipBegin=f"{low:.3f}s",
                         clipEnd=f"{high:.3f}s")
    if not len(sequence):
        # An overlay is of something: of the heading, for as long as the chapter lasts.
        body[0].set("id", "heading")
        par = etree.SubElement(sequence, f"{{{_SMIL}}}par", id="p0")
        etree.SubElement(par, f"{{{_SMIL}}}text", src=f"chapter-{number:03}.xhtml#heading")
        etree.SubElement(par, f"{{{_SMIL}}}audio", src=f"chapter-{number:03}.mp3", clipBegin="0s",
                         clipEnd=f"{lasts:.3f}s")
    return _bytes(page, "<!DOCTYPE html>"), _bytes(smil), heard


def _spans(order: Data, line: Data) -> list[tuple[float, str, str]]:
    """What is read along of a line: when it begins, its text, and what stands behind it; by words, where they are
    known, else the line as a whole."""
    words, marks = line["words"], line["marks"]
    if not order["by_word"] or len(marks) < 2:
        return [(line["start"], words, "")]
    found: list[tuple[float, str, str]] = []
    begins = [0, *(mark["at"] for mark in marks[1:]), len(words)]
    for mark, (low, high) in zip(marks, pairwise(begins), strict=True):
        text = words[low:high]
        bare = text.rstrip()
        if bare:
            found.append((line["start"] + mark["start"], bare, text[len(bare):]))
    return found or [(line["start"], words, "")]


def _clock(seconds: float) -> str:
    whole = round(seconds * 1000)
    return f"{whole // 3_600_000}:{whole // 60_000 % 60:02}:{whole // 1000 % 60:02}.{whole % 1000:03}"


def _epub(order: Data, chapters: Sequence[tuple[Data, Path]], place: Path) -> None:
    language, title = order["language"], order["title"]
    identifier = f"urn:janoglot:{recipe_hash('book', mix=order['mix'], title=title)[:32]}"
    pages = [_text_and_sound(order, number, part) for number, (part, _) in enumerate(chapters, 1)]
    package = etree.Element(f"{{{_OPF}}}package", nsmap={None: _OPF, "dc": _DC}, version="3.0")
    package.set("unique-identifier", "book")
    package.set(f"{{{_XML}}}lang", language)
    package.set("dir", direction(language))
    about = etree.SubElement(package, f"{{{_OPF}}}metadata")
    etree.SubElement(about, f"{{{_DC}}}identifier", id="book").text = identifier
    etree.SubElement(about, f"{{{_DC}}}title").text = title
    etree.SubElement(about, f"{{{_DC}}}language").text = language

    def meta(name: str, text: str, refines: str = "") -> None:
        one = etree.SubElement(about, f"{{{_OPF}}}meta", property=name)
        if refines:
            one.set("refines", refines)
        one.text = text

    meta("dcterms:modified", f"{order['made'][:19]}Z")
    meta("media:active-class", "heard")
    meta("media:duration", _clock(sum(seconds for _, _, seconds in pages)))
    for number, (_, _, seconds) in enumerate(pages, 1):
        meta("media:duration", _clock(seconds), f"#overlay{number}")
    for name, text in (("schema:accessMode", "textual"), ("schema:accessMode", "auditory"),
                       ("schema:accessibilityFeature", "synchronizedAudioText"),
                       ("schema:accessModeSufficient", "textual,auditory")):
        meta(name, text)
    manifest = etree.SubElement(package, f"{{{_OPF}}}manifest")

    def item(identity: str, href: str, kind: str, **more: str) -> None:
        one = etree.SubElement(manifest, f"{{{_OPF}}}item", {"id": identity, "href": href, "media-type": kind})
        for name, value in more.items():
            one.set(name.replace("_", "-"), value)

    item("nav", "nav.xhtml", "application/xhtml+xml", properties="nav")
    item("style", "style.css", "text/css")
    spine = etree.SubElement(package, f"{{{_OPF}}}spine")
    spine.set("page-progression-direction", direction(language))
    for number in range(1, len(pages) + 1):
        item(f"text{number}", f"chapter-{number:03}.xhtml", "application/xhtml+xml", media_overlay=f"overlay{number}")
        item(f"overlay{number}", f"chapter-{number:03}.smil", "application/smil+xml")
        item(f"sound{number}", f"chapter-{number:03}.mp3", "audio/mpeg")
        etree.SubElement(spine, f"{{{_OPF}}}itemref", idref=f"text{number}")
    nav, body = _page(language, title)
    section = etree.SubElement(body, f"{{{_XHTML}}}nav", id="toc")
    section.set(f"{{{_EPUB}}}type", "toc")
    etree.SubElement(section, f"{{{_XHTML}}}h1").text = title
    rows = etree.SubElement(section, f"{{{_XHTML}}}ol")
    for number, (part, _) in enumerate(chapters, 1):
        link = etree.SubElement(etree.SubElement(rows, f"{{{_XHTML}}}li"), f"{{{_XHTML}}}a",
                                href=f"chapter-{number:03}.xhtml")
        link.text = part["name"] or title
    container = etree.Element(f"{{{_CONTAINER}}}container", nsmap={None: _CONTAINER}, version="1.0")
    roots = etree.SubElement(container, f"{{{_CONTAINER}}}rootfiles")
    etree.SubElement(roots, f"{{{_CONTAINER}}}rootfile", {"full-path": "book/package.opf",
                                                          "media-type": "application/oebps-package+xml"})
    with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED) as archive:
        # The kind of book comes first and as it is, so that it is known by its first bytes.
        archive.writestr(zipfile.ZipInfo("mimetype"), "application/epub+zip", zipfile.ZIP_STORED)
        archive.writestr("META-INF/container.xml", _bytes(container))
        archive.writestr("book/package.opf", _bytes(package))
        archive.writestr("book/nav.xhtml", _bytes(nav, "<!DOCTYPE html>"))
        archive.writestr("book/style.css", _STYLE)
        for number, ((page, overlay, _), (_, sound)) in enumerate(zip(pages, chapters, strict=True), 1):
            archive.writestr(f"book/chapter-{number:03}.xhtml", page)
            archive.writestr(f"book/chapter-{number:03}.smil", overlay)
            archive.write(sound, f"book/chapter-{number:03}.mp3", zipfile.ZIP_STORED)


def _audiobook(order: Data, chapters: Sequence[tuple[Data, Path]], place: Path) -> None:
    def lasts(sound: Path) -> str:
        return f"PT{measured(sound)[2]:.3f}S"

    told: dict[str, Any] = {
        "@context": ["https://schema.org", "https://www.w3.org/ns/pub-context"],
        "conformsTo": "https://www.w3.org/TR/audiobooks/",
        "type": "Audiobook",
        "id": f"urn:janoglot:{recipe_hash('book', mix=order['mix'], title=order['title'])[:32]}",
        "name": order["title"],
        "inLanguage": order["language"],
        "readingProgression": direction(order["language"]),
        "dateModified": f"{order['made'][:19]}Z",
        "duration": f"PT{order['seconds']:.3f}S",
        "readBy": sorted({line["speaker"] for line in order["lines"]}),
        "readingOrder": [
            {
                "type": "LinkedResource",
                "url": sound.name,
                "encodingFormat": "audio/mpeg",
                "name": part["name"] or order["title"],
                "duration": lasts(sound),
            }
            for part, sound in chapters
        ],
        "resources": [
            {"type": "LinkedResource", "rel": "contents", "url": "index.html", "encodingFormat": "text/html"},
            {"type": "LinkedResource", "url": "style.css", "encodingFormat": "text/css"},
        ],
    }
    page, body = _page(order["language"], order["title"])
    section = etree.SubElement(body, f"{{{_XHTML}}}nav", role="doc-toc")
    rows = etree.SubElement(section, f"{{{_XHTML}}}ol")
    for part, sound in chapters:
        link = etree.SubElement(etree.SubElement(rows, f"{{{_XHTML}}}li"), f"{{{_XHTML}}}a", href=sound.name)
        link.text = part["name"] or order["title"]
    with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("publication.json", json.dumps(told, ensure_ascii=False, indent=1))
        archive.writestr(
            "index.html", etree.tostring(page, encoding="unicode", method="html", doctype="<!DOCTYPE html>")
        )
        archive.writestr("style.css", _STYLE)
        for _, sound in chapters:
            archive.write(sound, sound.name, zipfile.ZIP_STORED)


def _make(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    chapters = _chapters(order, stores, folder)
    place = folder / f"book.{order['format']}"
    (_epub if order["format"] == "epub" else _audiobook)(order, chapters, place)
    return [MadeFile(place.name, order["format"], {"what": "book"}, {"chapters": float(len(chapters)),
                                                                     "seconds": order["seconds"]})]


def _check(order: Data, place: Path, file: MadeFile) -> Report:
    """Every file that is named is there, every page is XML, and every word that is read along is on its page. Whether
    it is an EPUB in all respects, EPUBCheck says in the tests."""
    with zipfile.ZipFile(place) as archive:
        require(archive.testzip() is None, "It cannot be read again.")
        names = set(archive.namelist())
        if order["format"] == "lpf":
            told = json.loads(archive.read("publication.json"))
            require({one["url"] for one in told["readingOrder"]} <= names, "A chapter is not in it.")
            return {}
        package = etree.fromstring(archive.read("book/package.opf"))
        hrefs = [str(one.get("href")) for one in package.iter(f"{{{_OPF}}}item")]
        wanted = {f"book/{href}" for href in hrefs}
        require(wanted <= names, "A file that it names is not in it.")
        count = 0
        for href in hrefs:
            if not href.endswith(".smil"):
                continue
            page = href.removesuffix(".smil") + ".xhtml"
            ids = {one.get("id") for one in etree.fromstring(archive.read(f"book/{page}")).iter()}
            for text in etree.fromstring(archive.read(f"book/{href}")).iter(f"{{{_SMIL}}}text"):
                count += 1
                require(str(text.get("src")).partition("#")[2] in ids, "Words that are read along are not on the page.")
    return {"read_along": float(count), "bytes": float(place.stat().st_size)}


BOOK = ItemKind("talking book", "edition", {"format": Choice("epub", ("epub", "lpf")), "by_word": Choice(True, YES_NO),
                                            "kbps": Choice(0, low=0, high=320)},
                "{language}/{production}_{language}", need(Need.VOICED, Need.FINISHED, Need.READ, Need.MIXED),
                _write_down, _make, _check, version=2)
ITEMS = (BOOK,)
