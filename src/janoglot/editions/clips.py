"""The clips of templates, and which of them are made."""

from __future__ import annotations

from janoglot.core.edition.model import Edition
from janoglot.core.edition.standing import LineStanding, clips_standing
from janoglot.core.speech.takes import Take, finish_key
from janoglot.core.speech.templates import Clip
from janoglot.editions.state import sounds_there, takes_there


def clips_there(edition: Edition, line: LineStanding) -> list[tuple[Clip, Take | None]]:
    """Each clip of a template with its finished take; None where that is to be made."""
    clips = clips_standing(edition, line)
    takes = takes_there([clip.recipe.hash for clip in clips if clip.recipe])
    keys = {clip.name: finish_key(clip.recipe, take.seconds, take.seconds) for clip in clips
            if clip.recipe and clip.recipe.voice.is_rich and (take := takes.get(clip.recipe.hash))}
    finished = sounds_there(keys.values()) if keys else set()
    found: list[tuple[Clip, Take | None]] = []
    for clip in clips:
        take = takes.get(clip.recipe.hash) if clip.recipe else None
        if take and clip.name in keys and keys[clip.name] not in finished:
            take = None
        found.append((clip, take))
    return found
