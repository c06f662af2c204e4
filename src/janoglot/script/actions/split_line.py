"""Make two lines of one, at a place in its words."""

from __future__ import annotations

from janoglot.adapt.models import Wording
from janoglot.adapt.writing import cut_or_joined, stamped
from janoglot.cast.models import LineCasting
from janoglot.core.errors import BadInput
from janoglot.core.script.cutting import share_at, split_at, split_like, split_slot
from janoglot.core.script.order import between
from janoglot.direct.models import Take
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import Recorder, action
from janoglot.script.models import Line
from janoglot.script.neighbours import following
from janoglot.server.faults import Conflict
from janoglot.timing.models import LineTiming


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
        halves = {w.edition_id: _halves(w, edition, left, right, share) for w in wordings}
        source = next((w for w in wordings if w.edition.is_source), None)
        source_was = source.text if source else ""
        source_now = halves[source.edition_id] if source else ("", "")
        added = []
        for wording in wordings:
            first, second = halves[wording.edition_id]
            # Asked for before the row is changed.
            behind = Wording(line=new, edition_id=wording.edition_id,
                             **cut_or_joined(user, second, wording.state, wording, source_now[1], source_was))
            if wording.text != first:
                record.update(wording, revision=wording.revision + 1,
                              **cut_or_joined(user, first, wording.state, wording, source_now[0], source_was))
            added.append(behind)
        if own is None:
            state = Wording.State.EDITED if right else Wording.State.EMPTY
            added.append(Wording(line=new, edition=edition, text=right, **stamped(user, state)))
        record.create_all(added)
        # What the line has of its own, both halves have.
        copies = []
        for row in LineCasting.objects.filter(line=line):
            row.pk, row.line, row._state.adding = None, new, True
            copies.append(row)
        record.create_all(copies)
        _cut_timings(record, line, new, share, bool(left and right))
    return new


def _halves(wording: Wording, edition: Edition, left: str, right: str, share: float) -> tuple[str, str]:
    """What each of the two lines says of ``wording``, whose line is cut in ``edition`` into ``left`` and ``right``."""
    if wording.edition_id == edition.pk:
        return left, right
    if not left:
        return "", wording.text
    return split_like(wording.text, share) if right else (wording.text, "")


def _cut_timings(record: Recorder, line: Line, new: Line, share: float, both: bool) -> None:
    """Both halves keep the limits that were set; a length is shared, a place and a pause stay with what comes first."""
    for row in LineTiming.objects.select_for_update().filter(line=line):
        behind = {name: value for name, value in row.own.items() if name not in ("at", "pause", "early")}
        if behind.get("mode") == "pinned":
            behind.pop("mode")
        before = dict(row.own)
        if "seconds" in before and both:
            before["seconds"] = max(0.1, round(row.own["seconds"] * share, 3))
            behind["seconds"] = max(0.1, round(row.own["seconds"] - before["seconds"], 3))
        if not both:
            behind.pop("seconds", None)
        if behind:
            record.create(LineTiming(edition_id=row.edition_id, line=new, own=behind))
        record.update(row, own=before)
