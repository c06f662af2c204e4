"""Writes down how long each test took, its setting up and taking down included: a pytest plugin of ``./janoglot test``.

Into the file that ``JANOGLOT_MEASURED`` names, as JSON: seconds by test. Where ``JANOGLOT_CHOSEN`` names a file, of what
is collected only the tests run that it lists, by their names or their files'.
"""

from __future__ import annotations

import json
import os
from collections import defaultdict
from pathlib import Path

import pytest

_seconds: defaultdict[str, float] = defaultdict(float)


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    place = os.environ.get("JANOGLOT_CHOSEN")
    if place:
        wanted = set(Path(place).read_text().splitlines())
        kept = [one for one in items if {one.nodeid, one.nodeid.partition("::")[0]} & wanted]
        config.hook.pytest_deselected(items=[one for one in items if one not in kept])
        items[:] = kept


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    _seconds[report.nodeid] += report.duration


def pytest_sessionfinish(session: pytest.Session) -> None:
    place = os.environ.get("JANOGLOT_MEASURED")
    # Of several processes the one that hears of all tests.
    if place and not hasattr(session.config, "workerinput"):
        Path(place).write_text(json.dumps(_seconds))
