"""Write one line's words in one edition."""

from __future__ import annotations

from janoglot.core.errors import BadInput
from janoglot.productions.models import LONGEST, Edition, Line, Wording
from janoglot.productions.models.wordings import stamped
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.writing import source_words
from janoglot.server.faults import Conflict


class Approved(Conflict):
    """The words are approved, and nobody said that they may be changed all the same."""

    code = "approved"


def set_wording(user: Anyone, line: Line, edition: Edition, text: str, revision: int, reopen: bool = False) -> Wording:
    """``revision`` is the one that the words were typed over. ``reopen`` lets approved words be changed.

    Raises Conflict, with what stands there now, where somebody else has changed it since; Approved; and BadInput
    for words that are too long.
    """
    text = text.strip()
    if len(text) > LONGEST:
        raise BadInput("One line may have {most} characters at most; this has {count}. Split the line.",
                       most=LONGEST, count=len(text))
    with action(user, edition.production, "set_wording", goes_on=True) as record:
        record.summary = f"Line {line.number}, {edition.language}"
        record.details = {"number": line.number, "language": edition.language}
        wording = Wording.objects.select_for_update().filter(line=line, edition=edition).first()
        state = Wording.State.EDITED if text else Wording.State.EMPTY
        source = "" if edition.is_source else source_words(edition.production, [line.pk]).get(line.pk, "")
        values = stamped(user, state, source if text else "")
        if wording is None:
            return record.create(Wording(line=line, edition=edition, text=text, **values))
        if wording.revision != revision and wording.text != text:
            raise Conflict("Somebody else has changed this line since you began. Your words are kept here; theirs "
                           "are “{theirs}”.", {"text": wording.text, "revision": wording.revision},
                           theirs=wording.text[:120])
        if wording.text != text:
            if wording.state == Wording.State.APPROVED and not reopen and not edition.is_source:
                raise Approved("These words are approved. Say that you want to change them all the same.",
                               {"text": wording.text, "revision": wording.revision})
            record.update(wording, text=text, revision=wording.revision + 1, **values)
    return wording
