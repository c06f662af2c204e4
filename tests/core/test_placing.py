from __future__ import annotations

import random
import time
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from janoglot.core.timing.pacing import AFTER_BROKEN_OFF, AFTER_QUESTION, AFTER_TRAILING_OFF, GAP, NEW_PART, gap_after
from janoglot.core.timing.placing import Placement, TimedLine, least_cost_times, overlap_meant, place, programme_seconds
from janoglot.core.timing.settings import OwnTiming, TimingSettings

SLACK = 2e-3
NO_SILENCE = TimingSettings(run_on=0.0, early=0.0, late=0.0)


def line(number: int, natural: float | None, slot: tuple[float, float] | None = None, speaker: str = "",
         words: str = "Yes.", part: str = "", **more: object) -> TimedLine:
    return TimedLine(number, speaker or f"s{number % 3}", words, natural, slot, part, **more)  # type: ignore[arg-type]


def only(*lines: TimedLine, **limits: float) -> list[Placement]:
    return place(lines, TimingSettings(**limits))


class TestWorkedOutByHand:
    """Each answer follows from the definition with pencil and paper."""

    def test_a_line_that_is_shorter_ends_early_no_slower_than_is_comfortable(self) -> None:
        placed = only(line(1, 2.0, (1.0, 4.0)))[0]
        assert placed.start == 1.0
        assert placed.rate == pytest.approx(0.92, abs=1e-4)
        assert placed.end == pytest.approx(1.0 + 2.0 / 0.92, abs=1e-3)

    def test_off_camera_nothing_is_gained_by_speaking_slowly(self) -> None:
        placed = only(line(1, 2.0, (1.0, 4.0), in_sight=False))[0]
        assert (placed.start, placed.seconds, placed.rate) == (1.0, 2.0, 1.0)

    def test_a_line_a_little_long_is_played_faster_to_end_in_its_slot(self) -> None:
        placed = only(line(1, 3.3, (1.0, 4.0)))[0]
        assert (placed.start, placed.seconds) == (1.0, 3.0)
        assert placed.rate == pytest.approx(1.1)
        assert not placed.flags

    def test_without_silence_to_use_the_rate_is_what_the_slot_asks(self) -> None:
        placed = place([line(1, 3.9, (1.0, 4.0))], NO_SILENCE)[0]
        assert placed.rate == pytest.approx(1.3)
        assert placed.flags == ("fast",)
        assert placed.misfit == 0

    def test_beyond_the_limit_it_is_over_by_what_is_left(self) -> None:
        # 6 s at ×1.35 last 4.444 s; the slot has 3.
        placed = place([line(1, 6.0, (1.0, 4.0))], NO_SILENCE)[0]
        assert placed.rate == pytest.approx(1.35)
        assert placed.over == pytest.approx(6 / 1.35 - 3, abs=1e-3)
        assert placed.misfit == placed.over

    def test_silence_and_rate_share_what_is_too_much(self) -> None:
        # ln(1.15·3.4… ) : where the marginal costs of ending later and of speaking faster are equal,
        # 2·0.01·p = 2·ln(d / 1.15 L) / L with L = 3 + p and d = 3.9.
        (start,), (end,) = least_cost_times([line(1, 3.9, (1.0, 4.0))], TimingSettings(early=0.0))
        past, length = end - 4.0, end - start
        assert 0.01 * past == pytest.approx(np.log(3.9 / 1.15 / length) / length, abs=2e-5)
        assert 0.2 < past < 0.4

    def test_two_that_do_not_fit_in_turn_push_the_second_no_further_than_they_must(self) -> None:
        # 2.7 s and 2.7 s at ×1.35 are 2 s each; nobody may start early, so the second starts at 2 and ends at 4.
        first, second = only(line(1, 2.7, (0.0, 1.5), "a"), line(2, 2.7, (1.5, 3.0), "b"), early=0.0, late=0.0,
                             run_on=0.0)
        assert [first.rate, second.rate] == pytest.approx([1.35, 1.35])
        assert first.end == pytest.approx(2.0, abs=1e-3) == second.start
        assert first.over == pytest.approx(0.5, abs=2e-3)
        assert second.late == pytest.approx(0.5, abs=2e-3)

    def test_a_mouth_in_sight_allows_only_eight_hundredths(self) -> None:
        seen, unseen = (only(line(1, 2.6, (0.5, 2.5), "a", timing=OwnTiming(late=0.0)),
                             line(2, 1.5, (2.5, 4.0), "b", in_sight=sight), run_on=0.3, early=0.0)
                        for sight in (True, False))
        assert -0.08 - SLACK <= seen[1].late <= 0.08 + SLACK
        assert unseen[1].late > 0.08

    def test_the_sources_overlap_is_kept_and_no_more(self) -> None:
        first, second = only(line(1, 3.9, (1.0, 4.0), "a"), line(2, 2.0, (3.0, 5.0), "b"), early=0.0)
        assert second.start >= 3.0
        assert 0.9 < first.end - second.start <= 1.0 + SLACK  # one second over the other, as in the source
        assert first.rate > 1.15

    def test_a_breath_is_kept_before_the_next_where_the_source_has_one(self) -> None:
        first, second = only(line(1, 2.6, (0.0, 2.0), "a"), line(2, 1.0, (2.5, 4.0), "b"))
        assert second.start - first.end >= 0.08 - SLACK

    def test_a_part_is_never_overrun(self) -> None:
        placed = only(line(1, 4.0, (0.0, 2.0), part="A", part_end=3.0))[0]
        assert placed.end <= 3.0 + SLACK
        # Even when nothing else helps, and then the rate tells of it.
        crammed = only(line(1, 9.0, (0.0, 2.0), part="A", part_end=3.0))[0]
        assert crammed.end <= 3.0 + SLACK
        assert crammed.rate > 1.35
        assert crammed.over == pytest.approx(9 / 1.35 - 3.0, abs=5e-3)

    def test_nobody_starts_before_the_part_does(self) -> None:
        placed = only(line(1, 6.0, (2.0, 4.0), part="B", part_start=1.9))[0]
        assert placed.start >= 1.9 - 1e-6

    def test_an_unvoiced_line_takes_no_room(self) -> None:
        first, second, third = only(line(1, 5.0, (0.0, 2.0)), line(2, None, (2.5, 3.0)), line(3, 1.0, (8.0, 9.0)))
        assert (second.seconds, second.flags) == (0.0, ("no_take",))
        assert first.collides == 0
        assert third.start == 8.0

    def test_the_last_line_may_end_after_its_out_time_and_the_programme_with_it(self) -> None:
        lines = [line(1, 5.0, (1.0, 3.0))]
        placed = place(lines)
        assert placed[0].end > 3.0
        assert programme_seconds(lines, placed) == pytest.approx(placed[0].end)


class TestModes:
    @pytest.mark.parametrize("natural", [1.65, 1.8, 2.0, 2.2, 2.6])
    def test_hold_fills_the_slot_to_a_hundredth(self, natural: float) -> None:
        placed = only(line(1, natural, (1.0, 3.0), timing=OwnTiming("hold")))[0]
        assert placed.start == pytest.approx(1.0, abs=0.005)
        assert placed.end == pytest.approx(3.0, abs=0.01)
        assert placed.misfit == 0

    def test_hold_keeps_its_place_though_the_one_before_is_long(self) -> None:
        first, second = only(line(1, 2.6, (0.0, 2.0), "a"), line(2, 2.0, (2.1, 4.0), "b", timing=OwnTiming("hold")))
        assert [second.start, second.end] == pytest.approx([2.1, 4.0], abs=0.01)
        assert first.end <= 2.1 + SLACK

    def test_hold_of_a_line_far_too_short_says_so(self) -> None:
        placed = only(line(1, 1.0, (1.0, 3.0), timing=OwnTiming("hold")))[0]
        assert placed.rate == pytest.approx(0.8, abs=0.001)
        assert "short" in placed.flags
        assert placed.misfit == pytest.approx(0.75, abs=0.01)

    def test_let_run_keeps_its_natural_length(self) -> None:
        first, second = only(line(1, 4.0, (0.0, 2.0), "a", timing=OwnTiming("run")), line(2, 1.0, (6.0, 7.0), "b"))
        assert (first.start, first.seconds, first.rate, first.misfit) == (0.0, 4.0, 1.0, 0.0)
        assert second.start == 6.0

    def test_pinned_starts_there_and_the_others_make_room(self) -> None:
        first, second = only(line(1, 2.0, (0.0, 2.0), "a"),
                             line(2, 1.8, (2.2, 4.0), "b", timing=OwnTiming("pinned", at=1.9)))
        assert second.start == pytest.approx(1.9, abs=1e-3)
        assert first.end <= 1.9 + SLACK

    def test_a_length_that_was_asked_for_is_kept(self) -> None:
        placed = only(line(1, 2.0, (0.0, 3.0), timing=OwnTiming(seconds=2.4)))[0]
        assert placed.seconds == pytest.approx(2.4, abs=0.006)

    def test_a_voice_may_have_rates_of_its_own(self) -> None:
        placed = place([line(1, 3.9, (1.0, 4.0), rates=(0.95, 1.05, 0.9, 1.1))], NO_SILENCE)[0]
        assert placed.rate == pytest.approx(1.1)

    def test_an_overlap_may_be_allowed(self) -> None:
        lines = [line(1, 3.2, (0.0, 2.0), "a", timing=OwnTiming(overlap=0.4, run_on=0.4)), line(2, 2.0, (2.0, 4.0), "b")]
        first, second = place(lines, NO_SILENCE)
        assert second.start == 2.0
        assert 0 < first.end - second.start <= 0.4 + SLACK


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

    def test_a_pause_of_ones_own_may_lie_below_nothing(self) -> None:
        first, second = only(line(1, 2.0), line(2, 1.0, timing=OwnTiming(pause=-0.5)))
        assert second.start == pytest.approx(first.end - 0.5)

    def test_a_line_without_times_follows_the_one_before_it(self) -> None:
        first, second, third = only(line(1, 1.0, (5.0, 6.0)), line(2, 1.0), line(3, 1.0, (20.0, 21.0)))
        assert first.end < second.start < 8.0
        assert third.start == 20.0


def test_a_third_who_may_overlap_both_does_not_let_the_two_overlap() -> None:
    lines = [TimedLine(0, "s0", "Yes.", 1.0, (0.0, 0.5)), TimedLine(1, "s1", "Yes.", 1.0, (0.5, 1.0)),
             TimedLine(2, "s2", "Yes.", 1.0, (0.4375, 1.4375))]
    first, second, _ = place(lines)
    assert second.start >= first.end - SLACK


def test_round_starts_leave_a_very_short_line_the_time_that_it_needs() -> None:
    lines = [line(0, 5.7578125, (1.0, 3.80859375), "a"), line(1, 8.8984375, (3.80859375, 5.8046875), "b"),
             line(2, 11.90625, (5.8046875, 6.1796875), "c"), line(3, 9.7578125, (16.498046875, 20.873046875), "c"),
             line(4, 0.25, (20.873046875, 21.248046875), "a"), line(5, 1.0, (27.998046875, 28.998046875), "a")]
    placed = place(lines)
    assert max(p.rate for p in placed) <= 1.35 * 1.0005
    for first, second in pairwise(placed):
        assert second.start >= first.end - SLACK
    assert placed[-1].start == pytest.approx(27.998046875, abs=0.003)


def test_one_who_speaks_under_hundreds_of_others_is_placed_all_the_same() -> None:
    lines = [line(0, 900.0, (0.0, 900.0), "song")]
    lines += [line(n, 2.2, (n * 3.0, n * 3.0 + 2.0), f"s{n % 4}") for n in range(1, 290)]
    placed = place([*lines, line(300, 1.0, (901.0, 902.0), "song")])
    assert placed[0].end <= 901.0 + SLACK
    assert max(p.misfit for p in placed) == 0


@st.composite
def timed_scripts(draw: st.DrawFn) -> list[TimedLine]:
    lines, at = [], 0.0
    for number in range(draw(st.integers(1, 25))):
        at += draw(st.floats(-0.6, 3.0))
        at = max(at, 0.0)
        length = draw(st.floats(0.3, 5.0))
        natural = draw(st.one_of(st.none(), st.floats(0.2, 12.0)))
        lines.append(line(number, natural, (at, at + length), in_sight=draw(st.sampled_from([None, True, False]))))
        at += length
    return lines


@settings(max_examples=150, deadline=None)
@given(timed_scripts())
def test_placing_never_leaves_its_bounds_never_reorders_and_never_makes_people_overlap(lines: list[TimedLine]) -> None:
    limits = TimingSettings()
    placed = place(lines, limits)
    assert [p.id for p in placed] == [x.id for x in lines]
    for x, p in zip(lines, placed, strict=True):
        assert x.slot is not None
        early = limits.tight_early if x.in_sight else limits.early
        assert p.start >= x.slot[0] - early - SLACK
        if x.natural is None:
            assert p.seconds == 0
            continue
        assert limits.hard_slow - SLACK <= p.rate <= limits.hard_fast * 1.002
        assert p.seconds == pytest.approx(x.natural / p.rate)
    voiced = sorted(((x, p) for x, p in zip(lines, placed, strict=True) if x.natural is not None),
                    key=lambda pair: (pair[0].slot or (0.0,))[0])
    for (one, first), (other, second) in zip(voiced, voiced[1:], strict=False):
        assert second.start >= first.start - SLACK
        if not overlap_meant(one, other):
            assert second.start >= first.end - SLACK


@settings(max_examples=80, deadline=None)
@given(timed_scripts(), st.data())
def test_nobody_speaks_past_the_fixed_end_of_a_part(lines: list[TimedLine], data: st.DataObject) -> None:
    ends = [x.slot[1] + data.draw(st.floats(0.0, 3.0)) for x in lines if x.slot]
    lines = [replace(x, part_end=end) for x, end in zip(lines, ends, strict=True)]
    for p, end in zip(place(lines), ends, strict=True):
        assert p.end <= end + 1e-6


@settings(max_examples=80, deadline=None)
@given(timed_scripts(), st.floats(1.35, 1.6), st.floats(0.25, 1.0), st.floats(1.5, 4.0))
def test_a_looser_limit_is_never_worse(lines: list[TimedLine], hard: float, early: float, run_on: float) -> None:
    tight = sum(p.misfit for p in place(lines))
    for loose in (TimingSettings(hard_fast=hard), TimingSettings(early=early), TimingSettings(run_on=run_on)):
        # A hundredth for each line: what is milder (the rate, the offset) weighs a little too.
        assert sum(p.misfit for p in place(lines, loose)) <= tight + 0.02 * len(lines)


@settings(max_examples=40, deadline=None)
@given(timed_scripts())
def test_the_same_lines_are_placed_the_same(lines: list[TimedLine]) -> None:
    assert place(lines) == place(lines)


def test_a_change_at_the_end_moves_nothing_at_the_beginning() -> None:
    chance = random.Random(5)
    lines = [line(n, chance.uniform(0.6, 3.5), (n * 3.2, n * 3.2 + chance.uniform(0.8, 3.0))) for n in range(400)]
    before = place(lines)
    after = place([*lines[:-1], replace(lines[-1], natural=6.0)])
    assert sum(a != b for a, b in zip(before, after, strict=True)) <= 4


class TestOptimal:
    """The cost, written down again from its definition, is no lower anywhere that a general solver finds."""

    RATE, LIMIT, TOLERANCE, OVERLAP = 1.0, 20_000.0, 10.0, 1000.0
    OFF = {True: 1.0, False: 0.09, None: 0.09}
    PAST = {True: 0.10, False: 0.01, None: 0.01}
    UNFILLED = {True: 0.0005, False: 0.0, None: 0.0001}

    def parts(self, lines: list[TimedLine], limits: TimingSettings) -> tuple[Any, ...]:
        n = len(lines)
        d = np.array([x.natural for x in lines])
        low, high = np.array([x.slot for x in lines]).T
        off, past, unfilled = (np.array([table[x.in_sight] for x in lines])
                               for table in (self.OFF, self.PAST, self.UNFILLED))
        early = np.array([limits.tight_early if x.in_sight else limits.early for x in lines])
        late = np.array([limits.tight_late if x.in_sight else limits.late for x in lines])
        earliest = low - np.minimum(early, low)
        ties = []
        for k in range(n):
            for m in range(k):
                if overlap_meant(lines[m], lines[k]):
                    ties.append((m, k, low[k] - high[m]))
                else:
                    ties.append((m, k, min(limits.breath, max(low[k] - high[m], 0.0))))

        def smooth(t: Any, u: Any) -> float:
            length = np.maximum(u - t, 1e-3)
            rate = np.log(np.maximum(d / limits.comfortable_fast / length, 1.0)) ** 2 \
                + np.log(np.maximum(length / (d / limits.comfortable_slow), 1.0)) ** 2
            return float(np.sum(self.RATE * rate + off * (t - low) ** 2 + past * np.maximum(u - high, 0) ** 2
                                + unfilled * np.maximum(high - u, 0) ** 2 + 1e-4 * (length / d - 1) ** 2))

        def breaches(t: Any, u: Any) -> list[tuple[float, Any]]:
            return [(self.LIMIT, d / limits.hard_fast - (u - t)), (self.LIMIT, (u - t) - d / limits.hard_slow),
                    (self.TOLERANCE, t - low - late), (self.TOLERANCE, u - high - limits.run_on),
                    (self.OVERLAP, np.array([gap - (t[k] - u[m]) for m, k, gap in ties]))]

        def cost(t: Any, u: Any) -> float:
            return smooth(t, u) + float(sum(price * np.maximum(much, 0).sum() for price, much in breaches(t, u)))

        return earliest, low, d, smooth, breaches, cost

    def general(self, lines: list[TimedLine], limits: TimingSettings, start: Any) -> float:
        earliest, _, _, smooth, breaches, cost = self.parts(lines, limits)
        n = len(lines)
        t0, u0 = start
        price = np.concatenate([np.full(len(much), p) for p, much in breaches(t0, u0)])
        z0 = np.maximum(np.concatenate([much for _, much in breaches(t0, u0)]), 0)
        found = minimize(
            lambda x: smooth(x[:n], x[n: 2 * n]) + price @ x[2 * n:], np.concatenate([t0, u0, z0]), method="SLSQP",
            bounds=[*((e, None) for e in earliest), *((0.01, None) for _ in range(n)), *((0, None) for _ in price)],
            constraints={"type": "ineq", "fun": lambda x: x[2 * n:] - np.concatenate(
                [much for _, much in breaches(x[:n], x[n: 2 * n])])},
            options={"maxiter": 60, "ftol": 1e-10})
        t, u = found.x[:n], found.x[n: 2 * n]
        return float(cost(np.maximum(t, earliest), u))

    def test_on_five_hundred_small_programmes(self) -> None:
        limits = TimingSettings()
        chance = random.Random(1)
        worse = 0
        for _ in range(500):
            lines: list[TimedLine] = []
            at = 0.3
            for n in range(chance.randint(1, 4)):
                at = max(0.0, at + chance.uniform(-0.5, 1.2))
                length = chance.uniform(0.6, 3.0)
                lines.append(line(n, length * chance.uniform(0.5, 1.8), (at, at + length),
                                  in_sight=chance.choice([None, True, False])))
                at += length
            lines.sort(key=lambda x: x.slot or (0.0, 0.0))
            *_, low, d, _, _, cost = self.parts(lines, limits)
            ours = cost(*least_cost_times(lines, limits))
            other = self.general(lines, limits, (low, low + d))
            assert ours <= other + 1e-4 + 1e-4 * other, lines
            worse += other > ours + 0.01
        assert worse < 250  # the general solver mostly finds the very same


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


@st.composite
def decided_scripts(draw: st.DrawFn) -> list[TimedLine]:
    """Lines of which somebody has decided this and that."""
    lines, at = [], 0.0
    for number in range(draw(st.integers(1, 8))):
        at = max(0.0, at + draw(st.floats(-0.4, 1.5)))
        length = draw(st.floats(0.3, 3.0))
        mode = draw(st.sampled_from(["within", "hold", "run", "pinned"]))
        timing = OwnTiming(mode, at=max(0.0, at + draw(st.floats(-0.5, 0.5))) if mode == "pinned" else None,
                            seconds=draw(st.one_of(st.none(), st.floats(0.3, 3.0))))
        lines.append(line(number, length * draw(st.floats(0.4, 2.5)), (at, at + length), timing=timing,
                          part_end=draw(st.one_of(st.none(), st.just(at + 4 * length)))))
        at += length
    return lines


@settings(max_examples=150, deadline=None)
@given(decided_scripts())
def test_whatever_was_decided_an_answer_is_found_that_keeps_to_it(lines: list[TimedLine]) -> None:
    with np.errstate(divide="raise", invalid="raise", over="raise"):
        placed = place(lines)
    for x, p in zip(lines, placed, strict=True):
        assert p.seconds > 0
        if x.timing.mode == "run":
            assert p.rate == pytest.approx(1.0, abs=0.02)
        if x.part_end is not None and x.part_end > (x.slot or (0.0,))[0] + 0.1 and x.timing.mode != "pinned":
            assert p.end <= x.part_end + SLACK
