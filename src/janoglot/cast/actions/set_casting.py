"""Give a speaker a voice in an edition, or change how it is set."""

from __future__ import annotations

from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.speech.moods import checked_moods
from janoglot.core.speech.settings import checked_voice_settings
from janoglot.productions.models import Casting, Edition, Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.voices import offered_voice


def set_casting(user: Anyone, edition: Edition, speaker: Speaker, changes: dict[str, Any]) -> Casting | None:
    """``changes``: any of voice (an id, or "" to take the voice away), the settings, moods, accent_meant,
    by_person, note.

    Another voice starts with no settings marked as meant. Raises UnknownVoice, and BadInput for settings
    without a voice.
    """
    checked_voice_settings(changes)
    if "moods" in changes:
        changes["moods"] = [list(one) for one in checked_moods(changes["moods"])]
    voice = offered_voice(user, edition.production, changes["voice"]) if changes.get("voice") else None
    if voice:
        changes["voice"] = voice.id
    with action(user, edition.production, "set_casting") as record:
        casting = Casting.objects.select_for_update().filter(edition=edition, speaker=speaker).first()
        record.summary = f"{speaker.name}, {edition.language}: {changes.get('voice', 'settings')}"
        single = {"note": "note", "accent_meant": "accent", "moods": "moods",
                  "by_person": "person"}.get(next(iter(changes), ""), "")
        what = "voice" if changes.get("voice") else "away" if "voice" in changes else \
            single if single and len(changes) == 1 else "settings"
        record.details = {"speaker": speaker.name, "language": edition.language, "what": what}
        if voice:
            record.details["voice"] = voice.name
        elif what == "settings":
            record.details["settings"] = ", ".join(sorted(name.replace("_db", "") for name in changes))
        if changes.get("voice") == "":
            if casting:
                record.delete(casting)
            return None
        if casting is None:
            if "voice" not in changes:
                raise BadInput("Choose a voice for {speaker} first.", speaker=speaker.name)
            return record.create(Casting(edition=edition, speaker=speaker, **changes))
        if changes.get("voice", casting.voice) != casting.voice:
            changes.setdefault("accent_meant", False)
        record.update(casting, **changes)
    return casting
