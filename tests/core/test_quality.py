"""The quality report: which limits a line keeps, which lines come first, and what is printed."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.deliver.caption_rules import CaptionFault
from janoglot.core.deliver.quality import FASTEST, HEARD_LIMIT, SHOWN, LineQuality, quality_of, quality_table

GOOD = LineQuality(1, 1, "Keeper", "Mind the step.", "Cuidado con el escalón.", 1.0, 2.0, "Cuidado con el escalón.", 1.0)
MIX = {"lufs": -16.2, "true_peak_db": -1.4, "range_lu": 6.0}


def figures(lines: list[LineQuality], mix: Any = MIX, captions: tuple[CaptionFault, ...] = ()) -> dict[str, Any]:
    return {one.name: one for one in quality_of("es-MX", "The Stair", lines, mix, -16, captions).figures}


@pytest.mark.parametrize(("more", "faults"), [
    ({}, []), ({"agrees": None, "heard": ""}, []), ({"agrees": HEARD_LIMIT}, []), ({"agrees": HEARD_LIMIT - 0.01}, ["heard"]),
    ({"speed": FASTEST}, []), ({"speed": FASTEST + 0.01}, ["speed"]), ({"over": 0.001}, []), ({"over": 0.2}, ["over"]),
    ({"silent": True}, ["silent"]), ({"clear_lu": 2.0}, ["unclear"]), ({"doubts": ("a number",)}, ["doubtful"]),
    ({"said": ("Marisol: stiff",)}, ["remark"]), ({"read": False}, []),
    ({"agrees": 0.1, "speed": 2.0, "said": ("x",)}, ["heard", "speed", "remark"]),
])
def test_a_line_keeps_a_limit_or_does_not(more: dict[str, Any], faults: list[str]) -> None:
    line = replace(GOOD, **more)
    assert line.faults == faults
    # What does not keep a limit is looked at sooner than what is all right; what nobody has read, a little.
    assert line.worry > GOOD.worry or (not faults and line.read)


@given(st.lists(st.tuples(st.floats(0, 1), st.floats(0.8, 2), st.floats(0, 3), st.booleans()), max_size=40))
def test_the_worst_come_first_and_are_few(rows: list[tuple[float, float, float, bool]]) -> None:
    lines = [replace(GOOD, id=100 + number, number=number, start=3.0 * number, agrees=agrees, speed=speed, over=over, silent=silent)
             for number, (agrees, speed, over, silent) in enumerate(rows, 1)]
    report = quality_of("es-MX", "The Stair", lines, None, -16, ())
    worries = {one.id: one.worry for one in lines}
    assert len(report.worst) <= SHOWN
    assert [worries[one] for one in report.worst] == sorted((worries[one] for one in report.worst), reverse=True)
    left = [worry for pk, worry in worries.items() if pk not in report.worst]
    assert not left or not report.worst or len(report.worst) < SHOWN or max(left) <= min(worries[one] for one in report.worst)


def test_figures_have_their_limits() -> None:
    lines = [GOOD, replace(GOOD, id=2, number=2, start=2.5, agrees=0.5), replace(GOOD, id=3, number=3, start=None, agrees=None)]
    found = figures(lines)
    assert (found["voiced"].found, found["voiced"].kept) == (2, False)
    assert (found["listened"].found, found["listened"].kept) == (2, True)
    assert found["understood"].found == 75.0
    assert (found["not_heard"].found, found["overlaps"].found) == (1, 1)
    assert found["lufs"].kept
    assert not figures(lines, {**MIX, "lufs": -17})["lufs"].kept
    assert not figures(lines, {**MIX, "true_peak_db": -0.2})["true_peak_db"].kept
    assert "lufs" not in figures(lines, None)
    assert figures([replace(GOOD, agrees=None)])["understood"].kept is None


def test_captions_that_keep_no_rule_are_told_with_the_line_they_are_of() -> None:
    lines = [GOOD, replace(GOOD, id=2, number=2, start=4.0)]
    faults = tuple(CaptionFault(number, 1.0 + number / 4, "speed", 21.3, 17.0, "Cuidado con el escalón.") for number in range(16))
    report = quality_of("es-MX", "The Stair", lines, MIX, -16, (CaptionFault(1, 0.2, "short", 0.4, 0.8, "Ah."), *faults))
    told = report.as_json()
    assert [row["line"] for row in told["captions"]] == [None, *12 * [1], *4 * [2]]
    assert told["captions"][1]["text"] == "Cuidado con el escalón."
    about = quality_table(told).about
    assert "0:00:00.200 short 0.40 (limit 0.80)" in about
    assert about.count("speed 21.30") == 11
    assert "and 5 more" in about
    assert "captions to look at" not in quality_table(quality_of("es-MX", "The Stair", lines, MIX, -16, ()).as_json()).about


def test_what_is_printed_has_the_worst_first_in_words() -> None:
    lines = [GOOD, replace(GOOD, id=2, number=2, start=4.0, agrees=0.6), replace(GOOD, id=3, number=3, start=8.0, silent=True, agrees=0.1)]
    table = quality_table(quality_of("es-MX", "The Stair", lines, MIX, -16, ()).as_json())
    assert [row[0] for row in table.rows] == ["3", "2", "1"]
    assert [row[8] for row in table.rows] == ["not understood; silent", "not understood", ""]
    assert "true peak, dBTP" in table.about and "_" not in table.about
