"""The formant engine's library in a process of its own, that is as new for every utterance.

The library keeps a state between utterances (where its waver is, what was said before), so that the same words come out
otherwise after others. Here a small process loads it once and forks a copy of itself for each utterance: what comes out
follows from what goes in. A library that hangs or falls takes nothing with it either.

Run as a program this is that process: the standard library alone, so that a fork costs a millisecond.
"""

from __future__ import annotations

import contextlib
import ctypes
import ctypes.util
import marshal
import os
import signal
import socket
import struct
import subprocess
import sys
import threading
from collections.abc import Iterator
from typing import Any, NamedTuple

SYNCHRONOUS = 2  # AUDIO_OUTPUT_SYNCHRONOUS
BUFFER_MS = 500
DONT_EXIT = 0x8000
PHONEME_EVENTS_IPA = 0x0001 | 0x0002
RATE, VOLUME = 1, 2  # espeak_PARAMETER
EVENT_END, EVENT_WORD, EVENT_PHONEME = 0, 1, 7
_PATIENCE = 60.0
"""Seconds. No utterance takes so long."""
_LENGTH = struct.Struct("<I")


class EventId(ctypes.Union):
    _fields_ = [("number", ctypes.c_int), ("name", ctypes.c_char_p), ("string", ctypes.c_char * 8)]


class Event(ctypes.Structure):
    _fields_ = [
        ("type", ctypes.c_int), ("unique_identifier", ctypes.c_uint), ("text_position", ctypes.c_int),
        ("length", ctypes.c_int), ("audio_position", ctypes.c_int), ("sample", ctypes.c_int),
        ("user_data", ctypes.c_void_p), ("id", EventId),
    ]


CALLBACK = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.POINTER(Event))


class Synthesis(NamedTuple):
    """What the library gave: its status (0: well), 16-bit samples, and events as (kind, sample, position in the text
    from 1, length, phoneme)."""

    status: int
    pcm: bytes
    events: list[tuple[int, int, int, int, str]]


def library() -> ctypes.CDLL:
    """Raises OSError where it is not there."""
    return ctypes.CDLL(ctypes.util.find_library("espeak-ng") or "libespeak-ng.so.1")


class FormantProcess:
    """The process, from the side of whoever has something said. Started when it is first needed."""

    def __init__(self, data: str) -> None:
        self._data = data
        self._starting = threading.Lock()
        self._of = 0
        self._process: subprocess.Popen[bytes] | None = None
        self._control: socket.socket | None = None
        self._ready: socket.socket | None = None

    @contextlib.contextmanager
    def fresh(self) -> Iterator[Session]:
        """A copy that has said nothing yet, for one utterance. Raises OSError where it cannot be had."""
        with self._starting:
            line = self._ready or self._asked()
            # The next one is made while this one speaks.
            self._ready = None
            with contextlib.suppress(OSError):
                self._ready = self._asked()
        with line:
            yield Session(line)

    def _asked(self) -> socket.socket:
        control = self._running()
        mine, theirs = socket.socketpair()
        with theirs:
            try:
                socket.send_fds(control, [b"+"], [theirs.fileno()])
            except OSError:
                # It has gone: one more try with a new one.
                self._of = 0
                socket.send_fds(self._running(), [b"+"], [theirs.fileno()])
        mine.settimeout(_PATIENCE)
        return mine

    def _running(self) -> socket.socket:
        # After a fork of ours it is somebody else's.
        if self._control is None or self._of != os.getpid():
            mine, theirs = socket.socketpair()
            with theirs:
                command = [sys.executable, "-S", "-E", __file__, str(theirs.fileno()), self._data]
                self._process = subprocess.Popen(command, pass_fds=[theirs.fileno()], stdin=subprocess.DEVNULL)
            self._control, self._of, self._ready = mine, os.getpid(), None
        return self._control


class Session:
    """One utterance: as many tries at it as it takes."""

    def __init__(self, line: socket.socket) -> None:
        self._line = line

    def synthesise(self, voice: str, wpm: int, volume: int, text: bytes, flags: int) -> Synthesis:
        """Raises OSError where the library fell or hung."""
        _send(self._line, (voice, wpm, volume, text, flags))
        answer = _receive(self._line)
        if answer is None:
            raise OSError("the formant engine fell")
        return Synthesis(*answer)


def _send(line: socket.socket, what: Any) -> None:
    data = marshal.dumps(what)
    line.sendall(_LENGTH.pack(len(data)) + data)


def _receive(line: socket.socket) -> Any:
    head = _exactly(line, _LENGTH.size)
    data = _exactly(line, _LENGTH.unpack(head)[0]) if head else b""
    return marshal.loads(data) if data else None


def _exactly(line: socket.socket, count: int) -> bytes:
    """So many bytes, or none where the other side is gone."""
    pieces = bytearray()
    while len(pieces) < count:
        piece = line.recv(count - len(pieces))
        if not piece:
            return b""
        pieces += piece
    return bytes(pieces)


class _Speaker:
    """The library itself, in the copy that speaks."""

    def __init__(self, data: str) -> None:
        self._library = library()
        flags = PHONEME_EVENTS_IPA | DONT_EXIT
        if self._library.espeak_Initialize(SYNCHRONOUS, BUFFER_MS, os.fsencode(data), flags) <= 0:
            raise OSError("the formant engine did not start")
        self._pcm: list[bytes] = []
        self._events: list[tuple[int, int, int, int, str]] = []
        # Kept on self: the library holds the bare pointer.
        self._callback = CALLBACK(self._take)
        self._library.espeak_SetSynthCallback(self._callback)

    def synthesise(self, voice: str, wpm: int, volume: int, text: bytes, flags: int) -> Synthesis:
        self._pcm, self._events = [], []
        if self._library.espeak_SetVoiceByName(voice.encode()) != 0:
            return Synthesis(-1, b"", [])
        self._library.espeak_SetParameter(RATE, wpm, 0)
        self._library.espeak_SetParameter(VOLUME, volume, 0)
        data = text + b"\0"
        status = self._library.espeak_Synth(data, ctypes.c_size_t(len(data)), 0, 1, 0, flags, None, None)
        return Synthesis(status, b"".join(self._pcm), self._events)

    def _take(self, wave: Any, count: int, events: Any) -> int:
        if wave and count > 0:
            self._pcm.append(ctypes.string_at(wave, 2 * count))
        place = 0
        while True:
            event = events[place]
            if event.type == EVENT_END:
                return 0
            if event.type == EVENT_WORD:
                self._events.append((event.type, event.sample, event.text_position, event.length, ""))
            elif event.type == EVENT_PHONEME:
                symbol = bytes(event.id.string).split(b"\0")[0].decode("utf-8", "ignore")
                self._events.append((event.type, event.sample, -1, 0, symbol))
            place += 1


def main(control_number: int, data: str) -> None:
    """Fork a copy for every line that comes in, until whoever sends them is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # Ended copies are nobody's to wait for.
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    control = socket.socket(fileno=control_number)
    speaker = _Speaker(data)
    while True:
        sent, numbers, _, _ = socket.recv_fds(control, 1, 1)
        if not sent:
            return
        if os.fork() == 0:
            control.close()
            with socket.socket(fileno=numbers[0]) as line:
                while (asked := _receive(line)) is not None:
                    _send(line, tuple(speaker.synthesise(*asked)))
            os._exit(0)
        os.close(numbers[0])


if __name__ == "__main__":
    main(int(sys.argv[1]), sys.argv[2])
