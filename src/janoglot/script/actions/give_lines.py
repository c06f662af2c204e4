"""Give lines to a speaker."""

from __future__ import annotations

from collections.abc import Collection

from janoglot.core.errors import BadInput
from janoglot.core.script.labels import name_and_aside
from janoglot.core.script.limits import LONGEST_NAME
from janoglot.productions.models import Line, Production, Speaker
from janoglot.productions.neighbours import lines_of
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import Recorder, action


def give_lines(user: Anyone, production: Production, ids: Collection[int], speaker: str) -> Speaker:
    """``speaker`` is a name: one of the production's, in any case, or a new one, who is added.

    Raises BadInput for an empty or over-long name and for lines that are not there.
    """
    with action(user, production, "give_lines") as record:
        lines = lines_of(production, ids)
        to = speaker_named(production, speaker, record)
        record.details = {"count": len(lines), "speaker": to.name}
        record.summary = f"{len(lines)} lines → {to.name}"
        record.update_all([(line, {"speaker_id": to.pk}) for line in lines])
    return to


def give_all_of(user: Anyone, production: Production, speaker: Speaker, name: str) -> Speaker:
    """Give every line of ``speaker`` to who is called ``name``. Raises BadInput as :func:`give_lines`."""
    ids = list(Line.objects.filter(production=production, speaker=speaker).values_list("id", flat=True))
    if not ids:
        raise BadInput("{speaker} has no lines to give.", speaker=speaker.name)
    return give_lines(user, production, ids, name)


def speaker_named(production: Production, name: str, record: Recorder) -> Speaker:
    """The speaker of that name in any case, added where there is none. Raises BadInput."""
    name, _ = name_and_aside(name)
    if not name:
        raise BadInput("A speaker needs a name.")
    if len(name) > LONGEST_NAME:
        raise BadInput("A name may have {most} characters at most.", most=LONGEST_NAME)
    speakers = list(Speaker.objects.filter(production=production))
    exact = next((one for one in speakers if one.name == name), None)
    found = exact or next((one for one in speakers if one.name.casefold() == name.casefold()), None)
    if found:
        return found
    return record.create(Speaker(production=production, name=name,
                                 position=max((one.position for one in speakers), default=-1) + 1))
