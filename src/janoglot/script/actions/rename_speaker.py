"""Give a speaker another name."""

from __future__ import annotations

from janoglot.core.errors import BadInput
from janoglot.core.script.limits import LONGEST_NAME
from janoglot.productions.models import Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def rename_speaker(user: Anyone, speaker: Speaker, name: str) -> Speaker:
    """Raises BadInput for an empty name, an over-long one, or one that somebody else has."""
    name = " ".join(name.split())
    if not name:
        raise BadInput("A speaker needs a name.")
    if len(name) > LONGEST_NAME:
        raise BadInput("A name may have {most} characters at most.", most=LONGEST_NAME)
    others = Speaker.objects.filter(production_id=speaker.production_id, name=name).exclude(pk=speaker.pk)
    if others.exists():
        raise BadInput("There is a speaker “{name}” already. Merge the two instead.", name=name)
    with action(user, speaker.production, "rename_speaker") as record:
        record.summary = f"{speaker.name} → {name}"
        record.update(speaker, name=name)
    return speaker
