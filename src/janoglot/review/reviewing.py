"""What reviewers have said of an edition, as the stages and what is handed over ask for it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from janoglot.core.deliver.tables import Column, Table, clock
from janoglot.core.edition.plan import MixPlan, PlannedLine
from janoglot.editions.state import EditionState
from janoglot.mix.models import Mix
from janoglot.productions.models import Edition, Production
from janoglot.review.models import Approval, Remark
from janoglot.server.storage import mixes

STAGE_OF = {"words": "adapt", "name": "adapt", "delivery": "direct", "timing": "time", "sound": "mix"}
"""Where a remark belongs, by its kind."""


def open_remarks(edition: Edition) -> list[Remark]:
    return list(Remark.objects.filter(edition=edition, state=Remark.State.OPEN).exclude(kind=Remark.Kind.FINE)
                .select_related("link"))


def said_of_lines(edition: Edition) -> dict[int, list[str]]:
    """By line, what was said of it and is open still."""
    found: dict[int, list[str]] = defaultdict(list)
    for one in open_remarks(edition):
        if one.line_id is not None:
            what = [f"{one.link.name}, {one.kind}", one.text or one.heard or one.proposed]
            found[one.line_id].append(": ".join(filter(None, what)))
    return found


def approvals_of(edition: Edition, state: EditionState) -> list[dict[str, Any]]:
    """Who has approved of it; ``current``: of it as it stands now."""
    return [{"by": one.link.name, "at": one.made, "current": one.recipe == state.mix_recipe}
            for one in Approval.objects.filter(edition=edition).select_related("link")]


def lines_approved(edition: Edition, state: EditionState) -> set[int]:
    """Lines that somebody has approved of with the whole edition, and that say what they said then."""
    words = {one.id: " ".join(one.words.split()) for one in state.lines}
    found: set[int] = set()
    for one in Approval.objects.filter(edition=edition).select_related("link"):
        mix = Mix.objects.filter(edition=edition, recipe=one.recipe).first()
        for line in _planned(mix) if mix else ():
            asked = not one.link.lines or line.line in one.link.lines
            if asked and words.get(line.line) == " ".join(line.words.split()):
                found.add(line.line)
    return found


def _planned(mix: Mix) -> Sequence[PlannedLine]:
    """The lines of a mix; none where it is not known any more what they were."""
    try:
        return MixPlan.read(mixes().path(mix.plan_key)).lines
    except (OSError, KeyError, TypeError, ValueError):
        return ()


def remarks_table(production: Production) -> Table:
    """Everything that was said, as a list to keep."""
    columns = (Column("number", 8), Column("edition", 10), Column("line", 6), Column("at", 12), Column("by", 16),
               Column("kind", 10), Column("remark", 44), Column("line said", 40, True), Column("proposed", 40, True),
               Column("state", 8), Column("answer", 40), Column("answered by", 14), Column("when", 18))
    numbers = {pk: number for number, pk in enumerate(
        production.lines.values_list("id", flat=True), 1)}
    rows = [[str(one.pk), one.edition.language, str(numbers.get(one.line_id or 0, "")), clock(one.at), one.link.name,
             one.kind, "\n".join(filter(None, [one.text, f"(spoken) {one.heard}".strip() if one.sound else ""])),
             one.about, one.proposed, one.state, one.answer,
             one.answered_by.username if one.answered_by else "", one.made.strftime("%Y-%m-%d %H:%M")]
            for one in Remark.objects.filter(edition__production=production).select_related(
                "edition", "link", "answered_by")]
    return Table(f"{production.name}: remarks", "", production.source_language, columns, rows)
