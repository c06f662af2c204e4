"""Take over a wording that a reviewer has proposed."""

from __future__ import annotations

from django.utils import timezone

from janoglot.core.errors import BadInput
from janoglot.productions.models import Line, Wording
from janoglot.productions.permissions import Anyone, signed_in
from janoglot.productions.recorder import action
from janoglot.productions.writing import NewWords, write_all
from janoglot.review.models import Remark
from janoglot.server.faults import Conflict


def take_proposal(user: Anyone, remark: Remark, anyway: bool = False) -> None:
    """The line says what was proposed. Undoing puts the words back, and the remark stays taken. Raises BadInput where
    nothing is proposed, or the line is gone; Conflict where the line says something else by now than when it was
    proposed, unless it is to be so ``anyway``."""
    if not remark.proposed.strip() or remark.line_id is None or not Line.objects.filter(
            pk=remark.line_id, production=remark.edition.production_id).exists():
        raise BadInput("Nothing is proposed there, or its line is gone.")
    with action(user, remark.edition.production, "take_proposal") as record:
        said = Wording.objects.select_for_update().filter(edition=remark.edition, line=remark.line_id).values_list(
            "text", flat=True).first() or ""
        if not anyway and remark.about and said not in (remark.about, remark.proposed):
            raise Conflict("The line says something else since this was proposed: “{words}”. Take it all the same, or "
                           "leave it.", said, words=said[:200])
        record.summary = f"{remark.link.name}, {remark.edition.language}"
        record.details = {"name": remark.link.name, "language": remark.edition.language}
        write_all(record, user, remark.edition, [NewWords(remark.line_id, remark.proposed)])
        Remark.objects.filter(pk=remark.pk).update(state=Remark.State.TAKEN, answered_by=signed_in(user),
                                                   changed=timezone.now())
