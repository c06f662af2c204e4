"""Everything that can be handed over: one module for each kind of thing. Adding one touches two places."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from janoglot.core.deliver import captions, clips, hold_list, recording_sheet, scripts, sheets, template_clips, tracks
from janoglot.core.deliver.deliverable import Data, Deliverable, FailedCheck, Report, Stores

DELIVERABLES: dict[str, Deliverable] = {
    one.name: one for module in (
        tracks, clips, captions, hold_list, recording_sheet, scripts, sheets, template_clips)
    for one in module.DELIVERABLES}


def deliverable_named(name: str, of: Literal["edition", "production"]) -> Deliverable | None:
    found = DELIVERABLES.get(name)
    return found if found and found.of == of else None


def make_and_check(deliverable: Deliverable, order: Data, stores: Stores, place: Path) -> Report:
    """Write the file to ``place`` and look at it. Raises FailedCheck for one that is not what it should be, and
    whatever making it may raise."""
    report = deliverable.make(order, stores, place)
    try:
        return {**report, **deliverable.check(order, place, report)}
    except FailedCheck:
        raise
    except Exception as error:
        # Whatever a reader stumbles over: a file that cannot be read again is not handed over.
        raise FailedCheck("It cannot be read again: {reason}", reason=str(error)[:160]) from error
