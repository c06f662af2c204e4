"""Recordings as they were sent: taken in by the page's server as they are, and decoded by a worker.

A recording is known by the hash of what was sent. Until somebody has decoded it, it lies beside its place under
``.sent``; then the sound is there, and what was sent is gone. Nothing but looking at its first bytes is done before.
"""

from __future__ import annotations

import hashlib
import io
from functools import partial
from pathlib import Path

import soundfile

from janoglot.core.errors import BadInput
from janoglot.core.media.source import no_recording, short_sound
from janoglot.core.store import Store
from janoglot.productions.models import SENT
from janoglot.server.storage import media

RATE = 48_000
"""Samples a second that a person's own takes are kept at."""
LONGEST = 300.0
"""Seconds of one of them."""


def take_in(data: bytes, store: Store | None = None, ending: str = ".flac") -> str:
    """Keep what was sent, in a store (of recordings, where none is given): the key that its sound will have. Raises
    BadInput for what is plainly no recording."""
    if not data:
        raise BadInput("There is no sound in it.")
    if no_recording(data):
        raise BadInput("This is no recording.")
    key, store = f"{hashlib.sha256(data).hexdigest()[:40]}{ending}", store or media()
    if not store.has(key):
        store.write(sent_key(key), partial(_write, data))
    return key


def decoded(key: str, store: Store | None = None, longest: float = LONGEST + 5, rate: int = RATE) -> str:
    """The same key, with its sound there: of a person's own take a little more than the longest that is worked with, so
    that one that is too long is seen to be. Raises MediaFault, BadInput."""
    store = store or media()
    if not store.has(key) and (data := _still_there(key, store)) is not None:
        sound = short_sound(data, longest, rate)
        if not soundfile.info(io.BytesIO(sound)).frames:
            raise BadInput("There is no sound in it.")
        store.write(key, partial(_write, sound))
    # Of something that was decoded before, or by somebody else just now.
    store.remove(sent_key(key))
    return key


def _still_there(key: str, store: Store) -> bytes | None:
    """What was sent; None where somebody else has decoded it just now."""
    try:
        return store.path(sent_key(key)).read_bytes()
    except FileNotFoundError:
        return None


def sent_key(key: str) -> str:
    """Where it lies until then."""
    return f"{key.rpartition('.')[0]}{SENT}"


def _write(data: bytes, place: Path) -> None:
    place.write_bytes(data)
