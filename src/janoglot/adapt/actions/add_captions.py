"""Fill an edition's wordings from translated captions, matched by time."""

from __future__ import annotations

from janoglot.adapt.models import Wording
from janoglot.core.errors import BadInput
from janoglot.core.script.matching import Matched, match_by_time
from janoglot.core.script.model import Script
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.script.models import Line


def match_captions(edition: Edition, script: Script) -> tuple[list[Line], Matched]:
    """What :func:`add_captions` would write, with the problems. Raises BadInput where nothing matches."""
    if edition.is_source:
        raise BadInput("These are captions in the source language. Choose the edition that they translate into.")
    lines = list(Line.objects.filter(production_id=edition.production_id))
    return lines, match_by_time([line.slot for line in lines], script.lines)


def add_captions(user: Anyone, edition: Edition, script: Script) -> Matched:
    """Write the matched words; lines without a caption keep what they have."""
    lines, matched = match_captions(edition, script)
    with action(user, edition.production, "add_captions") as record:
        record.summary = f"{sum(map(bool, matched.wordings))} captions, {edition.language}"
        have = {wording.line_id: wording for wording in Wording.objects.select_for_update().filter(edition=edition)}
        for line, text in zip(lines, matched.wordings, strict=True):
            if not text:
                continue
            wording = have.get(line.pk)
            if wording is None:
                record.create(Wording(line=line, edition=edition, text=text, state=Wording.State.EDITED))
            elif wording.text != text:
                record.update(wording, text=text, state=Wording.State.EDITED, revision=wording.revision + 1)
    return matched
