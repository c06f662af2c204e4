"""Say who a speaker is, for whoever casts them."""

from __future__ import annotations

from janoglot.productions.models import Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def note_speaker(user: Anyone, speaker: Speaker, note: str) -> None:
    with action(user, speaker.production, "note_speaker", goes_on=True) as record:
        record.summary, record.details = speaker.name, {"speaker": speaker.name}
        record.update(speaker, note=" ".join(note.split())[:500])
