"""Replace words in many lines of an edition."""

from __future__ import annotations

from collections.abc import Sequence

from janoglot.adapt.models import LONGEST, Wording
from janoglot.core.errors import BadInput
from janoglot.core.script.replacing import Hit
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def replace_words(user: Anyone, edition: Edition, hits: Sequence[Hit], what: str) -> int:
    """How many lines were changed: those whose words are still what the hit was found in. ``what`` says in short
    what was replaced. Raises BadInput where a line would become too long."""
    with action(user, edition.production, "replace_words") as record:
        wordings = {w.line_id: w for w in Wording.objects.select_for_update().filter(
            edition=edition, line_id__in=[hit.line for hit in hits])}
        changes = []
        for hit in hits:
            wording = wordings.get(hit.line)
            if wording is None or wording.text != hit.text or hit.replaced == hit.text:
                continue
            if len(hit.replaced) > LONGEST:
                raise BadInput("A line would have {count} characters; {most} at most.", count=len(hit.replaced),
                               most=LONGEST)
            text = hit.replaced.strip()
            changes.append((wording, {"text": text, "revision": wording.revision + 1,
                                      "state": Wording.State.EDITED if text else Wording.State.EMPTY}))
        count = record.update_all(changes)
        record.details = {"count": count, "what": what, "language": edition.language}
        record.summary = f"{what}: {count} lines, {edition.language}"
    return count
