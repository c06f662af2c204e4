from __future__ import annotations

import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from janoglot.core.timing.pacing import AFTER_BROKEN_OFF, AFTER_QUESTION, AFTER_TRAILING_OFF, GAP, NEW_PART, gap_after
from janoglot.core.timing.placing import Placement, TimedLine, TimingSettings, place, programme_seconds

SLACK = 1e-6


def line(number: int, natural: float | None, slot: tuple[float, float] | None = None, speaker: str = "",
         words: str = "Yes.", part: str = "") -> TimedLine:
    return TimedLine(number, speaker or f"s{number % 3}", words, natural, slot, part)


def only(*lines: TimedLine, **limits: float) -> list[Placement]:
    return place(lines, TimingSettings(**limits))


class TestTimed:
    def test_a_line_that_is_shorter_ends_early_no_slower_than_is_comfortable(self) -> None:
        placed = only(line(1, 2.0, (1.0, 4.0)))[0]
        assert (placed.start, placed.rate) == (1.0, 0.92)
        assert placed.end == pytest.approx(1.0 + 2.0 / 0.92)

    def test_a_line_a_little_long_is_played_faster_to_end_in_its_slot(self) -> None:
        placed = only(line(1, 3.3, (1.0, 4.0)))[0]
        assert placed.rate == pytest.approx(1.1)
        assert placed.end == pytest.approx(4.0)
        assert not placed.flags

    def test_a_longer_one_runs_into_the_silence_at_a_comfortable_rate(self) -> None:
        placed = only(line(1, 4.6, (1.0, 4.0)), line(2, 1.0, (6.0, 7.0)))[0]
        assert placed.rate == pytest.approx(1.15)
        assert placed.end == pytest.approx(5.0)
        assert placed.into_silence == pytest.approx(1.0)
        assert placed.over == 0

    def test_what_still_does_not_fit_is_over_by_its_seconds_and_delays_the_next(self) -> None:
        first, second = only(line(1, 6.0, (1.0, 3.0)), line(2, 1.0, (3.5, 5.0)))
        assert first.rate == 1.35
        assert first.over == pytest.approx(6.0 / 1.35 - (3.5 - 0.08 - 1.0))
        assert second.start == pytest.approx(first.end)
        assert second.late == pytest.approx(first.end - 3.5)
        assert set(second.flags) >= {"late"}
        assert set(first.flags) >= {"over", "fast"}

    def test_people_who_talk_at_once_in_the_source_still_do(self) -> None:
        first, second = only(line(1, 3.0, (1.0, 4.0)), line(2, 2.0, (3.0, 5.0)))
        assert second.start == 3.0 < first.end

    def test_an_unvoiced_line_takes_no_room(self) -> None:
        first, second, third = only(line(1, 5.0, (0.0, 2.0)), line(2, None, (2.5, 3.0)), line(3, 1.0, (8.0, 9.0)))
        assert (second.seconds, second.flags) == (0.0, ("no_take",))
        assert first.over == 0
        assert third.start == 8.0

    def test_the_last_line_may_end_after_its_out_time_and_the_programme_with_it(self) -> None:
        lines = [line(1, 5.0, (1.0, 3.0))]
        placed = place(lines)
        assert placed[0].end > 3.0
        assert programme_seconds(lines, placed) == pytest.approx(placed[0].end)


class TestUntimed:
    def test_gaps_follow_the_punctuation(self) -> None:
        lines = [line(1, 1.0, words="Who is it?"), line(2, 1.0, words="It is—"), line(3, 1.0, words="Well…"),
                 line(4, 1.0, words="Yes.")]
        placed = only(*lines)
        gaps = [b.start - a.end for a, b in zip(placed, placed[1:], strict=False)]
        assert placed[0].start == 0
        assert gaps == pytest.approx([AFTER_QUESTION, AFTER_BROKEN_OFF, AFTER_TRAILING_OFF])

    @pytest.mark.parametrize(("words", "gap"), [
        ("“Who?”", AFTER_QUESTION), ("谁？", AFTER_QUESTION), ("من؟", AFTER_QUESTION), ("Yes.", GAP), ("", GAP),
    ])
    def test_marks_of_every_script(self, words: str, gap: float) -> None:
        assert gap_after(words, same_speaker=False, new_part=False) == gap

    def test_a_new_part_takes_a_breath_and_pace_shortens_gaps(self) -> None:
        parts = only(line(1, 1.0, part="A"), line(2, 1.0, part="B"))
        assert parts[1].start == pytest.approx(1.0 + NEW_PART)
        assert only(line(1, 1.0), line(2, 1.0), pace=2.0)[1].start == pytest.approx(1.0 + GAP / 2)

    def test_a_line_without_times_follows_the_one_before_it(self) -> None:
        first, second, third = only(line(1, 1.0, (5.0, 6.0)), line(2, 1.0), line(3, 1.0, (20.0, 21.0)))
        assert first.end < second.start < 8.0
        assert third.start == 20.0


def test_a_third_who_may_overlap_both_does_not_let_the_two_overlap() -> None:
    lines = [TimedLine(0, "s0", "Yes.", 1.0, (0.0, 0.5)), TimedLine(1, "s1", "Yes.", 1.0, (0.5, 1.0)),
             TimedLine(2, "s2", "Yes.", 1.0, (0.4375, 1.4375))]
    first, second, third = place(lines)
    assert second.start == pytest.approx(first.end)
    assert third.start == 0.4375


@st.composite
def timed_scripts(draw: st.DrawFn) -> list[TimedLine]:
    lines, at = [], 0.0
    for number in range(draw(st.integers(1, 25))):
        at += draw(st.floats(-0.6, 3.0))
        at = max(at, 0.0)
        length = draw(st.floats(0.3, 5.0))
        natural = draw(st.one_of(st.none(), st.floats(0.2, 12.0)))
        lines.append(line(number, natural, (at, at + length)))
        at += length
    return lines


def overlaps_meant(one: TimedLine, other: TimedLine) -> bool:
    assert one.slot is not None
    assert other.slot is not None
    return one.speaker != other.speaker and min(one.slot[1], other.slot[1]) - max(one.slot[0], other.slot[0]) > 0.05


@settings(max_examples=200, deadline=None)
@given(timed_scripts())
def test_placing_never_leaves_its_bounds_and_never_makes_people_overlap(lines: list[TimedLine]) -> None:
    limits = TimingSettings()
    placed = place(lines, limits)
    assert [p.id for p in placed] == [x.id for x in lines]
    for x, p in zip(lines, placed, strict=True):
        assert x.slot is not None
        assert p.start >= x.slot[0] - SLACK
        if x.natural is None:
            assert p.seconds == 0
            continue
        assert limits.comfortable_slow - SLACK <= p.rate <= limits.hard_fast + SLACK
        assert p.seconds == pytest.approx(x.natural / p.rate)
    voiced = [(x, p) for x, p in zip(lines, placed, strict=True) if x.natural is not None]
    for (one, first), (other, second) in zip(voiced, voiced[1:], strict=False):
        if not overlaps_meant(one, other):
            assert second.start >= first.end - SLACK


@settings(max_examples=100, deadline=None)
@given(timed_scripts(), st.floats(1.35, 1.6))
def test_a_looser_limit_is_never_worse(lines: list[TimedLine], hard: float) -> None:
    tight, loose = place(lines), place(lines, TimingSettings(hard_fast=hard))
    assert sum(p.over for p in loose) <= sum(p.over for p in tight) + 0.01


def test_the_cost_grows_with_the_lines() -> None:
    def seconds(count: int) -> float:
        lines = [line(n, 2.4, (n * 3.0, n * 3.0 + 2.0)) for n in range(count)]
        began = time.perf_counter()
        place(lines)
        return time.perf_counter() - began

    seconds(500)
    small = min(seconds(1000) for _ in range(3))
    large = min(seconds(10_000) for _ in range(3))
    assert large < 40 * small  # ten times the lines; far from quadratic, with room for a busy machine
