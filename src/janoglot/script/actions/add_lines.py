"""Put new lines into a script."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from janoglot.core.edition.directed_by_notes import direct_by_notes
from janoglot.core.edition.from_script import settle_delivery
from janoglot.core.errors import BadInput
from janoglot.core.script.limits import MOST_LINES
from janoglot.core.script.model import Script, ScriptLine
from janoglot.productions.line_ties import hear_from
from janoglot.productions.models import LONGEST, Edition, Line, LineDirection, Production, Wording
from janoglot.productions.neighbours import places_after
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.script.actions.give_lines import speaker_named

UNNAMED = "Unnamed"


def add_lines(user: Anyone, production: Production, rows: Sequence[ScriptLine], after: int | None) -> list[Line]:
    """New lines directly after line ``after`` (None: at the very beginning), in its part.

    Who is not named is who speaks the line before, or "Unnamed". Words are of the source edition; wordings of
    other editions are kept where the production has them. They are directed as the directions among their words say.
    Raises BadInput for too many or too long ones.
    """
    if not rows:
        raise BadInput("There are no lines to add.")
    if Line.objects.filter(production=production).count() + len(rows) > MOST_LINES:
        raise BadInput("A script may have {most} lines at most.", most=MOST_LINES)
    script = Script(lines=list(rows))
    direct_by_notes(script)
    settle_delivery(script, production.source_language)
    editions = {edition.language: edition for edition in Edition.objects.filter(production=production)}
    with action(user, production, "add_lines") as record:
        places, before = places_after(production, after, len(rows))
        speakers = {"": before.speaker if before else None}
        lines, wordings = [], []
        for row, place in zip(rows, places, strict=True):
            if len(row.words) > LONGEST:
                raise BadInput("One line may have {most} characters at most; this has {count}. Split the line.",
                               most=LONGEST, count=len(row.words))
            speaker = speakers.get(row.speaker)
            if speaker is None:
                speaker = speakers[row.speaker] = speaker_named(production, row.speaker or UNNAMED, record)
            slot = row.slot
            lines.append(Line(
                production=production, part_id=before.part_id if before else None, speaker=speaker, position=place,
                notes=row.notes, start_ms=round(slot[0] * 1000) if slot else None,
                end_ms=round(slot[1] * 1000) if slot else None))
        record.create_all(lines)
        for line, row in zip(lines, rows, strict=True):
            for tag, edition in editions.items():
                in_source = edition.language == production.source_language
                text = row.words if in_source else row.wordings.get(tag, "")
                wordings.append(Wording(line=line, edition=edition, text=text,
                                        worded_from=row.words if text and not in_source else "",
                                        state=Wording.State.EDITED if text else Wording.State.EMPTY))
        record.create_all(wordings)
        record.create_all(list(_directions(editions, rows, lines)))
        hear_from(record, production, {line.pk: row.room for line, row in zip(lines, rows, strict=True) if row.room})
        record.details = {"count": len(lines)}
        record.summary = f"{len(lines)} lines"
    return lines


def _directions(editions: Mapping[str, Edition], rows: Sequence[ScriptLine],
                lines: Sequence[Line]) -> Iterator[LineDirection]:
    for row, line in zip(rows, lines, strict=True):
        for tag, told in row.own.items():
            made = LineDirection.from_script_json(told["direction"]) if "direction" in told else None
            if made is not None and tag in editions:
                made.line, made.edition = line, editions[tag]
                yield made
