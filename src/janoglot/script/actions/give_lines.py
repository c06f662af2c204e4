"""Give lines to a speaker."""

from __future__ import annotations

from collections.abc import Collection, Sequence

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
        to = speaker_named(production, speaker, record, as_typed=True)
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


def speaker_named(production: Production, name: str, record: Recorder, as_typed: bool = False) -> Speaker:
    """The speaker of that name in any case, added where there is none. What stands in brackets is no part of the name,
    unless somebody types it beside a name that is there (``as_typed``): that one is meant to be another. Raises
    BadInput."""
    typed, name = " ".join(name.split()), name_and_aside(name)[0]
    if not name:
        raise BadInput("A speaker needs a name.")
    speakers = list(Speaker.objects.filter(production=production))
    if as_typed and typed != name and _called(name, speakers):
        name = typed
    if len(name) > LONGEST_NAME:
        raise BadInput("A name may have {most} characters at most.", most=LONGEST_NAME)
    return _called(name, speakers) or record.create(Speaker(
        production=production, name=name, position=max((one.position for one in speakers), default=-1) + 1))


def _called(name: str, speakers: Sequence[Speaker]) -> Speaker | None:
    exact = next((one for one in speakers if one.name == name), None)
    return exact or next((one for one in speakers if one.name.casefold() == name.casefold()), None)
