"""Where the picture is held, for whoever cuts it: as CSV, and as OpenTimelineIO."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from functools import partial
from pathlib import Path

import opentimelineio as otio

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Need, Report, Stores, require
from janoglot.core.deliver.timecode import exact_rate, frames_at, timecode_of
from janoglot.core.timing.holds import Hold


def timecode(seconds: float, fps: float) -> str:
    """hh:mm:ss:ff, whole frames, without drop (SMPTE ST 12-1)."""
    return timecode_of(frames_at(seconds, fps), fps)


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

    track = picture_track(holds, lambda hold: names.get(hold.part, hold.part), picture, fps, seconds)
    timeline = otio.schema.Timeline(name)
    timeline.tracks.append(track)
    return str(timeline.to_json_string())


def picture_track(holds: Sequence[Hold], label_of: Callable[[Hold], str], picture: str, fps: float,
                  seconds: float) -> otio.schema.Track:
    """A track of the picture, in pieces where it is held: a frozen frame at each. ``label_of`` names the piece that
    ends with a hold; ``picture`` says where it lies, "" where that is not known."""
    over, under = exact_rate(fps)
    rate = over / under

    def time(value: float) -> otio.opentime.RationalTime:
        return otio.opentime.RationalTime(frames_at(value, fps), rate)

    whole = otio.opentime.TimeRange(time(0), time(seconds))

    def piece(label: str, start: float, lasts: otio.opentime.RationalTime) -> otio.schema.Clip:
        media = otio.schema.ExternalReference(picture, whole) if picture else otio.schema.MissingReference(
            name="picture", available_range=whole)
        return otio.schema.Clip(label, media, otio.opentime.TimeRange(time(start), lasts))

    track = otio.schema.Track(name="picture", kind=otio.schema.TrackKind.Video)
    upto = 0.0
    for hold in holds:
        label = label_of(hold)
        if hold.at > upto:
            track.append(piece(label, upto, time(hold.at - upto)))
        still = piece(f"{label} (held)", max(0.0, hold.at - 1 / fps), otio.opentime.RationalTime(hold.frames, rate))
        still.effects.append(otio.schema.FreezeFrame())
        track.append(still)
        upto = hold.at
    if seconds > upto:
        track.append(piece("picture", upto, time(seconds - upto)))
    return track


def _write_down(material: Material) -> Data:
    return {"holds": [asdict(hold) for hold in material.holds()], "names": dict(material.part_names()),
            "fps": material.fps, "seconds": material.picture_seconds(),
            "title": f"{material.production} {material.language}"}


def _make(ending: str, order: Data, stores: Stores, place: Path) -> Report:
    holds = [Hold(**hold) for hold in order["holds"]]
    text = hold_csv(holds, order["names"], order["fps"]) if ending == "csv" else hold_timeline(
        holds, order["names"], order["fps"], order["seconds"], order["title"])
    place.write_text(text, encoding="utf-8", newline="")
    return {"holds": float(len(holds)), "seconds": round(sum(hold.seconds for hold in holds), 3)}


def _check(ending: str, order: Data, place: Path, report: Report) -> Report:
    text = place.read_text(encoding="utf-8")
    if ending == "csv":
        frames = [int(row["frames"]) for row in csv.DictReader(io.StringIO(text, newline=""))]
    else:
        timeline = otio.adapters.read_from_string(text, "otio_json")
        frames = [clip.source_range.duration.value for clip in timeline.find_clips()
                  if any(isinstance(effect, otio.schema.FreezeFrame) for effect in clip.effects)]
    require(frames == [hold["frames"] for hold in order["holds"]],
            "Read again its holds last {found} frames, not {wanted}.", found=sum(frames),
            wanted=sum(hold["frames"] for hold in order["holds"]))
    return {}


DELIVERABLES = tuple(
    Deliverable(f"holds.{ending}", kind, _write_down, partial(_make, ending), partial(_check, ending),
                frozenset({Need.HELD}), tail="_holds")
    for ending, kind in (("csv", "text/csv; charset=utf-8"), ("otio", "application/json")))
