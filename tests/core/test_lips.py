from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.speech.takes import WordMark
from janoglot.core.timing.lips import MouthShape, agreement, mouth_shapes, ranked

shapes = st.lists(st.builds(MouthShape, st.floats(0, 5), st.sampled_from(["closed", "teeth", "open"])), max_size=8).map(
    lambda found: sorted(found, key=lambda one: one.at))


def test_lips_close_at_p_b_and_m_and_meet_the_teeth_at_f_and_v() -> None:
    assert [one.shape for one in mouth_shapes("Bim, pub.", "en-GB", (), 1.0)].count("closed") == 4
    assert [one.shape for one in mouth_shapes("five", "en-GB", (), 1.0) if one.shape == "teeth"] == ["teeth", "teeth"]
    assert [one.shape for one in mouth_shapes("mamá", "es-MX", (), 1.0)] == ["closed", "open", "closed", "open"]


def test_times_are_those_of_the_words_where_they_are_known() -> None:
    marks = (WordMark(0.0, 0.4, 0, 2), WordMark(2.0, 2.5, 3, 3))
    found = mouth_shapes("We map", "en-GB", marks, 2.5)
    assert [one.shape for one in found] == ["closed", "open", "closed"]
    assert all(2.0 <= one.at <= 2.5 for one in found)


def test_a_mouth_agrees_with_itself_and_less_the_later_it_comes() -> None:
    mine = mouth_shapes("Maybe the pump moved before.", "en-GB", (), 2.0)
    later = [MouthShape(one.at + 0.1, one.shape) for one in mine]
    far = [MouthShape(one.at + 1.5, one.shape) for one in mine]
    scores = [agreement(mine, other).score or 0.0 for other in (mine, later, far)]
    assert scores[0] == 1.0
    assert scores == sorted(scores, reverse=True)
    assert scores[2] < 0.4


def test_the_nudge_is_the_one_that_undoes_the_delay_and_stays_within_what_is_allowed() -> None:
    mine = mouth_shapes("Maybe the pump moved before.", "en-GB", (), 2.0)
    later = [MouthShape(one.at + 0.06, one.shape) for one in mine]
    found = agreement(mine, later, early=0.08, late=0.08)
    assert found.nudge == pytest.approx(-0.06, abs=0.011)
    assert (found.nudged or 0) > (found.score or 0)
    assert agreement(mine, later, early=0.02, late=0.02).nudge >= -0.02
    assert agreement(mine, mine, early=0.08, late=0.08).nudge == 0


def test_where_nothing_can_be_told_nothing_is() -> None:
    assert agreement([], []).score is None
    assert mouth_shapes("", "en-GB", (), 1.0) == []


def test_takes_are_ranked_by_how_they_agree() -> None:
    mine = [MouthShape(0.2, "closed"), MouthShape(0.6, "open")]
    good, poor = [MouthShape(0.22, "closed"), MouthShape(0.6, "open")], [MouthShape(0.9, "teeth")]
    assert ranked(mine, [poor, good, mine]) == [2, 1, 0]


@given(shapes, shapes)
def test_a_score_is_a_share_and_the_same_from_both_sides(one: list[MouthShape], other: list[MouthShape]) -> None:
    found = agreement(one, other).score
    if found is None:
        assert one == other == []
    else:
        assert 0 <= found <= 1.0001
        assert found == pytest.approx(agreement(other, one).score or 0.0, abs=1e-3)
