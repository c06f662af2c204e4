"""Captions in a package, on the dub's own times."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path

from lxml import etree

from janoglot.core.deliver.caption_formats import FORMATS, standing_above, written_captions
from janoglot.core.deliver.caption_rules import CaptionStyle, check_captions, pairs_of_names
from janoglot.core.deliver.captions import CaptionLine, caption_lines, captions, readable
from janoglot.core.deliver.contents import words_in_time
from janoglot.core.deliver.deliverable import Data, Material, Need, Report, Stores, require
from janoglot.core.deliver.ebu_stl import write_stl
from janoglot.core.deliver.items import YES_NO, Choice, ItemKind, MadeFile, Value, need
from janoglot.core.errors import BadInput
from janoglot.core.script.formats.cues import Cue, read_cues
from janoglot.core.script.model import Script
from janoglot.core.speech.takes import WordMark

_ROUNDED = 0.0015
"""Seconds: files hold whole milliseconds."""
_FRAME = 0.041
"""… or frames; one that is shown for less than a frame is shown for one."""


def style_of(choices: Mapping[str, Value]) -> CaptionStyle:
    """Raises BadInput."""
    return CaptionStyle(int(str(choices["columns"])), int(str(choices["rows"])), float(str(choices["fastest"])),
                        names=bool(choices["names"])).checked()


CAPTION_CHOICES = {"columns": Choice(42, low=12, high=80), "rows": Choice(2, low=1, high=4),
                   "fastest": Choice(20.0, low=5, high=60), "names": Choice(False, YES_NO),
                   "shows": Choice("speech", ("speech", "on screen", "both"))}
"""``shows``: what is said, what is read on the screen (for those who hear the dub: forced captions), or both."""


def captions_told(material: Material, style: CaptionStyle, shows: Value = "speech") -> Data:
    """All that an edition's captions are made of. Raises BadInput where what they are to show is not there."""
    plan = material.plan()
    spoken = caption_lines(plan) if shows != "on screen" else []
    seen = on_screen_lines(material, plan.seconds) if shows != "speech" else []
    if shows == "on screen" and not seen:
        raise BadInput("Nothing is read on the screen here, at a time that is known.")
    return {"lines": [asdict(line) for line in spoken], "seconds": plan.seconds, "style": style.as_json(),
            "language": material.language, "names": sorted(pairs_of_names(material.names())),
            "title": material.production, "seen": [asdict(line) for line in seen]}


def on_screen_lines(material: Material, seconds: float) -> list[CaptionLine]:
    """What is read on the screen, at its slots in the edition's programme: later by what the picture was held until
    then."""
    holds = material.holds()
    found = []
    for line in material.lines():
        if not line.on_screen or line.slot_in is None or line.slot_out is None or not line.words.strip():
            continue
        start, end = (at + sum(hold.seconds for hold in holds if hold.at <= at) for at in (line.slot_in, line.slot_out))
        if start < seconds:
            found.append(CaptionLine("", " ".join(line.words.split()), start, min(end, seconds)))
    return found


def cues_told(order: Data) -> list[Cue]:
    lines = [CaptionLine(**{**line, "marks": [WordMark(**mark) for mark in line["marks"]]}) for line in order["lines"]]
    style = CaptionStyle(**order["style"])
    spoken = readable(captions(lines, style, order["language"], order["names"]), style, order["seconds"])
    seen = captions([CaptionLine(**line) for line in order.get("seen", ())], style, order["language"], order["names"])
    return sorted([*spoken, *seen], key=lambda cue: cue.start) if seen else spoken


def _write_down(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    order = {**captions_told(materials[0], style_of(choices), choices["shows"]), "format": choices["format"]}
    if choices["format"] == "stl":
        order = {**order, "fps": materials[0].fps}
        _stl(order, cues_told(order))
    by_word = choices["format"] == "words.vtt" and choices["shows"] != "on screen"
    return {**order, "words": words_in_time(materials[0].plan())} if by_word else order


def _stl(order: Data, cues: Sequence[Cue]) -> bytes:
    """Raises BadInput for letters that the format has not."""
    return write_stl(cues, order["language"], CaptionStyle(**order["style"]), order["title"],
                     frozenset(standing_above(cues)), order["fps"], time.strftime("%y%m%d"))


def _make(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    cues, style = cues_told(order), CaptionStyle(**order["style"])
    place = folder / f"captions.{order['format']}"
    if order["format"] == "stl":
        place.write_bytes(_stl(order, cues))
    else:
        words = [(at, word) for at, word in order.get("words", ())]
        place.write_text(written_captions(order["format"], cues, order["language"], style, words, order["title"]),
                         encoding="utf-8", newline="\n")
    faults = check_captions(cues, style, order["language"], order["names"])
    told: Report = {"cues": float(len(cues)), "caption_faults": float(len(faults)),
                    "fastest": round(max((len(cue.text) / max(cue.end - cue.start, 0.001) for cue in cues),
                                         default=0.0), 1)}
    what = "captions" if order["lines"] else "on-screen"
    return [MadeFile(place.name, order["format"], {"what": what}, told)]


def _check(order: Data, place: Path, file: MadeFile) -> Report:
    wanted = cues_told(order)
    found = read_again(place)
    require(len(found) == len(wanted), "Read again it holds {found} captions, not {wanted}.", found=len(found),
            wanted=len(wanted))
    near = _FRAME if order["format"] == "stl" else _ROUNDED
    for (start, end), meant in zip(found, wanted, strict=True):
        require(abs(start - meant.start) <= near and abs(end - meant.end) <= near,
                "The caption at {at:.3f} s is not what it should be.", at=meant.start)
        require(end <= order["seconds"] + near, "The caption at {at:.3f} s outlasts the track.", at=start)
    return {}


def read_again(place: Path) -> list[tuple[float, float]]:
    """When each caption of a file is shown: from its own text, whatever made it."""
    if place.suffix == ".stl":
        return _shown(place.read_bytes())
    text = place.read_text(encoding="utf-8")
    if not text.startswith("<?xml"):
        return [(cue.start, cue.end) for cue in read_cues(text, Script())]
    root = etree.fromstring(text.encode(), etree.XMLParser(resolve_entities=False, no_network=True))

    def seconds(clock: str | None) -> float:
        hours, minutes, rest = str(clock).split(":")
        return int(hours) * 3600 + int(minutes) * 60 + float(rest)

    return [(seconds(one.get("begin")), seconds(one.get("end")))
            for one in root.iter("{http://www.w3.org/ns/ttml}p")]


_GSI, _TTI, _LAST = 1024, 128, 0xFF


def _shown(data: bytes) -> list[tuple[float, float]]:
    """The times of an EBU STL file's blocks (EBU Tech 3264, 5): of each caption one, its last."""
    fps = int(data[6:8])

    def seconds(code: bytes) -> float:
        return code[0] * 3600 + code[1] * 60 + code[2] + code[3] / fps

    blocks = [data[at:at + _TTI] for at in range(_GSI, len(data) - _TTI + 1, _TTI)]
    return [(seconds(block[5:9]), seconds(block[9:13])) for block in blocks if block[3] == _LAST and not block[15]]


CAPTIONS = ItemKind("captions", "edition", {"format": Choice("srt", FORMATS), **CAPTION_CHOICES},
                    "{language}/{production}_{language}", need(Need.VOICED, Need.READ), _write_down, _make, _check,
                    version=2)
ITEMS = (CAPTIONS,)
