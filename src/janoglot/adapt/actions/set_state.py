"""Say that wordings are approved, or that they are not (any more)."""

from __future__ import annotations

from collections.abc import Collection

from janoglot.core.errors import BadInput
from janoglot.productions.models import Edition, Wording
from janoglot.productions.models.wordings import stamped
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.writing import source_words


def set_state(user: Anyone, edition: Edition, line_ids: Collection[int], state: str) -> int:
    """``state``: approved, edited or draft. Lines without words stay empty. Gives back how many changed.

    What is approved now says what the source says now. Raises BadInput.
    """
    if state not in (Wording.State.APPROVED, Wording.State.EDITED, Wording.State.DRAFT):
        raise BadInput("Wordings are drafts, edited or approved; not “{state}”.", state=state)
    with action(user, edition.production, "set_state") as record:
        sources = source_words(edition.production, line_ids)
        rows = Wording.objects.select_for_update().filter(edition=edition, line_id__in=line_ids).exclude(text="")
        count = record.update_all([
            (row, {**stamped(user, state, sources.get(row.line_id, ""), row.origin,
                             row.doubt if state == Wording.State.DRAFT else {}), "revision": row.revision + 1})
            for row in rows if row.state != state or row.worded_from != sources.get(row.line_id, "")])
        record.details = {"count": count, "language": edition.language, "state": state}
        record.summary = f"{count} lines {state}, {edition.language}"
    return count
