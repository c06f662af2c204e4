"""Letting go what nothing needs any more."""

from __future__ import annotations

import time
from datetime import timedelta

from janoglot.productions.actions.delete_production import purge_deleted
from janoglot.productions.attempts import forget_attempts
from janoglot.productions.keeping import tidy
from janoglot.server.work import looked_after

_EVERY = 3600.0
_tidied = 0.0


@looked_after
def tidy_up(still: timedelta | None) -> None:
    """Once in an hour; never while a worker starts."""
    global _tidied
    if still is None or time.monotonic() - _tidied < _EVERY:
        return
    _tidied = time.monotonic()
    forget_attempts()
    purge_deleted()
    tidy()
