"""Making what is handed over, behind the page."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from janoglot.core.deliver.deliverable import Report, Stores
from janoglot.core.deliver.registry import DELIVERABLES, make_and_check
from janoglot.core.errors import JanoglotError
from janoglot.deliver.handing_over import NotReady
from janoglot.deliver.models import HandOver
from janoglot.productions.jobs import JobKind, Piece, register
from janoglot.productions.models import Job
from janoglot.server.storage import handed, mixes, takes

HAND_OVER_STATES = [(state, state) for state in ("absent", "making", "ready", "failed")]


@dataclass(frozen=True, slots=True)
class HandOverProgress:
    state: str
    fault: str = ""


def hand_over_progress(row: HandOver) -> HandOverProgress:
    """*absent* where it is not kept any more, or was never made."""
    if handed().has(row.key):
        return HandOverProgress("ready")
    job = Job.objects.filter(kind="deliver", subject=row.key).first()
    if job is None or job.state in ("stopped", "done"):
        return HandOverProgress("absent")
    return HandOverProgress("failed", job.fault) if job.state == "failed" else HandOverProgress("making")


def make_hand_over(piece: Piece) -> None:
    """Make a file by what was written down when it was asked for, and look at it. Raises FailedCheck; NotReady where
    what it is made of is not kept any more."""
    rows = HandOver.objects.filter(key=piece.job.subject)
    row = rows.first()
    if row is None:
        return
    if not handed().has(row.key):
        reports: list[Report] = []

        def make(place: Path) -> None:
            reports.append(make_and_check(DELIVERABLES[row.deliverable], order, Stores(takes(), mixes()), place))

        try:
            order = json.loads(handed().path(row.order_key).read_text())
            handed().write(row.key, make)
        except JanoglotError:
            raise
        except (OSError, KeyError, TypeError, ValueError) as error:
            raise NotReady("What this is made of is not kept any more: ask for it again.") from error
        rows.update(report=reports[0])
    handed().remove(row.order_key)


HANDING_OVER = register(JobKind("deliver", make_hand_over))
