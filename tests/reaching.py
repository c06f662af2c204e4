"""Records which functions each test runs through: a pytest plugin of ``./janoglot test --record``.

Into the file that ``JANOGLOT_REACH`` names, as JSON: by function (``path::name``), tests. By coverage's own contexts.
"""

from __future__ import annotations

import json
import os
from collections import defaultdict
from collections.abc import Generator
from pathlib import Path

import coverage
import pytest

from janoglot.launcher.changed import function_at

HOME = Path(__file__).resolve().parents[1]
_found = coverage.Coverage(data_file=None, source=[str(HOME / "src" / "janoglot")], config_file=False)


def pytest_sessionstart() -> None:
    _found.start()
    # What is run while modules are read is nobody's.
    _found.switch_context("")


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Generator[None, object, object]:
    _found.switch_context(item.nodeid)
    answer = yield
    _found.switch_context("")
    return answer


def pytest_sessionfinish() -> None:
    _found.stop()
    data = _found.get_data()
    functions: defaultdict[str, set[str]] = defaultdict(set)
    for place in data.measured_files():
        path = str(Path(place).relative_to(HOME))
        inside = function_at(Path(place).read_text("utf-8"))
        for line, tests in data.contexts_by_lineno(place).items():
            if line in inside:
                functions[f"{path}::{inside[line]}"] |= {test for test in tests if test}
    Path(os.environ["JANOGLOT_REACH"]).write_text(json.dumps({name: sorted(tests) for name, tests in functions.items()}))
