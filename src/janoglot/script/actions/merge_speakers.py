"""Make one speaker of two that are the same person."""

from __future__ import annotations

from janoglot.core.errors import BadInput
from janoglot.core.script.labels import name_and_aside
from janoglot.productions.models import Line, Speaker
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def merge_speakers(user: Anyone, speaker: Speaker, into: Speaker) -> Speaker:
    """All lines of ``speaker`` become ``into``'s, who keeps every casting; ``speaker`` goes.

    What stood in brackets beside the name of ``speaker`` is kept as a note to the lines. Where ``into`` has no
    voice, or no rates of its own, in an edition, it takes over those of ``speaker``. Raises BadInput for two that are
    one, or that are not of one production.
    """
    if speaker.pk == into.pk or speaker.production_id != into.production_id:
        raise BadInput("Choose another speaker of this production to merge with.")
    with action(user, speaker.production, "merge_speakers") as record:
        record.summary = f"{speaker.name} → {into.name}"
        record.details = {"from": speaker.name, "into": into.name}
        aside = name_and_aside(speaker.name)[1]
        lines = list(Line.objects.select_for_update().filter(speaker=speaker))
        record.update_all([(line, {
            "speaker_id": into.pk, "notes": "; ".join(filter(None, [aside, line.notes])) if aside else line.notes,
        }) for line in lines])
        has = set(into.castings.values_list("edition_id", flat=True))
        for casting in speaker.castings.all():
            if casting.edition_id in has:
                record.delete(casting)
            else:
                record.update(casting, speaker_id=into.pk)
        for edition in speaker.production.editions.select_for_update():
            rates = dict(edition.timing.get("speakers", {}))
            own = rates.pop(str(speaker.pk), None)
            if own:
                # As with the voice: who stays keeps what they have.
                record.update(edition, timing={**edition.timing, "speakers": {str(into.pk): own, **rates}})
        record.delete(speaker)
    return into
