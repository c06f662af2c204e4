"""What a change can affect is found by what tests ran through, by name."""

from __future__ import annotations

from pathlib import Path

import pytest

from janoglot.launcher import changed
from janoglot.launcher.changed import (
    JOURNEYS,
    MODULE,
    Change,
    Reach,
    function_at,
    functions_in,
    otherwise,
    told_of,
    within,
)
from janoglot.launcher.places import Trouble

HOME = Path(__file__).resolve().parents[2]
BEFORE = '''"""A module."""
LIMIT = 3

def one(a):
    """Says one."""
    return a + LIMIT

class Tide:
    high = 1

    def turn(self):
        def inner():
            return 2
        return inner()

    async def wait(self):
        return self.high
'''


def test_functions_have_names_of_where_they_stand() -> None:
    assert set(functions_in(BEFORE)) == {MODULE, "one", "Tide.turn", "Tide.turn.inner", "Tide.wait"}


@pytest.mark.parametrize(("old", "new", "names"), [
    ("", "", set()),
    ("return a + LIMIT", "return a - LIMIT", {"one"}),
    ("return 2", "return 3", {"Tide.turn", "Tide.turn.inner"}),
    ("return self.high", "return 0", {"Tide.wait"}),
    ("LIMIT = 3", "LIMIT = 4", {MODULE}),
    ("high = 1", "high = 2", {MODULE}),
    ("def one(a)", "def one(a=1)", {MODULE, "one"}),
    ("def one", "def two", {MODULE, "one", "two"}),
    # What people read is no change.
    ('"""Says one."""', '"""Says another."""', set()), ('"""A module."""', '"""Some module."""', set()),
    ("LIMIT = 3", "LIMIT  =  3  # at most", set()),
])
def test_what_is_otherwise(old: str, new: str, names: set[str]) -> None:
    assert otherwise(BEFORE, BEFORE.replace(old, new, 1) if old else BEFORE) == names


def test_a_module_that_came_or_went_or_cannot_be_read_is_all_of_it() -> None:
    assert otherwise(None, BEFORE) >= {MODULE, "one", "Tide.turn"}
    assert otherwise(BEFORE, None) >= {MODULE, "one", "Tide.wait"}
    assert otherwise(BEFORE, "def broken(") == {MODULE}


def test_lines_belong_to_the_innermost_function() -> None:
    lines = BEFORE.splitlines()
    at = {text.strip(): number for number, text in enumerate(lines, 1)}
    found = function_at(BEFORE)
    assert found[at["return a + LIMIT"]] == "one"
    assert found[at["return 2"]] == "Tide.turn.inner"
    assert found[at["return inner()"]] == "Tide.turn"
    assert at["high = 1"] not in found
    # What stands in the head of a function is run when the module is read.
    assert at["def one(a):"] not in found


@pytest.fixture
def reach(tmp_path: Path) -> Reach:
    Reach.write({"src/a.py::one": ["tests/core/test_a.py::x", "tests/core/test_a.py::y"], "src/a.py::two": ["tests/core/test_a.py::y"],
                 "src/b.py::three": ["tests/core/test_a.py::y", "tests/server/test_b.py::z"]},
                {"tests/core/test_a.py::x": 2.0, "tests/core/test_a.py::y": 50.0}, tmp_path / "reach.json.gz")
    return Reach.read(tmp_path / "reach.json.gz")


def test_the_record_comes_back_and_is_the_same_bytes(reach: Reach, tmp_path: Path) -> None:
    assert reach.of("src/a.py", ["two"]) == {"tests/core/test_a.py::y"}
    assert reach.of("src/a.py", [MODULE]) == {"tests/core/test_a.py::x", "tests/core/test_a.py::y"}
    assert reach.of("src/b.py", ["three", "unknown"]) == {"tests/core/test_a.py::y", "tests/server/test_b.py::z"}
    assert reach.seconds["tests/core/test_a.py::y"] == 50.0
    Reach.write(reach.tests, reach.seconds, tmp_path / "again")
    assert (tmp_path / "again").read_bytes() == (tmp_path / "reach.json.gz").read_bytes()
    with pytest.raises(Trouble, match="--record"):
        Reach.read(tmp_path / "nowhere")


def test_those_that_run_through_least_come_first_and_what_does_not_fit_is_told(reach: Reach) -> None:
    tests = ["tests/core/test_a.py::y", "tests/core/test_a.py::x", "tests/core/test_new.py"]
    assert within(tests, reach, 10.0) == (["tests/core/test_new.py", "tests/core/test_a.py::x"], ["tests/core/test_a.py::y"])
    chosen, left = within(tests, reach, 100.0)
    assert sorted(chosen) == sorted(tests) and not left
    assert told_of(left, reach) == ""
    assert "1 tests, 1 min" in told_of(["tests/core/test_a.py::y"], reach)
    assert "tests/core/test_a.py" in told_of(["tests/core/test_a.py::y"], reach)


def test_journeys_go_by_the_stage_they_walk() -> None:
    named = {name for some in JOURNEYS.values() for name in some}
    assert {name for name in named if not (HOME / "tests" / "e2e" / name).exists()} == set()
    every = {place.name for place in (HOME / "tests" / "e2e").glob("test_*.py")}
    assert every <= named, "a journey that no change would ever run"
    assert Change("HEAD", ["web/src/stages/mix/MixStage.tsx"]).journeys() == ["tests/e2e/test_sound_world.py"]
    assert Change("HEAD", ["web/src/stages/mix/MixStage.test.tsx", "docs/sound.md"]).journeys() == []
    assert "tests/e2e/test_review.py" in Change("HEAD", ["src/janoglot/review/page_api.py"]).journeys()


def test_data_beside_code_is_the_modules_that_name_it(monkeypatch: pytest.MonkeyPatch, reach: Reach) -> None:
    monkeypatch.setattr(changed, "_naming", lambda name: ["src/a.py"] if name == "table.json" else [])
    found = Change("HEAD", ["src/janoglot/table.json"]).tests(Reach({"src/a.py::one": frozenset({"tests/core/test_changed.py::x"})}, {}))
    assert found == {"tests/core/test_changed.py::x"}


def test_a_base_that_is_none_is_said() -> None:
    with pytest.raises(Trouble, match="is no commit"):
        changed.change_since("no-such-thing")
