"""Time codes against known values, and against OpenTimelineIO's own at all frame rates."""

from __future__ import annotations

import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.deliver.timecode import RATES, can_drop, exact_rate, frames_at, frames_of, timecode_of
from janoglot.core.errors import BadInput


@pytest.mark.parametrize(("frames", "fps", "drop", "text"), [
    (0, 25.0, False, "00:00:00:00"), (24, 25.0, False, "00:00:00:24"), (90_000, 25.0, False, "01:00:00:00"),
    # After a minute two numbers are dropped, but not after ten (SMPTE ST 12-1).
    (1799, 29.97, True, "00:00:59;29"), (1800, 29.97, True, "00:01:00;02"), (17_981, 29.97, True, "00:09:59;29"),
    (17_982, 29.97, True, "00:10:00;00"), (107_892, 29.97, True, "01:00:00;00"), (1800, 29.97, False, "00:01:00:00"),
    (3599, 59.94, True, "00:00:59;59"), (3600, 59.94, True, "00:01:00;04"), (215_784, 59.94, True, "01:00:00;00"),
    (86_400, 23.976, False, "01:00:00:00"), (172_800, 48.0, False, "01:00:00:00"), (216_000, 60.0, False, "01:00:00:00")])
def test_known_values(frames: int, fps: float, drop: bool, text: str) -> None:
    assert timecode_of(frames, fps, drop) == text
    assert frames_of(text, fps) == frames


@pytest.mark.parametrize("fps", [rate for rate in RATES if rate != 48.0])
@given(frames=st.integers(0, 2_500_000))
def test_as_opentimelineio_has_it(fps: float, frames: int) -> None:
    over, under = exact_rate(fps)
    for drop in (False, True) if can_drop(fps) else (False,):
        ours = timecode_of(frames, fps, drop)
        assert frames_of(ours, fps) == frames
        if frames / fps < 86_000:
            theirs = otio.opentime.to_timecode(otio.opentime.RationalTime(frames, over / under), over / under, drop)
            assert ours == theirs


def test_a_second_of_film_is_a_thousandth_longer_than_it_says() -> None:
    assert frames_at(1001.0, 23.976) == 24_000
    assert frames_at(3600.0, 29.97) == 107_892


def test_only_where_there_are_numbers_to_drop() -> None:
    with pytest.raises(BadInput, match=r"29\.97"):
        timecode_of(10, 25.0, True)
    with pytest.raises(BadInput, match="no time code"):
        frames_of("12:00", 25.0)


@pytest.mark.parametrize(("text", "fps"), [("00:00:00:25", 25.0), ("00:00:60:00", 25.0), ("00:60:00:00", 25.0), ("00:01:00;00", 29.97), ("00:01:00;03", 59.94),
                                           ("00:00:01;00", 25.0)])
def test_what_no_clock_shows_is_no_time_code(text: str, fps: float) -> None:
    with pytest.raises(BadInput, match="There is no"):
        frames_of(text, fps)
    assert frames_of("00:10:00;00", 29.97) == 17_982
