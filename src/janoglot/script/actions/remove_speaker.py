"""Take a speaker who says nothing out of a production."""

from __future__ import annotations

from janoglot.core.errors import BadInput
from janoglot.productions.belonging import take_out
from janoglot.productions.models import Line, Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def remove_speaker(user: Anyone, speaker: Speaker) -> None:
    """With the castings and rates that they had; undoing brings all back. Raises BadInput while they have lines."""
    with action(user, speaker.production, "remove_speaker") as record:
        count = Line.objects.filter(speaker=speaker).count()
        if count:
            raise BadInput("{speaker} has lines yet. Give them to somebody else first, or take them out.",
                           speaker=speaker.name)
        record.summary, record.details = speaker.name, {"speaker": speaker.name}
        take_out(record, "speaker", [speaker])
        for edition in speaker.production.editions.select_for_update():
            rates = dict(edition.timing.get("speakers", {}))
            if rates.pop(str(speaker.pk), None):
                timing = {**edition.timing, "speakers": rates}
                record.update(edition, timing=timing if rates else {
                    name: value for name, value in timing.items() if name != "speakers"})
        record.delete(speaker)
