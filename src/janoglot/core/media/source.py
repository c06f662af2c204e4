"""The source recording or video: looked at by ffprobe, copied by ffmpeg to what a browser plays and we can measure."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import IO, Any

from janoglot.core.errors import BadInput
from janoglot.core.media.ffmpeg import MediaFault, fed, ffmpeg, ffprobe, handed_in, recording

LARGEST = 4 * 1024**3
"""Bytes of a source file."""
LONGEST = 4 * 3600.0
"""Seconds."""
_LOOK_SECONDS = 30
_WIDTH = 640


@dataclass(frozen=True, slots=True)
class MediaFacts:
    """What a recording is. ``fps`` is None without a picture; ``start`` is when its first stream begins, seconds."""

    seconds: float
    has_sound: bool
    has_picture: bool
    fps: float | None
    width: int
    height: int
    container: str


def look_at(place: Path) -> MediaFacts:
    """What ffprobe says of a file. Raises BadInput for what is no recording, or too long a one."""
    if place.stat().st_size > LARGEST:
        raise BadInput("The recording has {size:.1f} GB; at most {most} GB can be brought in.",
                       size=place.stat().st_size / 1024**3, most=LARGEST // 1024**3)
    try:
        found = ffprobe(place, "-show_format", "-show_streams", most=_LOOK_SECONDS)
    except MediaFault as error:
        raise BadInput("This is no sound or video that can be read: a recording itself is wanted, not a list of others "
                       "({why}).", why=str(error)[:160]) from error
    container = str(found.get("format", {}).get("format_name", ""))
    streams = found.get("streams", [])
    sound = next((one for one in streams if one.get("codec_type") == "audio"), None)
    picture = next((one for one in streams if one.get("codec_type") == "video"
                    and not one.get("disposition", {}).get("attached_pic")), None)
    seconds = float(found.get("format", {}).get("duration") or 0.0)
    if not seconds:
        seconds = max((float(one.get("duration") or 0.0) for one in streams), default=0.0)
    if not sound and not picture:
        raise BadInput("There is neither sound nor picture in this file.")
    if seconds <= 0:
        raise BadInput("There is nothing in this recording: it lasts no time at all.")
    if seconds > LONGEST:
        raise BadInput("The recording lasts {hours:.1f} hours; at most {most:.0f} can be brought in.",
                       hours=seconds / 3600, most=LONGEST / 3600)
    return MediaFacts(round(seconds, 3), sound is not None, picture is not None, _fps(picture) if picture else None,
                      int(picture.get("width", 0)) if picture else 0, int(picture.get("height", 0)) if picture else 0,
                      container)


def _fps(stream: dict[str, Any]) -> float | None:
    for name in ("avg_frame_rate", "r_frame_rate"):
        try:
            rate = float(Fraction(str(stream.get(name))))
        except (ValueError, ZeroDivisionError):
            continue
        if 1 <= rate <= 240:
            return round(rate, 3)
    return None


def sound_copy(place: Path, to: Path, seconds: float) -> None:
    """The first sound of a recording as 48 kHz mono FLAC, from its very beginning. Raises MediaFault."""
    _sound_to(place, to, 1, seconds)


def _sound_to(place: Path, to: Path, channels: int, seconds: float) -> None:
    ffmpeg(*recording(place), "-map", "0:a:0", "-vn", "-sn", "-dn", "-af", "aresample=async=1:first_pts=0",
           "-ac", str(channels), "-ar", "48000", "-c:a", "flac", "-f", "flac", f"file:{to}", most=120 + seconds)


_OTHERS = (b"PK\x03\x04", b"%PDF", b"GIF8", b"\x89PNG", b"\xff\xd8\xff", b"\x1f\x8b", b"7z\xbc\xaf", b"Rar!",
           b"\x7fELF", b"MZ", b"SQLite format 3", b"\xd0\xcf\x11\xe0")
"""How archives, pictures, documents and programs begin."""
_LOOKED_AT = 512


def no_recording(data: bytes) -> bool:
    """Whether something is plainly no recording, by its first bytes: text of any kind (playlists are), an archive, a
    picture, a program, or shorter than any head. All else is for whoever decodes it to say."""
    head = data[:_LOOKED_AT]
    if len(data) < 16 or head.startswith(_OTHERS):
        return True
    try:
        text = head.decode("utf-8")
    except UnicodeDecodeError as error:
        # Cut within a character, it is text all the same.
        if error.start < len(head) - 3:
            return False
        text = head[:error.start].decode("utf-8")
    return all(character.isprintable() or character in "\t\r\n\f\ufeff" for character in text)


def short_sound(data: bytes, seconds: float, rate: int = 24_000) -> bytes:
    """A short recording that came in whole, at most ``seconds`` of it, as mono FLAC of ``rate`` Hz. Raises
    MediaFault."""
    with tempfile.TemporaryDirectory() as folder:
        place, to = Path(folder) / "in", Path(folder) / "out.flac"
        place.write_bytes(data)
        ffmpeg(*recording(place), "-map", "0:a:0", "-vn", "-sn", "-dn", "-t", f"{seconds:g}", "-ac", "1",
               "-ar", str(rate), "-c:a", "flac", "-f", "flac", f"file:{to}", most=60 + seconds)
        return to.read_bytes()


def stereo_copy(place: Path, to: Path, seconds: float) -> None:
    """The first sound of a recording as 48 kHz FLAC of two channels, from its very beginning. Raises MediaFault."""
    _sound_to(place, to, 2, seconds)


def picture_copy(place: Path, to: Path, seconds: float, fps: float) -> None:
    """The picture alone, small, at an even ``fps``, with a key frame each half second so that it is sought at once.

    Raises MediaFault.
    """
    ffmpeg(*recording(place), "-map", "0:v:0", "-an", "-sn", "-dn",
           "-vf", f"scale='2*trunc(min({_WIDTH},iw)/2)':-2:flags=bilinear,fps={fps:g}:start_time=0", "-c:v", "libx264",
           "-preset", "veryfast", "-crf", "28", "-pix_fmt", "yuv420p", "-g", str(max(1, round(fps / 2))), "-bf", "0",
           "-threads", "1", "-movflags", "+faststart", "-f", "mp4", f"file:{to}", most=300 + 4 * seconds)


@contextmanager
def picture_of(sound: Path, to: Path, width: int, height: int, fps: float, seconds: float) -> Iterator[IO[bytes]]:
    """A video of frames that are written to what is given (8 bits of red, green and blue each), with a sound. Raises
    MediaFault."""
    form = ("-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{width}x{height}", "-r", f"{fps:g}")
    with fed(*handed_in(*form), *recording(sound), "-map", "0:v", "-map", "1:a", "-c:v", "libx264", "-preset", "slow",
             "-crf", "31", "-pix_fmt", "yuv420p", "-g", str(round(fps * 2)), "-c:a", "aac", "-b:a", "64k", "-shortest",
             "-movflags", "+faststart", "-f", "mp4", f"file:{to}", most=120 + seconds) as pipe:
        yield pipe
