"""Chapters and tags of sound files, by the parts of the programme.

Sources: ID3v2.3 and its Chapter Frame Addendum; MP4 chapter tracks; Vorbis comments' CHAPTERnnn (RFC 9639 for FLAC).
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import mutagen.id3

from janoglot.core.deliver.encoding import Codec, encoding_fault, write_tags
from janoglot.core.languages import three_letters
from janoglot.core.media.ffmpeg import ffmpeg, ffprobe, recording, written_here


@dataclass(frozen=True, slots=True)
class Chapter:
    name: str
    start: float
    end: float


def ffmetadata(tags: Mapping[str, str], chapters: Sequence[Chapter]) -> str:
    """What ffmpeg reads tags and chapters from."""
    def plain(text: str) -> str:
        return "".join(f"\\{ch}" if ch in "=;#\\\n" else ch for ch in text)

    rows = [";FFMETADATA1", *(f"{name}={plain(text)}" for name, text in tags.items() if text)]
    for one in chapters:
        rows += ["[CHAPTER]", "TIMEBASE=1/1000", f"START={round(one.start * 1000)}", f"END={round(one.end * 1000)}",
                 f"title={plain(one.name)}"]
    return "\n".join([*rows, ""])


def write_chapters(place: Path, codec: Codec, tags: Mapping[str, str], chapters: Sequence[Chapter],
                   seconds: float) -> None:
    """Give a file its tags and chapters; its sound stays as it is, bit by bit. Raises EncodingFault."""
    if codec.name == "flac":
        _vorbis_chapters(place, tags, chapters)
        return
    with tempfile.TemporaryDirectory(dir=place.parent) as folder:
        about, out = Path(folder) / "about.txt", Path(folder) / f"out.{codec.ending}"
        about.write_text(ffmetadata(tags, chapters), encoding="utf-8")
        # What tells the length of what was decoded lies in the stream, and is copied with it.
        with encoding_fault("Tags could not be written: {why}"):
            ffmpeg(*recording(place), *written_here(about, "ffmetadata"), "-map", "0:a", "-map_metadata", "1",
                   "-map_metadata:s:a", "0:s:a", "-map_chapters", "-1" if codec.name == "mp3" else "1", "-c", "copy",
                   "-fflags", "+bitexact",
                   *(["-id3v2_version", "3"] if codec.name == "mp3" else []),
                   *(["-movflags", "+faststart"] if codec.name == "aac" else []),
                   *(["-metadata:s:a:0", f"language={three_letters(tags.get('language', ''))}"]
                     if codec.name == "aac" else []),
                   "-f", codec.muxer, f"file:{out}")
        out.replace(place)
    if codec.name == "mp3":
        _id3_chapters(place, chapters)
    if codec.name == "opus":
        _vorbis_chapters(place, tags, chapters)


_NO_OFFSET = 0xFFFFFFFF
"""A chapter is found by its time alone."""


def _id3_chapters(place: Path, chapters: Sequence[Chapter]) -> None:
    """Chapters as ID3v2.3 has them, whose sizes are plain. Those of 2.4 are not, and of long titles ffmpeg writes
    and reads them as if they were: others passed over its chapters, and it over theirs."""
    id3: Any = mutagen.id3
    try:
        told = id3.ID3(place)
    except id3.ID3NoHeaderError:
        told = id3.ID3()
    for name in ("CHAP", "CTOC"):
        told.delall(name)
    names = [f"chp{number}" for number in range(len(chapters))]
    for name, one in zip(names, chapters, strict=True):
        told.add(id3.CHAP(element_id=name, start_time=round(one.start * 1000), end_time=round(one.end * 1000),
                      start_offset=_NO_OFFSET, end_offset=_NO_OFFSET,
                      sub_frames=[id3.TIT2(encoding=id3.Encoding.UTF16, text=[one.name])]))
    told.add(id3.CTOC(element_id="toc", flags=id3.CTOCFlags.TOP_LEVEL | id3.CTOCFlags.ORDERED, child_element_ids=names,
                  sub_frames=[]))
    told.update_to_v23()
    told.save(place, v2_version=3, v1=id3.ID3v1SaveOptions.REMOVE)
    _in_time(place)


_HEAD = 10
"""Bytes of a tag's head, and of a frame's."""


def _in_time(place: Path) -> None:
    """Chapters one after the other as they come: frames are written by their sizes, and read as they stand."""
    with place.open("r+b") as file:
        head = file.read(_HEAD)
        # A tag's size has seven bits in each byte (ID3v2.3, 3.1).
        body = file.read(sum(byte << shift for byte, shift in zip(head[6:], (21, 14, 7, 0), strict=True)))
        frames, at = [], 0
        while at + _HEAD <= len(body) and body[at]:
            end = at + _HEAD + int.from_bytes(body[at + 4: at + 8])
            frames.append(body[at:end])
            at = end
        # After its name, which ends with a zero, a chapter has its start.
        others = [frame for frame in frames if not frame.startswith(b"CHAP")]
        chapters = sorted((frame for frame in frames if frame.startswith(b"CHAP")),
                          key=lambda frame: frame[_HEAD:].partition(b"\0")[2][:4])
        file.seek(_HEAD)
        file.write(b"".join([*others, *chapters]))


def _vorbis_chapters(place: Path, tags: Mapping[str, str], chapters: Sequence[Chapter]) -> None:
    told: dict[str, str | list[str]] = dict(tags)
    for number, one in enumerate(chapters):
        whole = round(one.start * 1000)
        told[f"CHAPTER{number:03}"] = [f"{whole // 3_600_000:02}:{whole // 60_000 % 60:02}:{whole // 1000 % 60:02}."
                                       f"{whole % 1000:03}"]
        told[f"CHAPTER{number:03}NAME"] = [one.name]
    write_tags(place, told)


def read_chapters(place: Path) -> list[Chapter]:
    """A file's chapters, by ffprobe. Raises EncodingFault."""
    with encoding_fault("It cannot be read: {why}"):
        found = ffprobe(place, "-show_chapters")
    return [Chapter(str(one.get("tags", {}).get("title", "")), float(one["start_time"]), float(one["end_time"]))
            for one in found.get("chapters", [])]


