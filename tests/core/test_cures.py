from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from janoglot.core.timing.aiming import aim
from janoglot.core.timing.cures import Cure, cures
from janoglot.core.timing.holds import Hold, picture_at, place_growing
from janoglot.core.timing.placing import TimedLine, place, programme_seconds
from janoglot.core.timing.settings import OwnTiming, TimingSettings


def line(number: int, natural: float, slot: tuple[float, float] | None = None, speaker: str = "", part: str = "",
         **more: object) -> TimedLine:
    return TimedLine(number, speaker or f"s{number % 3}", "Yes.", natural, slot, part, **more)  # type: ignore[arg-type]


CROWDED = [line(1, 2.0, (0.0, 2.0)), line(2, 5.2, (2.2, 5.0)), line(3, 2.0, (5.2, 7.0)), line(4, 1.0, (9.0, 10.0))]


def by_kind(found: list[Cure]) -> dict[str, Cure]:
    return {cure.kind: cure for cure in found}


class TestCures:
    def test_each_gains_what_placing_again_with_it_gains(self) -> None:
        limits = TimingSettings()
        found = by_kind(cures(CROWDED, 1, limits, syllables=20, quicker=[("Dunlin", 0.85)]))
        assert set(found) == {"early", "faster", "trim", "quicker_voice", "overlap", "hold_part"}
        own = CROWDED[1]
        changed = {
            "early": replace(own, timing=OwnTiming(early=found["early"].amount)),
            "faster": replace(own, timing=OwnTiming(hard_fast=found["faster"].amount)),
            "trim": replace(own, natural=5.2 * (1 - found["trim"].amount / 20)),
            "quicker_voice": replace(own, natural=5.2 * 0.85),
            "overlap": replace(own, timing=OwnTiming(overlap=found["overlap"].amount)),
        }
        before = sum(p.misfit for p in place(CROWDED, limits))
        for kind, with_it in changed.items():
            after = place([CROWDED[0], with_it, *CROWDED[2:]], limits)
            assert before - sum(p.misfit for p in after) == pytest.approx(found[kind].gain, abs=0.01), kind
            assert after[1].harm == pytest.approx(found[kind].left, abs=0.02), kind

    def test_no_more_is_taken_than_is_needed(self) -> None:
        need = by_kind(cures(CROWDED, 1, syllables=20))["trim"].amount
        less = replace(CROWDED[1], natural=5.2 * (1 - (need - 1) / 20))
        assert place([CROWDED[0], less, *CROWDED[2:]])[1].harm > 0.02

    def test_silence_is_offered_where_there_is_some(self) -> None:
        lines = [line(1, 5.0, (0.0, 3.0)), line(2, 1.0, (6.0, 7.0))]
        found = by_kind(cures(lines, 0, TimingSettings(run_on=0.2)))
        assert found["silence"].left == 0
        assert 0.2 < found["silence"].amount < 3.0
        assert "silence" not in by_kind(cures(CROWDED, 1))

    def test_the_best_comes_first(self) -> None:
        found = cures(CROWDED, 1, syllables=20)
        assert [cure.left > 0.02 for cure in found] == sorted(cure.left > 0.02 for cure in found)

    def test_a_line_that_fits_needs_none(self) -> None:
        assert cures(CROWDED, 3, syllables=5) == []

    def test_holding_the_picture_makes_room_for_all_that_is_missing(self) -> None:
        cure = by_kind(cures(CROWDED, 1))["hold_part"]
        assert cure.left == 0
        assert 0.2 < cure.amount < 0.5


class TestAiming:
    LINES = [line(n, 2.0) for n in range(20)]

    @pytest.mark.parametrize("seconds", [44.5, 47.0, 50.0])
    def test_pauses_alone_reach_what_is_near(self, seconds: float) -> None:
        aimed = aim(self.LINES, seconds)
        assert aimed.rate == 1
        placed = place(self.LINES, TimingSettings(pace=aimed.pace, untimed_rate=aimed.rate))
        assert programme_seconds(self.LINES, placed) == pytest.approx(seconds, abs=0.02)

    def test_then_the_speed_as_far_as_is_comfortable(self) -> None:
        aimed = aim(self.LINES, 41.0)
        assert aimed.pace == 2.0
        assert aimed.off == pytest.approx(0, abs=0.02)
        assert 1.0 < aimed.rate < 1.15
        far = aim(self.LINES, 20.0)
        assert far.rate == 1.15
        assert far.off == pytest.approx(far.seconds - 20.0)


class TestHolds:
    def lines(self) -> list[TimedLine]:
        return [line(1, 3.0, (0.5, 2.0), part="A", part_start=0.0, part_end=3.0),
                line(2, 2.0, (2.1, 2.9), part="A", part_start=0.0, part_end=3.0),
                line(3, 1.0, (3.5, 4.5), part="B", part_start=3.0, part_end=6.0),
                line(4, 4.5, (6.2, 8.0), part="C", part_start=6.0, part_end=9.0)]

    def test_a_part_grows_by_whole_frames_until_nobody_hurries_and_the_rest_comes_later(self) -> None:
        grown = place_growing(self.lines(), {"A"}, fps=25)
        (hold,) = grown.holds
        assert (hold.part, hold.at) == ("A", 3.0)
        assert hold.frames == pytest.approx(hold.seconds * 25)
        assert hold.frames == int(hold.frames)
        first, second, third, fourth = grown.placements
        assert max(first.rate, second.rate) <= 1.15 + 0.002
        assert second.end <= 3.0 + hold.seconds + 0.002
        assert second.end > 3.0 + hold.seconds - 0.05 - 0.04  # and no longer than it must
        assert third.start == pytest.approx(3.5 + hold.seconds, abs=0.01)
        assert fourth.start == pytest.approx(6.2 + hold.seconds, abs=0.3)

    def test_none_where_the_speech_fits(self) -> None:
        assert place_growing(self.lines(), {"B"}).holds == []
        assert place_growing(self.lines(), set()).placements == place(self.lines())

    def test_holds_add_up(self) -> None:
        grown = place_growing(self.lines(), {"A", "C"})
        assert [hold.part for hold in grown.holds] == ["A", "C"]
        assert grown.lines[3].slot == pytest.approx((6.2 + grown.holds[0].seconds, 8.0 + grown.holds[0].seconds))

    def test_the_picture_stands_while_it_is_held(self) -> None:
        holds = [Hold("A", 3.0, 1.0, 25), Hold("C", 9.0, 2.0, 50)]
        for seconds, seen in ((2.0, 2.0), (3.5, 3.0), (4.0, 3.0), (5.0, 4.0), (10.5, 9.0), (13.0, 10.0)):
            assert picture_at(holds, seconds) == pytest.approx(seen)

    @settings(max_examples=30, deadline=None)
    @given(st.lists(st.floats(0.3, 6.0), min_size=1, max_size=12))
    def test_whatever_is_said_nobody_is_hurried(self, naturals: list[float]) -> None:
        lines = [line(n, natural, (n * 2.0, n * 2.0 + 1.8), part=f"P{n // 3}") for n, natural in enumerate(naturals)]
        grown = place_growing(lines, {one.part for one in lines})
        assert max(p.rate for p in grown.placements) <= 1.15 * 1.005
