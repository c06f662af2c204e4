"""Captions as files: SRT, WebVTT, WebVTT word by word, IMSC 1.1 and EBU-TT-D.

Sources: WebVTT (W3C); TTML 2 and IMSC 1.1 text profile (W3C); EBU-TT-D (EBU Tech 3380).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

from lxml import etree

from janoglot.core.deliver.caption_rules import CaptionStyle
from janoglot.core.languages import direction
from janoglot.core.script.formats.cues import Cue
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.script.formats.webvtt import write_webvtt
from janoglot.core.script.times import write_time

FORMATS = ("srt", "vtt", "words.vtt", "imsc.ttml", "ebu-tt-d.xml", "stl")
_TT, _TTP = "http://www.w3.org/ns/ttml", "http://www.w3.org/ns/ttml#parameter"
_TTS, _TTM = "http://www.w3.org/ns/ttml#styling", "http://www.w3.org/ns/ttml#metadata"
_EBUTTM, _XML = "urn:ebu:tt:metadata", "http://www.w3.org/XML/1998/namespace"
_MAP = {None: _TT, "ttp": _TTP, "tts": _TTS, "ttm": _TTM}


def written_captions(form: str, cues: Sequence[Cue], language: str, style: CaptionStyle,
                     words: Sequence[tuple[float, str]] = (), title: str = "") -> str:
    """The text of a caption file, of any that is text. ``words``: when each word begins, in order, for captions word by
    word."""
    if form == "srt":
        return write_srt(cues)
    if form == "vtt":
        return _placed(write_webvtt(cues), cues)
    if form == "words.vtt":
        return _placed(_by_word(cues, words), cues)
    return _timed_text(cues, language, style, title, form.startswith("ebu"))


def _placed(text: str, cues: Sequence[Cue]) -> str:
    """Where two speak at once the later one's words stand above the other's."""
    above = standing_above(cues)
    blocks = text.split("\n\n")
    # The first block is the file's head.
    for number in above:
        blocks[number + 1] = re.sub(r"( --> \S+)", r"\1 line:8%", blocks[number + 1], count=1)
    return "\n\n".join(blocks)


def standing_above(cues: Sequence[Cue]) -> set[int]:
    """The captions (from 0) that stand above: the later of two who speak at once, and what is on the screen while
    somebody speaks."""
    spoken = [number for number, cue in enumerate(cues) if cue.speaker]
    rows = spoken or list(range(len(cues)))
    above = {number for before, number in pairwise(rows) if cues[number].start < cues[before].end - 0.0005}
    return above | (set(range(len(cues))) - set(rows))


def _by_word(cues: Sequence[Cue], words: Sequence[tuple[float, str]]) -> str:
    """Each word with the time at which it is said; the words are those of the captions in their order, wherever rows
    and captions are broken, so that they are told by their letters."""
    letters = [(letter, start if at == 0 else None) for start, word in words
               for at, letter in enumerate("".join(word.split()))]
    upto = 0
    blocks = ["WEBVTT\n"]
    for cue in cues:
        spoken_by = r"\s+".join(map(re.escape, f"{cue.speaker}:".split())) + r"\s+"
        name = re.match(spoken_by, cue.text) if cue.speaker else None
        begin = name.end() if name else 0
        text = _escaped(cue.text[:begin])
        for letter in cue.text[begin:]:
            # What is on the screen nobody says.
            if cue.speaker and not letter.isspace() and upto < len(letters) and letters[upto][0] == letter:
                when = letters[upto][1]
                upto += 1
                if when is not None and cue.start < when < cue.end:
                    text += f"<{write_time(when)}>"
            text += _escaped(letter)
        voice = f"<v {_escaped(cue.speaker)}>" if cue.speaker else ""
        blocks.append(f"{write_time(cue.start)} --> {write_time(cue.end)}\n{voice}{text}\n")
    return "\n".join(blocks)


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _clock(seconds: float) -> str:
    whole = round(seconds * 1000)
    return f"{whole // 3_600_000:02}:{whole // 60_000 % 60:02}:{whole // 1000 % 60:02}.{whole % 1000:03}"


def _timed_text(cues: Sequence[Cue], language: str, style: CaptionStyle, title: str, ebu: bool) -> str:
    spaces = {**_MAP, "ebuttm": _EBUTTM} if ebu else _MAP
    root = etree.Element(f"{{{_TT}}}tt", nsmap=spaces)
    root.set(f"{{{_XML}}}lang", language)
    root.set(f"{{{_TTP}}}cellResolution", f"{max(style.columns, 32)} 15")
    if ebu:
        root.set(f"{{{_TTP}}}timeBase", "media")
    else:
        root.set(f"{{{_TTP}}}contentProfiles", "http://www.w3.org/ns/ttml/profile/imsc1.1/text")
    head = etree.SubElement(root, f"{{{_TT}}}head")
    metadata = etree.SubElement(head, f"{{{_TT}}}metadata")
    if title:
        etree.SubElement(metadata, f"{{{_TTM}}}title").text = title
    if ebu:
        about = etree.SubElement(metadata, f"{{{_EBUTTM}}}documentMetadata")
        etree.SubElement(about, f"{{{_EBUTTM}}}conformsToStandard").text = "urn:ebu:tt:distribution:2018-04"
    ids: dict[str, str] = {}
    for cue in cues:
        if cue.speaker and cue.speaker not in ids and not ebu:
            ids[cue.speaker] = f"a{len(ids) + 1}"
            agent = etree.SubElement(metadata, f"{{{_TTM}}}agent", {f"{{{_XML}}}id": ids[cue.speaker],
                                                                    "type": "character"})
            etree.SubElement(agent, f"{{{_TTM}}}name", type="alias").text = cue.speaker
    styling = etree.SubElement(head, f"{{{_TT}}}styling")
    way = direction(language)
    # The size of letters is of a cell's height, where a size of rows is 1/15 of the picture's.
    etree.SubElement(styling, f"{{{_TT}}}style", {
        f"{{{_XML}}}id": "words", f"{{{_TTS}}}color": "#ffffff", f"{{{_TTS}}}backgroundColor": "#000000c2",
        f"{{{_TTS}}}fontFamily": "proportionalSansSerif", f"{{{_TTS}}}fontSize": "100%",
        f"{{{_TTS}}}lineHeight": "125%"})
    etree.SubElement(styling, f"{{{_TT}}}style", {
        f"{{{_XML}}}id": "rows", f"{{{_TTS}}}textAlign": "center", f"{{{_TTS}}}direction": way,
        **({f"{{{_TTS}}}unicodeBidi": "embed"} if way == "rtl" else {})})
    layout = etree.SubElement(head, f"{{{_TT}}}layout")
    for name, origin, align in (("low", "10% 70%", "after"), ("high", "10% 8%", "before")):
        etree.SubElement(layout, f"{{{_TT}}}region", {
            f"{{{_XML}}}id": name, f"{{{_TTS}}}origin": origin, f"{{{_TTS}}}extent": "80% 24%",
            f"{{{_TTS}}}displayAlign": align, f"{{{_TTS}}}overflow": "visible"})
    body = etree.SubElement(root, f"{{{_TT}}}body")
    division = etree.SubElement(body, f"{{{_TT}}}div")
    above = standing_above(cues)
    for number, cue in enumerate(cues, 1):
        attributes = {f"{{{_XML}}}id": f"c{number}", "begin": _clock(cue.start), "end": _clock(cue.end),
                      "region": "high" if number - 1 in above else "low", "style": "rows"}
        if cue.speaker in ids:
            attributes[f"{{{_TTM}}}agent"] = ids[cue.speaker]
        paragraph = etree.SubElement(division, f"{{{_TT}}}p", attributes)
        for row, text in enumerate(cue.text.split("\n")):
            if row:
                etree.SubElement(paragraph, f"{{{_TT}}}br")
            etree.SubElement(paragraph, f"{{{_TT}}}span", style="words").text = text
    return str(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True).decode())
