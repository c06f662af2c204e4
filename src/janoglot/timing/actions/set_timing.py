"""Change how an edition is timed: its limits and tolerances, and the rates of single voices."""

from __future__ import annotations

from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.timing.settings import RATES, TimingSettings, checked_timing, require_consistent, timing_of
from janoglot.productions.models import Edition
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_timing(user: Anyone, edition: Edition, changes: dict[str, Any]) -> Edition:
    """``changes``: fields of TimingSettings by name, None putting one back; and ``speakers``: by speaker id, that
    voice's own rates, None putting them back. Raises BadInput."""
    timing = dict(edition.timing)
    speakers = {**timing.pop("speakers", {}), **(changes.get("speakers") or {})}
    given = {name: value for name, value in changes.items() if name != "speakers"}
    for name in [name for name, value in given.items() if value is None]:
        timing.pop(name, None)
    timing.update(checked_timing({name: value for name, value in given.items() if value is not None}))
    usual = TimingSettings()
    timing = {name: value for name, value in timing.items() if value != getattr(usual, name)}
    require_consistent(TimingSettings(**timing))
    kept = {}
    there = {str(pk) for pk in edition.production.speakers.values_list("id", flat=True)}
    for speaker, own in speakers.items():
        if not own or (str(speaker) not in there and str(speaker) in edition.timing.get("speakers", {})):
            # Put back; or left by somebody who is gone.
            continue
        if not set(own) <= set(RATES) or str(speaker) not in there:
            raise BadInput("Rates of a voice are given by the speaker and the names {names}.", names=", ".join(RATES))
        kept[str(speaker)] = checked_timing(own)
        require_consistent(timing_of({**timing, **kept[str(speaker)]}))
    if kept:
        timing["speakers"] = kept
    with action(user, edition.production, "set_timing", goes_on=True) as record:
        record.summary = edition.language
        record.details = {"language": edition.language}
        record.update(edition, timing=timing)
    return edition

