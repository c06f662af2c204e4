"""Chapters and tags of sound files, by the parts of the programme.

Sources: ID3v2 Chapter Frame Addendum; MP4 chapter tracks; Vorbis comments' CHAPTERnnn.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from janoglot.core.deliver.encoding import Codec, encoding_fault, write_tags
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
    with tempfile.TemporaryDirectory(dir=place.parent) as folder:
        about, out = Path(folder) / "about.txt", Path(folder) / f"out.{codec.ending}"
        about.write_text(ffmetadata(tags, chapters), encoding="utf-8")
        # What tells the length of what was decoded lies in the stream, and is copied with it.
        with encoding_fault("Tags could not be written: {why}"):
            ffmpeg(*recording(place), *written_here(about, "ffmetadata"), "-map", "0:a", "-map_metadata", "1",
                   "-map_metadata:s:a", "0:s:a", "-map_chapters", "1", "-c", "copy", "-fflags", "+bitexact",
                   *(["-id3v2_version", "4"] if codec.name == "mp3" else []),
                   *(["-movflags", "+faststart"] if codec.name == "aac" else []),
                   *(["-metadata:s:a:0", f"language={tags.get('language', '')}"] if codec.name == "aac" else []),
                   "-f", codec.muxer, f"file:{out}")
        out.replace(place)
    if codec.name == "opus":
        _vorbis_chapters(place, tags, chapters)


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


