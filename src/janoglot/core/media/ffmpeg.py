"""The one door by which media are opened: ffmpeg and ffprobe, told what a file may be before they look into it.

Some kinds of files are lists of others (playlists, manifests, scripts of images), and whoever opens one opens what it
names: another person's recording, a file of this machine. So only kinds are let in that hold what they are, by
ffmpeg's own names for them, whatever the file is called; and nothing is opened but by the one protocol that is needed.
Both programs run with no input of their own, a limit of time, and in a process group of their own.
"""

from __future__ import annotations

import errno
import json
import os
import signal
import subprocess
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from janoglot.core.errors import JanoglotError
from janoglot.core.store import StoreFull
from janoglot.tally import tally

RECORDINGS = ("aac", "ac3", "aiff", "amr", "ape", "asf", "au", "avi", "caf", "dts", "eac3", "flac", "flv", "gsm",
              "matroska", "mov", "mp3", "mpeg", "mpegts", "mxf", "ogg", "tta", "w64", "wav", "wv")
"""Demuxers of ffmpeg that read the file they are given and no other."""
_QUIET = ("-hide_banner", "-loglevel", "error")


class MediaFault(JanoglotError):
    """A recording that could not be worked with."""

    code = "media"


class MediaSlow(MediaFault):
    """… in the time that there is."""


def recording(place: Path) -> tuple[str, ...]:
    """Options of an input that is a recording, whoever made it."""
    return ("-protocol_whitelist", "file", "-format_whitelist", ",".join(RECORDINGS), "-i", f"file:{place}")


def written_here(place: Path, form: str) -> tuple[str, ...]:
    """… that we have written ourselves just now, in a form that is none of a recording: captions, tags."""
    return ("-protocol_whitelist", "file", "-f", form, "-i", f"file:{place}")


def handed_in(*form: str) -> tuple[str, ...]:
    """… that we hand in on its pipe, as ``form`` says."""
    return ("-protocol_whitelist", "pipe", *form, "-i", "pipe:0")


def ffmpeg(*arguments: str, most: float = 3_600.0) -> str:
    """Run ffmpeg, its inputs by :func:`recording` and :func:`written_here`, at most so many seconds.

    Raises MediaFault with the last that it said; MediaSlow.
    """
    return _run(("ffmpeg", "-nostdin", *_QUIET, "-y", *arguments), most)


def ffprobe(place: Path, *shown: str, most: float = 60.0) -> dict[str, Any]:
    """What ffprobe says of a recording: ``shown`` are what it is to show. Raises as :func:`ffmpeg`."""
    said = _run(("ffprobe", *_QUIET, *shown, "-of", "json", *recording(place)), most)
    try:
        found: dict[str, Any] = json.loads(said)
    except ValueError as error:
        raise MediaFault("What was found in the recording cannot be understood.") from error
    return found


@contextmanager
def fed(*arguments: str, most: float = 3_600.0) -> Iterator[Any]:
    """ffmpeg with one input of :func:`handed_in`: gives the pipe to write to. Raises as :func:`ffmpeg`."""
    tally("ffmpeg")
    with tempfile.TemporaryFile() as said:
        process = subprocess.Popen(("ffmpeg", "-nostdin", *_QUIET, "-y", *arguments), stdin=subprocess.PIPE,
                                   stdout=subprocess.DEVNULL, stderr=said, start_new_session=True)
        assert process.stdin is not None
        try:
            try:
                yield process.stdin
                process.stdin.close()
            except BrokenPipeError:
                pass  # it has ended, and says why
            try:
                status = process.wait(timeout=most)
            except subprocess.TimeoutExpired as error:
                raise MediaSlow("The encoder took longer than {most:.0f} s.", most=most) from error
            if status != 0:
                said.seek(0)
                told = said.read().decode(errors="replace")
                _require_room(told)
                raise MediaFault("The encoder failed: {why}", why=_last(told))
        finally:
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()


def feed(blocks: Iterable[bytes], *arguments: str, most: float = 3_600.0) -> None:
    """… with all that it is to be given. Raises as :func:`ffmpeg`."""
    with fed(*arguments, most=most) as pipe:
        for block in blocks:
            pipe.write(block)


def _run(command: Sequence[str], most: float) -> str:
    tally(command[0])
    process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                               text=True, errors="replace", start_new_session=True)
    try:
        out, said = process.communicate(timeout=most)
    except subprocess.TimeoutExpired as error:
        os.killpg(process.pid, signal.SIGKILL)
        process.communicate()
        raise MediaSlow("Reading the recording took longer than {most:.0f} s.", most=most) from error
    if process.returncode != 0:
        _require_room(said)
        raise MediaFault("The recording could not be read: {why}.", why=_last(said))
    return out


def _require_room(said: str) -> None:
    """Raises StoreFull where that is why a program could not go on."""
    if os.strerror(errno.ENOSPC) in said or os.strerror(errno.EDQUOT) in said:
        raise StoreFull("The disk is full. Free some space and go on.")


_PLAINLY = {"matches no streams": "there is no sound in it",
            "Invalid data found": "it holds no sound or picture of a known kind, or is damaged",
            "Invalid argument": "it holds no sound or picture of a known kind, or is damaged",
            "End of file": "it ends before it begins", "moov atom not found": "it is cut off"}


def _last(said: str) -> str:
    """The last line of what a program said, without the paths of this machine."""
    for insides, plain in _PLAINLY.items():
        if insides in said:
            return plain
    lines = [line for line in said.strip().splitlines() if line] or ["no reason given"]
    return lines[-1].split(": ", 1)[-1].strip().rstrip(".")[:160]
