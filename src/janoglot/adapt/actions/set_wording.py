"""Write one line's words in one edition."""

from __future__ import annotations

from janoglot.adapt.models import LONGEST, Wording
from janoglot.core.errors import BadInput
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.script.models import Line
from janoglot.server.faults import Conflict


def set_wording(user: Anyone, line: Line, edition: Edition, text: str, revision: int) -> Wording:
    """``revision`` is the one that the words were typed over.

    Raises Conflict, with what stands there now, where somebody else has changed it since, and BadInput
    for words that are too long.
    """
    text = text.strip()
    if len(text) > LONGEST:
        raise BadInput("One line may have {most} characters at most; this has {count}. Split the line.",
                       most=LONGEST, count=len(text))
    with action(user, edition.production, "set_wording") as record:
        record.summary = f"Line {line.position + 1}, {edition.language}"
        wording = Wording.objects.select_for_update().filter(line=line, edition=edition).first()
        state = Wording.State.EDITED if text else Wording.State.EMPTY
        if wording is None:
            return record.create(Wording(line=line, edition=edition, text=text, state=state))
        if wording.revision != revision and wording.text != text:
            raise Conflict("Somebody else has changed this line since you began. Your words are kept here; theirs "
                           "are “{theirs}”.", {"text": wording.text, "revision": wording.revision},
                           theirs=wording.text[:120])
        if wording.text != text:
            record.update(wording, text=text, state=state, revision=wording.revision + 1)
    return wording
