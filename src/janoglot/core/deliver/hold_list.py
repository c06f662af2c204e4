"""Where the picture is held, for whoever cuts it: as CSV, and as OpenTimelineIO."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence

import opentimelineio as otio

from janoglot.core.timing.holds import Hold


def timecode(seconds: float, fps: float) -> str:
    """hh:mm:ss:ff, whole frames, without drop (SMPTE ST 12-1)."""
    base = round(fps)
    frames = round(seconds * fps)
    whole, rest = divmod(frames, base)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}:{rest:02}"


def hold_csv(holds: Sequence[Hold], names: Mapping[str, str], fps: float) -> str:
    """A row for each hold: where in the source's picture, where in this edition, how long."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["part", "hold at (source)", "begins (edition)", "seconds", "frames", "fps"])
    before = 0.0
    for hold in holds:
        name = names.get(hold.part, hold.part)
        writer.writerow([f"'{name}" if name[:1] in "=+-@" else name, timecode(hold.at, fps),
                         timecode(hold.at + before, fps), f"{hold.seconds:.3f}", hold.frames, f"{fps:g}"])
        before += hold.seconds
    return out.getvalue()


def hold_timeline(holds: Sequence[Hold], names: Mapping[str, str], fps: float, seconds: float, name: str,
                  picture: str = "") -> str:
    """An OpenTimelineIO timeline with the picture in pieces and a frozen frame at each hold, as JSON.

    ``seconds`` is how long the source's picture lasts, ``picture`` where it lies, where that is known.
    """

    def time(value: float) -> otio.opentime.RationalTime:
        return otio.opentime.RationalTime(round(value * fps), fps)

    whole = otio.opentime.TimeRange(time(0), time(seconds))

    def media() -> otio.core.MediaReference:
        return otio.schema.ExternalReference(picture, whole) if picture else otio.schema.MissingReference(
            name="picture", available_range=whole)

    track = otio.schema.Track(name="picture", kind=otio.schema.TrackKind.Video)
    upto = 0.0
    for hold in holds:
        label = names.get(hold.part, hold.part)
        if hold.at > upto:
            track.append(otio.schema.Clip(label, media(), otio.opentime.TimeRange(time(upto), time(hold.at - upto))))
        still = otio.schema.Clip(f"{label} (held)", media(), otio.opentime.TimeRange(
            time(max(0.0, hold.at - 1 / fps)), otio.opentime.RationalTime(hold.frames, fps)))
        still.effects.append(otio.schema.FreezeFrame())
        track.append(still)
        upto = hold.at
    if seconds > upto:
        track.append(otio.schema.Clip("picture", media(), otio.opentime.TimeRange(time(upto), time(seconds - upto))))
    timeline = otio.schema.Timeline(name)
    timeline.tracks.append(track)
    return str(timeline.to_json_string())
