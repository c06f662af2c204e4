"""Broadcast WAV: what a WAV file says of itself in the chunks that the trade reads.

Sources: EBU Tech 3285 (bext, version 2), EBU Tech 3306 (RF64), iXML 2.0 (an open specification of recorders' makers).
"""

from __future__ import annotations

import os
import struct
import unicodedata
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from lxml import etree

from janoglot.core.errors import BadInput

_NOTHING = 0x7FFF
"""Of a loudness that is not told."""


@dataclass(frozen=True, slots=True)
class BroadcastFacts:
    """What is told. ``date`` as yyyy-mm-dd and ``time`` as hh:mm:ss, ``starts`` in samples since midnight; loudness in
    LUFS and LU, peaks in dBTP; None where it is not known. ``tracks`` are the names of the channels."""

    description: str = ""
    originator: str = "Janoglot"
    reference: str = ""
    date: str = "0000-00-00"
    time: str = "00:00:00"
    starts: int = 0
    lufs: float | None = None
    range_lu: float | None = None
    true_peak_db: float | None = None
    most_momentary: float | None = None
    most_short_term: float | None = None
    history: str = ""
    scene: str = ""
    take: str = ""
    project: str = ""
    language: str = ""
    tracks: tuple[str, ...] = field(default_factory=tuple)


_FOLDED = str.maketrans({"‘": "'", "’": "'", "“": '"', "”": '"', "–": "-", "—": "-", "ß": "ss", "æ": "ae", "Æ": "AE",
                         "œ": "oe", "Œ": "OE", "ø": "o", "Ø": "O", "ł": "l", "Ł": "L", "đ": "d", "Đ": "D"})
_ELSEWHERE = "[title in iXML]"
"""For words that have no letters in ASCII: the chunk beside this one holds them as they are."""


def _ascii(text: str) -> str:
    """As the chunk has it: letters without their marks; of words in other scripts, where they are to be read."""
    folded = unicodedata.normalize("NFKD", text.translate(_FOLDED))
    told: list[str] = []
    for word in "".join(one for one in folded if not unicodedata.combining(one)).split(" "):
        plain = "".join(one for one in word if one.isascii())
        if plain == word:
            told.append(word)
            continue
        # What stood behind it, a comma for one, stays.
        tail = word[len(word.rstrip(",.;:")):]
        if told and told[-1].startswith(_ELSEWHERE):
            told[-1] = _ELSEWHERE + tail
        else:
            told.append(_ELSEWHERE + tail)
    return " ".join(told)


def _text(text: str, size: int) -> bytes:
    """ASCII, as the chunk has it; cut to its size."""
    return _ascii(text).encode("ascii", "replace")[:size].ljust(size, b"\0")


def _hundredths(value: float | None) -> int:
    return _NOTHING if value is None else max(-32_768, min(32_766, round(value * 100)))


def bext(facts: BroadcastFacts) -> bytes:
    """The chunk's content."""
    loudness = [facts.lufs, facts.range_lu, facts.true_peak_db, facts.most_momentary, facts.most_short_term]
    history = facts.history.encode("ascii", "replace")
    return (_text(facts.description, 256) + _text(facts.originator, 32) + _text(facts.reference, 32)
            + _text(facts.date, 10) + _text(facts.time, 8) + struct.pack("<QH", facts.starts, 2) + bytes(64)
            + struct.pack("<5h", *map(_hundredths, loudness)) + bytes(180) + history + (b"\r\n" if history else b""))


def ixml(facts: BroadcastFacts, rate: int, bits: int) -> bytes:
    root = etree.Element("BWFXML")

    def put(parent: etree._Element, name: str, text: str) -> None:
        etree.SubElement(parent, name).text = text

    put(root, "IXML_VERSION", "2.0")
    put(root, "PROJECT", facts.project)
    put(root, "SCENE", facts.scene)
    put(root, "TAKE", facts.take)
    put(root, "NOTE", facts.language)
    about = etree.SubElement(root, "BEXT")
    put(about, "BWF_DESCRIPTION", facts.description)
    put(about, "BWF_ORIGINATOR", facts.originator)
    speed = etree.SubElement(root, "SPEED")
    put(speed, "FILE_SAMPLE_RATE", str(rate))
    put(speed, "AUDIO_BIT_DEPTH", str(bits))
    put(speed, "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI", str(facts.starts >> 32))
    put(speed, "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO", str(facts.starts & 0xFFFFFFFF))
    tracks = etree.SubElement(root, "TRACK_LIST")
    put(tracks, "TRACK_COUNT", str(len(facts.tracks)))
    for number, name in enumerate(facts.tracks, 1):
        track = etree.SubElement(tracks, "TRACK")
        put(track, "CHANNEL_INDEX", str(number))
        put(track, "INTERLEAVE_INDEX", str(number))
        put(track, "NAME", name)
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8"))


def _chunks(file: BinaryIO) -> dict[bytes, tuple[int, int]]:
    """Where each chunk's content begins, and its bytes."""
    head = file.read(12)
    if head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
        raise BadInput("This is no WAV file.")
    found: dict[bytes, tuple[int, int]] = {}
    long = 0
    while len(row := file.read(8)) == 8:
        name, size = row[:4], struct.unpack("<I", row[4:])[0]
        at = file.tell()
        if name == b"ds64":
            long = struct.unpack("<QQ", file.read(16))[1]
        if name == b"data" and size == 2**32 - 1:
            size = long
        found[name] = at, size
        file.seek(at + size + size % 2)
    return found


def write_broadcast(wav: Path, place: Path, facts: BroadcastFacts) -> None:
    """The sound of a WAV file again with what is told of it; RF64 where that is too long for WAV. Raises BadInput."""
    with wav.open("rb") as file, place.open("wb") as out:
        found = _chunks(file)
        at, size = found[b"data"]
        begin, length = found[b"fmt "]
        file.seek(begin)
        form = file.read(length)
        rate, frame, bits = struct.unpack_from("<I", form, 4)[0], *struct.unpack_from("<HH", form, 12)
        about = [(b"bext", bext(facts)), (b"iXML", ixml(facts, rate, bits)), (b"fmt ", form)]
        body = b"".join(struct.pack("<4sI", name, len(data)) + data + b"\0" * (len(data) % 2) for name, data in about)
        whole = 4 + len(body) + 8 + size + size % 2
        if whole < 2**32:
            out.write(struct.pack("<4sI4s", b"RIFF", whole, b"WAVE") + body + struct.pack("<4sI", b"data", size))
        else:
            out.write(struct.pack("<4sI4s4sIQQQI", b"RF64", 2**32 - 1, b"WAVE", b"ds64", 28, whole + 36, size,
                                  size // frame, 0) + body + struct.pack("<4sI", b"data", 2**32 - 1))
        file.seek(at)
        _copy(file, out, size)
        if size % 2:
            out.write(b"\0")
        out.flush()
        os.fsync(out.fileno())


def _copy(file: BinaryIO, out: BinaryIO, size: int) -> None:
    left = size
    while left:
        data = file.read(min(left, 4 * 1024**2))
        if not data:
            break
        out.write(data)
        left -= len(data)


def read_bext(place: Path) -> dict[str, float | int | str]:
    """What a file's bext chunk tells. Raises BadInput where it has none."""
    with place.open("rb") as file:
        found = _chunks(file)
        if b"bext" not in found:
            raise BadInput("This is no broadcast WAV file.")
        at, size = found[b"bext"]
        file.seek(at)
        data = file.read(min(size, 4096))
    starts, version = struct.unpack_from("<QH", data, 338)
    loudness = struct.unpack_from("<5h", data, 412)
    return {"description": data[:256].rstrip(b"\0").decode("ascii", "replace"), "starts": starts, "version": version,
            "lufs": loudness[0] / 100, "true_peak_db": loudness[2] / 100}


