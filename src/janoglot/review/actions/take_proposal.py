"""Take over a wording that a reviewer has proposed."""

from __future__ import annotations

from django.utils import timezone

from janoglot.core.errors import BadInput
from janoglot.productions.permissions import Anyone, signed_in
from janoglot.productions.recorder import action
from janoglot.productions.writing import NewWords, write_all
from janoglot.review.models import Remark


def take_proposal(user: Anyone, remark: Remark) -> None:
    """The line says what was proposed. Undoing puts the words back, and the remark stays taken. Raises BadInput where
    nothing is proposed, or the line is gone."""
    if not remark.proposed.strip() or remark.line_id is None:
        raise BadInput("Nothing is proposed there, or its line is gone.")
    with action(user, remark.edition.production, "take_proposal") as record:
        record.summary = f"{remark.link.name}, {remark.edition.language}"
        record.details = {"name": remark.link.name, "language": remark.edition.language}
        write_all(record, user, remark.edition, [NewWords(remark.line_id, remark.proposed)])
        Remark.objects.filter(pk=remark.pk).update(state=Remark.State.TAKEN, answered_by=signed_in(user),
                                                   changed=timezone.now())
