from __future__ import annotations

import csv
import io

import opentimelineio as otio
import pytest

from janoglot.core.deliver.hold_list import hold_csv, hold_timeline, timecode
from janoglot.core.timing.holds import Hold

HOLDS = [Hold("3", 3.0, 1.0, 25), Hold("8", 9.0, 2.0, 50)]
NAMES = {"3": "The Stair", "8": "=Gallery"}


@pytest.mark.parametrize(("seconds", "fps", "said"), [
    (0.0, 25, "00:00:00:00"), (3661.04, 25, "01:01:01:01"), (1.0, 24, "00:00:01:00"), (59.96, 25, "00:00:59:24"),
])
def test_timecodes(seconds: float, fps: float, said: str) -> None:
    assert timecode(seconds, fps) == said


def test_the_list_says_where_in_the_source_and_where_in_the_edition() -> None:
    rows = list(csv.reader(io.StringIO(hold_csv(HOLDS, NAMES, 25))))
    assert rows[1] == ["The Stair", "00:00:03:00", "00:00:03:00", "1.000", "25", "25"]
    assert rows[2] == ["'=Gallery", "00:00:09:00", "00:00:10:00", "2.000", "50", "25"]


def test_the_timeline_is_as_long_as_picture_and_holds_together() -> None:
    timeline = otio.adapters.read_from_string(hold_timeline(HOLDS, NAMES, 25, 12.0, "Clock"), "otio_json")
    (track,) = timeline.video_tracks()
    assert track.duration().to_seconds() == pytest.approx(12.0 + 3.0)
    held = [clip for clip in track if clip.effects]
    assert [clip.duration().to_frames() for clip in held] == [25, 50]
    assert [clip.source_range.start_time.to_frames() for clip in held] == [74, 224]
    assert all(isinstance(clip.effects[0], otio.schema.FreezeFrame) for clip in held)
