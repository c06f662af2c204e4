"""Captions in a package, on the dub's own times."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path

from lxml import etree

from janoglot.core.deliver.caption_formats import FORMATS, written_captions
from janoglot.core.deliver.caption_rules import CaptionStyle, check_captions, pairs_of_names
from janoglot.core.deliver.captions import CaptionLine, caption_lines, captions, readable
from janoglot.core.deliver.contents import words_in_time
from janoglot.core.deliver.deliverable import Data, Material, Need, Report, Stores, require
from janoglot.core.deliver.items import YES_NO, Choice, ItemKind, MadeFile, Value, need
from janoglot.core.script.formats.cues import Cue, read_cues
from janoglot.core.script.model import Script
from janoglot.core.speech.takes import WordMark

_ROUNDED = 0.0015
"""Seconds: files hold whole milliseconds."""


def style_of(choices: Mapping[str, Value]) -> CaptionStyle:
    """Raises BadInput."""
    return CaptionStyle(int(str(choices["columns"])), int(str(choices["rows"])), float(str(choices["fastest"])),
                        names=bool(choices["names"])).checked()


CAPTION_CHOICES = {"columns": Choice(42, low=12, high=80), "rows": Choice(2, low=1, high=4),
                   "fastest": Choice(20.0, low=5, high=60), "names": Choice(False, YES_NO)}


def captions_told(material: Material, style: CaptionStyle) -> Data:
    """All that an edition's captions are made of."""
    plan = material.plan()
    return {"lines": [asdict(line) for line in caption_lines(plan)], "seconds": plan.seconds, "style": style.as_json(),
            "language": material.language, "names": sorted(pairs_of_names(material.names())),
            "title": material.production}


def cues_told(order: Data) -> list[Cue]:
    lines = [CaptionLine(**{**line, "marks": [WordMark(**mark) for mark in line["marks"]]}) for line in order["lines"]]
    style = CaptionStyle(**order["style"])
    return readable(captions(lines, style, order["language"], order["names"]), style, order["seconds"])


def _write_down(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    order = {**captions_told(materials[0], style_of(choices)), "format": choices["format"]}
    return {**order, "words": words_in_time(materials[0].plan())} if choices["format"] == "words.vtt" else order


def _make(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    cues, style = cues_told(order), CaptionStyle(**order["style"])
    place = folder / f"captions.{order['format']}"
    place.write_text(written_captions(order["format"], cues, order["language"], style,
                                      [(at, word) for at, word in order.get("words", ())], order["title"]),
                     encoding="utf-8", newline="\n")
    faults = check_captions(cues, style, order["language"], order["names"])
    told: Report = {"cues": float(len(cues)), "caption_faults": float(len(faults)),
                    "fastest": round(max((len(cue.text) / max(cue.end - cue.start, 0.001) for cue in cues),
                                         default=0.0), 1)}
    return [MadeFile(place.name, order["format"], {"what": "captions"}, told)]


def _check(order: Data, place: Path, file: MadeFile) -> Report:
    wanted = cues_told(order)
    found = read_again(place)
    require(len(found) == len(wanted), "Read again it holds {found} captions, not {wanted}.", found=len(found),
            wanted=len(wanted))
    for (start, end), meant in zip(found, wanted, strict=True):
        require(abs(start - meant.start) <= _ROUNDED and abs(end - meant.end) <= _ROUNDED,
                "The caption at {at:.3f} s is not what it should be.", at=meant.start)
        require(end <= order["seconds"] + _ROUNDED, "The caption at {at:.3f} s outlasts the track.", at=start)
    return {}


def read_again(place: Path) -> list[tuple[float, float]]:
    """When each caption of a file is shown: from its own text, whatever made it."""
    text = place.read_text(encoding="utf-8")
    if not text.startswith("<?xml"):
        return [(cue.start, cue.end) for cue in read_cues(text, Script())]
    root = etree.fromstring(text.encode(), etree.XMLParser(resolve_entities=False, no_network=True))

    def seconds(clock: str | None) -> float:
        hours, minutes, rest = str(clock).split(":")
        return int(hours) * 3600 + int(minutes) * 60 + float(rest)

    return [(seconds(one.get("begin")), seconds(one.get("end")))
            for one in root.iter("{http://www.w3.org/ns/ttml}p")]


CAPTIONS = ItemKind("captions", "edition", {"format": Choice("srt", FORMATS), **CAPTION_CHOICES},
                    "{language}/{production}_{language}", need(Need.VOICED, Need.READ), _write_down, _make, _check)
ITEMS = (CAPTIONS,)
