"""Make two lines of one, at a place in its words."""

from __future__ import annotations

from janoglot.core.errors import BadInput
from janoglot.core.script.cutting import share_at, split_at, split_slot
from janoglot.core.script.order import between
from janoglot.productions.belonging import Cut, split_belongings
from janoglot.productions.line_ties import follow_all, follow_split
from janoglot.productions.models import Edition, Line, Take, Wording
from janoglot.productions.neighbours import following
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.server.faults import Conflict


def split_line(user: Anyone, line: Line, edition: Edition, text: str, at: int, revision: int) -> Line:
    """The new line, which comes after ``line`` with its speaker, part and notes left behind.

    ``text`` are the edition's words as they were typed, cut at ``at``. The slot is cut at the word where that is
    known from the take, else in proportion; other editions' wordings between the sentences nearest to there.
    Raises Conflict where somebody changed the words since ``revision``, BadInput for a place outside them.
    """
    if not 0 <= at <= len(text):
        raise BadInput("A line can only be cut inside its words.")
    left, right = split_at(text, at)
    with action(user, line.production, "split_line") as record:
        wordings = list(Wording.objects.select_for_update().select_related("edition").filter(line=line))
        own = next((w for w in wordings if w.edition_id == edition.pk), None)
        if own and own.revision != revision and own.text != text:
            raise Conflict("Somebody else has changed this line since you began. Your words are kept here; theirs "
                           "are “{theirs}”.", {"text": own.text, "revision": own.revision}, theirs=own.text[:120])
        take = Take.objects.filter(pk=own.take_id).first() if own and own.text == text else None
        share = share_at(text, at, [tuple(mark) for mark in take.words] if take else ())
        number = line.number
        record.summary = f"Line {number}"
        record.details = {"number": number}
        after = following(line)
        new = Line(production_id=line.production_id, part_id=line.part_id, speaker_id=line.speaker_id, kind=line.kind,
                   in_sight=line.in_sight, position=between(line.position, after.position if after else None))
        if line.slot and right and left:
            (start, middle), (_, end) = split_slot(line.slot, share)
            new.start_ms, new.end_ms = round(middle * 1000), round(end * 1000)
            record.update(line, start_ms=round(start * 1000), end_ms=round(middle * 1000))
        elif line.slot and right:
            # Cut at the very start: the words and their time go to the new line.
            new.start_ms, new.end_ms = line.start_ms, line.end_ms
            record.update(line, start_ms=None, end_ms=None)
        record.create(new)
        split_belongings(record, Cut(user, line, new, edition, left, right, share))
        if left and right:
            follow_split(record, line, new)
        elif right:
            follow_all(record, line, new)
    return new
