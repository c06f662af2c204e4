"""Replace words in many lines of an edition."""

from __future__ import annotations

from collections.abc import Sequence

from janoglot.core.errors import BadInput
from janoglot.core.script.replacing import Hit
from janoglot.productions.models import LONGEST, Edition, Wording
from janoglot.productions.models.wordings import stamped
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.writing import source_words


def replace_words(user: Anyone, edition: Edition, hits: Sequence[Hit], what: str, reopen: bool = False) -> int:
    """How many lines were changed: those whose words are still what the hit was found in. ``what`` says in short
    what was replaced. Approved words of a translation are left, but with ``reopen``. Raises BadInput where a line
    would become too long."""
    with action(user, edition.production, "replace_words") as record:
        wordings = {w.line_id: w for w in Wording.objects.select_for_update().filter(
            edition=edition, line_id__in=[hit.line for hit in hits])}
        sources = {} if edition.is_source else source_words(edition.production, [hit.line for hit in hits])
        changes = []
        for hit in hits:
            wording = wordings.get(hit.line)
            if wording is None or wording.text != hit.text or hit.replaced == hit.text:
                continue
            if wording.state == Wording.State.APPROVED and not reopen and not edition.is_source:
                continue
            if len(hit.replaced) > LONGEST:
                raise BadInput("A line would have {count} characters; {most} at most.", count=len(hit.replaced),
                               most=LONGEST)
            text = hit.replaced.strip()
            state = Wording.State.EDITED if text else Wording.State.EMPTY
            changes.append((wording, {"text": text, "revision": wording.revision + 1,
                                      **stamped(user, state, sources.get(hit.line, "") if text else "")}))
        count = record.update_all(changes)
        record.details = {"count": count, "what": what, "language": edition.language}
        record.summary = f"{what}: {count} lines, {edition.language}"
    return count
