"""The sounds that a user can lay under voices: those that come with the program, and those that people brought in."""

from __future__ import annotations

from pathlib import Path

from janoglot.core.edition.sound_world import Sounds
from janoglot.core.errors import BadInput
from janoglot.core.graph import recipe_hash
from janoglot.core.media.source import look_at, stereo_copy
from janoglot.core.mix.sides import RATE
from janoglot.core.mix.under import FileSound, Sound
from janoglot.productions.models import LibrarySound
from janoglot.server.storage import media, takes


def sound_library(make_beds: bool = False) -> Sounds:
    """Finds the sounds of cues, whoever brought them in: what lies under a mix is heard by all who hear it."""
    return Sounds(None, takes(), kept_sound_file, source_recording, make_beds)


def source_recording(key: str, make: bool) -> Path | None:
    """The sound of a production's recording, at 48 kHz and with two sides; None where it is not made yet, and is not to
    be. Raises FileNotFoundError where the recording is gone."""
    name = f"{recipe_hash('two sides', key=key)}.flac"
    if not takes().has(name):
        if not make:
            return None
        original = media().path(key)
        takes().write(name, lambda place: stereo_copy(original, place, look_at(original).seconds))
    return takes().path(name)


def kept_sound_file(number: int) -> Sound:
    """Raises BadInput."""
    row = LibrarySound.objects.filter(pk=number).first()
    if row is not None and row.state == LibrarySound.State.READING:
        raise BadInput("The sound “{name}” is still being read: a moment.", name=row.name)
    if row is None or row.lufs is None or not media().has(row.key):
        raise BadInput("That sound is not in the library any more.")
    return FileSound(media().path(row.key), round(row.seconds * RATE), row.lufs, False, row.key.rpartition(".")[0])
