"""The corpus of ``tests/files`` read by other libraries too: the same cues at the same times with the same words.

They read cues, and we read lines: names, directions and dashes are words to them. So what is compared are the words and
numbers of each cue, taken together, and its times. What differs is in ``DIFFERS``, and said in ``docs/formats.md``.
"""

from __future__ import annotations

import html
import io
import logging
import re
import xml.etree.ElementTree as etree
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pysubs2
import pytest
import screenplain.parsers.fountain
import screenplain.types
import srt
import ttconv.imsc.reader
import ttconv.isd
import webvtt
from translate.storage import xliff
from ttconv import model

from janoglot.core.adapt.outgoing import Outgoing, OutgoingLine
from janoglot.core.adapt.xliff import read_xliff, write_xliff
from janoglot.core.script.decoding import decode
from janoglot.core.script.formats import FORMATS, read_script
from janoglot.core.script.model import Script, ScriptLine
from tests.core.test_captions_elsewhere import ASS, MICRODVD, SAMI

logging.getLogger("ttconv").setLevel(logging.CRITICAL)
FILES = Path(__file__).parents[1] / "files"
Peer = tuple[float, float, str]
TAGS = re.compile(r"</?[a-z][^<>]*>|\\[Nn]", re.IGNORECASE)
NOT_SO = {
    "breaks.en.srt by_pysubs2": "glues the words around <br>",
    "rolling.en.vtt by_webvtt": "says again what rolls up", "rolling.en.vtt by_pysubs2": "says again what rolls up",
    "ruby.ja.ttml by_ttconv": "says what is written above the signs as well",
    "times-added.ttml by_ttconv": "shows nothing in a body or div that begins later and names no end",
    "times-absolute.ttml by_ttconv": "counts times from the div that they stand in, and so beyond its end",
    "times-of-spans.ttml by_ttconv": "knows nothing of the namespaces of 2006",
}
"""Where another library reads a file otherwise, and in what."""


def by_srt(data: bytes) -> Iterator[Peer]:
    for cue in srt.parse(decode(data).text, ignore_errors=True):
        yield cue.start.total_seconds(), cue.end.total_seconds(), TAGS.sub(" ", cue.content)


def by_pysubs2(data: bytes, kind: str | None = None) -> Iterator[Peer]:
    for event in pysubs2.SSAFile.from_string(decode(data).text, format_=kind):
        if not event.is_comment:
            yield event.start / 1000, event.end / 1000, html.unescape(event.plaintext)


def by_webvtt(data: bytes) -> Iterator[Peer]:
    for caption in webvtt.from_buffer(io.BytesIO(data)):
        start, end = (60 * (60 * at.hours + at.minutes) + at.seconds + at.milliseconds / 1000 for at in (caption.start_time, caption.end_time))
        yield start, end, html.unescape(caption.text)


def by_ttconv(data: bytes) -> Iterator[Peer]:
    document = ttconv.imsc.reader.to_model(etree.ElementTree(etree.fromstring(data)))
    shots = ttconv.isd.ISD.generate_isd_sequence(document)
    for (start, shown), (end, _) in zip(shots, shots[1:], strict=False):
        said = " ".join(_text(region) for region in shown.iter_regions()).strip()
        if said:
            yield float(start), float(end), said


def _text(element: Any) -> str:
    if isinstance(element, model.Text):
        return element.get_text()
    if isinstance(element, model.Br):
        return " "
    return "".join(_text(child) for child in element)


def tokens(text: str) -> Counter[str]:
    return Counter(re.findall(r"\w+", text.casefold()))


PEERS = {".srt": (by_srt, by_pysubs2), ".vtt": (by_webvtt, by_pysubs2), ".ttml": (by_ttconv,)}
PAIRS = [pytest.param(place, peer, id=f"{place.name} {peer.__name__}") for place in sorted(FILES.iterdir())
         for peer in PEERS.get(place.suffix, ())]


def agrees(script: Script, theirs: list[Peer]) -> str:
    """Nothing where both read the same; else what is otherwise."""
    of_lines = tokens(" ".join(f"{line.speaker} {line.notes} {line.words} {' '.join(line.wordings.values())}" for line in script.lines))
    spoken = tokens(" ".join(line.words for line in script.lines))
    read = tokens(" ".join(text for _, _, text in theirs))
    if not theirs or read - of_lines or spoken - read:
        return f"lost {dict(read - of_lines)}, not there {dict(spoken - read)}"
    slots = [line.slot for line in script.lines if line.slot]
    starts, ends = ({round(slot[at], 2) for slot in slots} for at in (0, 1))
    beside = tokens(" ".join(f"{line.speaker} {line.notes}" for line in script.lines))
    for start, end, text in theirs:
        # A direction alone, or a name, is no line of ours.
        if (round(start, 2) not in starts or round(end, 2) not in ends) and tokens(text) - beside:
            return f"times of {text!r}: {start} to {end}"
    return ""


@pytest.mark.parametrize(("place", "peer"), PAIRS)
def test_the_corpus_is_read_as_others_read_it(place: Path, peer: Any) -> None:
    data = place.read_bytes()
    script = read_script(data, place.name)
    known = f"{place.name} {peer.__name__}" in NOT_SO
    try:
        otherwise = agrees(script, list(peer(data)))
    except AttributeError:
        # This is how one of them says that there is no document in it.
        otherwise = "nothing"
    # One that reads it as we do by now is taken from the list.
    assert bool(otherwise) is known, otherwise


@pytest.mark.parametrize(("text", "name", "kind"), [(ASS, "a.ass", "ass"), (SAMI, "a.smi", "sami")])
def test_what_is_read_by_a_library_is_read_as_it_says(text: str, name: str, kind: str) -> None:
    theirs = [one for one in by_pysubs2(text.encode(), kind) if one[1] > one[0]]
    assert agrees(read_script(text, name), theirs) == ""


def test_frames_are_counted_as_others_count_them() -> None:
    found = pysubs2.SSAFile.from_string(MICRODVD)
    assert [(event.start / 1000, event.end / 1000) for event in found] == [
        (pytest.approx(line.start, abs=0.002), pytest.approx(line.end, abs=0.002)) for line in read_script(MICRODVD, "a.sub").lines]


SCREENPLAY = """Title: The Tidewater Clock

# The Stair

INT. MUSEUM - NIGHT

The water stands at the third step.

KEEPER (O.S.)
(softly)
Mind the *third* step.

@imka ^
Which one?

IMKA
The one
that is loose.

CUT TO:
"""


def test_a_screenplay_is_read_as_others_read_it() -> None:
    theirs = []
    for paragraph in screenplain.parsers.fountain.parse(io.StringIO(SCREENPLAY)):
        dialogs = [paragraph.left, paragraph.right] if isinstance(paragraph, screenplain.types.DualDialog) else [paragraph]
        for dialog in dialogs:
            if isinstance(dialog, screenplain.types.Dialog):
                name = re.sub(r"\s*\(.*?\)", "", str(dialog.character))
                theirs.append((name.casefold(), " ".join(str(text) for aside, text in dialog.blocks if not aside)))
    ours = [(line.speaker.casefold(), line.words) for line in read_script(SCREENPLAY, "a.fountain").lines]
    assert ours == [(name, text.replace("*", "")) for name, text in theirs]


SCRIPT = Script([ScriptLine("Keeper", "Mind <the> third & last step.", 1.0, 2.5), ScriptLine("Imka", "Which one?\u00a0…", 3.0, 4.0),
                 ScriptLine("Dr. Ash", "A door  stands open.", 5.0, 6.25)])


@pytest.mark.parametrize(("fmt", "peer"), [("srt", by_srt), ("srt", by_pysubs2), ("webvtt", by_webvtt), ("webvtt", by_pysubs2), ("ttml", by_ttconv)])
def test_what_we_write_others_read_as_we_do(fmt: str, peer: Any) -> None:
    made = FORMATS[fmt].write(SCRIPT, "en-GB")
    assert isinstance(made, str)
    theirs = list(peer(made.encode()))
    assert [(one[0], one[1]) for one in theirs] == [line.slot for line in SCRIPT.lines]
    assert agrees(read_script(made, f"a.{fmt}"), theirs) == ""


def test_translations_are_read_as_others_read_them() -> None:
    outgoing = Outgoing("The Tidewater Clock", "en-GB", "es-MX", [
        OutgoingLine("11", "Mind the <third> step.", "Cuidado con el <tercer> escalón."), OutgoingLine("12", "Which one?")])
    made = write_xliff(outgoing, "1.2").encode()
    theirs = [(unit.source, unit.target or "") for unit in xliff.xlifffile.parsestring(made).units]
    assert theirs == [(line.source, line.text) for line in read_xliff(made).lines] == [(one.source, one.text) for one in outgoing.lines]
