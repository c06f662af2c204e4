"""Take lines over from SSML: their words, what is directed of them, and words in other languages; as one act."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from janoglot.core.speech.directing import carried
from janoglot.core.speech.moods import moods_of
from janoglot.core.speech.ssml import DirectedLine
from janoglot.direct.actions.set_direction import set_on
from janoglot.productions.models import Edition, Line, LineCasting, LineDirection, Wording, line_numbers
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import Recorder, action
from janoglot.productions.writing import NewWords, write_all


def directed_lines(edition: Edition, lines: Sequence[Line]) -> list[DirectedLine]:
    """Lines as they are directed now, by number and speaker."""
    words = dict(Wording.objects.filter(edition=edition, line__in=lines).values_list("line_id", "text"))
    directions = {row.line_id: row for row in LineDirection.objects.filter(edition=edition, line__in=lines)}
    castings = {row.line_id: row for row in LineCasting.objects.filter(edition=edition, line__in=lines)}
    numbers = line_numbers(edition.production_id)
    found = []
    for line in lines:
        text = " ".join(words.get(line.pk, "").split())
        row, own = directions.get(line.pk), castings.get(line.pk)
        found.append(DirectedLine(
            text, carried(row.core_marks, row.said, text)[0] if row else (), moods_of(row.moods) if row else (),
            row.variant if row else 0,
            tuple((one["words"], one["language"]) for one in own.foreign) if own else (), numbers[line.pk],
            line.speaker.name))
    return found


def bring_ssml(user: Anyone, edition: Edition, told: Sequence[tuple[Line, DirectedLine]]) -> int:
    """Have these lines as they are told. Gives back how many were otherwise before. Raises BadInput."""
    before = dict(zip((line.pk for line, _ in told), directed_lines(edition, [line for line, _ in told]), strict=True))
    changed = [(line, one) for line, one in told if not same(before[line.pk], one)]
    with action(user, edition.production, "bring_ssml") as record:
        record.summary = f"{len(changed)} lines, {edition.language}"
        record.details = {"count": len(changed), "language": edition.language}
        write_all(record, user, edition, [NewWords(line.pk, one.words) for line, one in changed
                                          if before[line.pk].words != one.words])
        for line, one in changed:
            changes: dict[str, Any] = {"marks": [mark.as_json() for mark in one.marks], "moods": dict(one.moods),
                                       "variant": one.variant}
            set_on(record, edition, line, changes)
            if before[line.pk].foreign != one.foreign:
                _set_foreign(record, edition, line, one)
    return len(changed)


def same(one: DirectedLine, other: DirectedLine) -> bool:
    """Whether two say the same, whoever says it and wherever."""
    return (one.words, one.marks, one.moods, one.variant, one.foreign) == (
        other.words, other.marks, other.moods, other.variant, other.foreign)


def _set_foreign(record: Recorder, edition: Edition, line: Line, told: DirectedLine) -> None:
    foreign = [{"words": words, "language": language} for words, language in told.foreign]
    row = LineCasting.objects.select_for_update().filter(edition=edition, line=line).first()
    if row is not None:
        record.update(row, foreign=foreign)
    elif foreign:
        record.create(LineCasting(edition=edition, line=line, foreign=foreign))
