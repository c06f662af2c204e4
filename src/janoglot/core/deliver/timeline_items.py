"""The editor's turnover: a timeline with a clip for each line, and the clips beside it.

OpenTimelineIO; EDL in the layout of CMX 3600 as the trade uses it; markers as CSV.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import opentimelineio as otio
import soundfile

from janoglot.core.deliver.deliverable import Data, Material, Need, Report, Stores, require
from janoglot.core.deliver.encoding import AudioFormat, encode
from janoglot.core.deliver.hold_list import picture_track
from janoglot.core.deliver.items import YES_NO, Choice, ItemKind, MadeFile, Value, need
from janoglot.core.deliver.names import apart, file_name
from janoglot.core.deliver.sound_items import form_of, silent_around
from janoglot.core.deliver.timecode import can_drop, exact_rate, frames_at, frames_of, timecode_of
from janoglot.core.edition.plan import MixPlan
from janoglot.core.languages import own_name
from janoglot.core.mix.programme import clip_samples
from janoglot.core.mix.sides import RATE
from janoglot.core.script.formats.table import safe_cell
from janoglot.core.timing.holds import Hold

_EDL_NAME = 60
_TIME_CODE = r"(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\d[:;]\d\d"
_EDL_EVENTS, _EDL_LANES, _MOST_HOLDS = 999, 2, 400
"""Of one list in CMX 3600: three digits number its events, and A and A2 are the channels that every reader knows."""


def _write_down(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    material = materials[0]
    plan = material.plan()
    picture = material.picture()
    return {"plan": plan.as_json(), "fps": material.fps, "format": choices["format"],
            "drop": bool(choices["drop_frame"]) and can_drop(material.fps), "form": form_of(choices).as_json(),
            "starts": str(choices["starts"]), "handles": int(str(choices["handles_ms"])),
            "title": f"{material.production} {material.language}",
            "language": own_name(material.language), "clips": bool(choices["clips"]),
            "picture": {"name": picture["name"], "seconds": picture["seconds"]} if picture else None,
            "holds": [asdict(hold) for hold in material.holds()] if picture else [],
            "parts": [asdict(part) for part in material.parts()]}


def _clip_paths(plan: MixPlan) -> list[str]:
    return apart([f"clips/{line.number:03}_{file_name(line.speaker, 'speaker')}.wav" for line in plan.lines])


def timeline_of(order: Data, paths: Sequence[str]) -> otio.schema.Timeline:
    """A track of the picture where there is one, and one for each speaker, each line a clip at its frame."""
    plan, over_under = MixPlan.from_json(order["plan"]), exact_rate(order["fps"])
    rate = over_under[0] / over_under[1]

    def time(seconds: float) -> otio.opentime.RationalTime:
        return otio.opentime.RationalTime(frames_at(seconds, order["fps"]), rate)

    begin = otio.opentime.RationalTime(_begin(order), rate)
    timeline = otio.schema.Timeline(order["title"], global_start_time=begin)
    if order["picture"]:
        name = order["picture"]["name"]
        timeline.tracks.append(picture_track([Hold(**one) for one in order["holds"]], lambda hold: name, "",
                                             order["fps"], order["picture"]["seconds"]))
    for speaker in dict.fromkeys(line.speaker for line in plan.lines):
        lines = [(line, path) for line, path in zip(plan.lines, paths, strict=True) if line.speaker == speaker]
        # Who speaks twice at once has a second track.
        tracks: list[tuple[otio.schema.Track, int]] = []
        for line, path in sorted(lines, key=lambda one: one[0].start):
            start, size = _placed(line.start, line.end, order["fps"])
            number = next((at for at, (_, end) in enumerate(tracks) if end <= start), None)
            if number is None:
                name = speaker if not tracks else f"{speaker} {len(tracks) + 1}"
                tracks.append((otio.schema.Track(name=name, kind=otio.schema.TrackKind.Audio), 0))
                number = len(tracks) - 1
            track, end = tracks[number]
            if start > end:
                track.append(otio.schema.Gap(duration=otio.opentime.RationalTime(start - end, rate)))
            handle = _handle(order)
            there = otio.opentime.TimeRange(otio.opentime.RationalTime(0, rate),
                                            otio.opentime.RationalTime(size + 2 * handle, rate))
            used = otio.opentime.TimeRange(otio.opentime.RationalTime(handle, rate),
                                           otio.opentime.RationalTime(size, rate))
            media = otio.schema.ExternalReference(path, there)
            clip = otio.schema.Clip(f"{line.number:03} {line.speaker}", media, used)
            clip.metadata["line"] = {"number": line.number, "speaker": line.speaker, "words": line.words}
            track.append(clip)
            tracks[number] = track, start + size
        timeline.tracks.extend([track for track, _ in tracks])
    for part in order["parts"]:
        timeline.tracks.markers.append(otio.schema.Marker(part["name"], otio.opentime.TimeRange(
            time(part["start"]), otio.opentime.RationalTime(0, rate))))
    return timeline


def _handle(order: Data) -> int:
    """Frames before what is heard of a clip, and behind it."""
    return frames_at(order.get("handles", 0) / 1000, order["fps"])


def _begin(order: Data) -> int:
    """The frame that the programme begins at. Raises BadInput for a time code that there is not at its rate."""
    text = str(order["starts"])
    return frames_of(f"{text[:8]}{';' if order['drop'] else ':'}{text[9:]}", order["fps"])


def _placed(start: float, end: float, fps: float) -> tuple[int, int]:
    """The frames that something begins at and lasts, from edge to edge: in every list alike."""
    first = frames_at(start, fps)
    return first, max(1, frames_at(end, fps) - first)


def edls_of(order: Data, paths: Sequence[str]) -> list[str]:
    """An event for each line, by its start; in as many lists as events and channels of CMX 3600 ask for. Who speaks
    beside two others is in another list. The picture, where there is one, comes first, a frozen frame wherever it is
    held."""
    plan, fps, drop = MixPlan.from_json(order["plan"]), order["fps"], order["drop"]
    begin, handle = _begin(order), _handle(order)
    lanes: list[int] = []
    lists: dict[tuple[int, int], list[str]] = {}
    counts: dict[int, int] = {}
    seen = _picture_events(order, begin)
    if seen:
        lists[0, 0], counts[0] = [row for rows in seen for row in rows], len(seen)
    for line, path in sorted(zip(plan.lines, paths, strict=True), key=lambda one: one[0].start):
        start, size = _placed(line.start, line.end, fps)
        lane = next((at for at, end in enumerate(lanes) if end <= start), len(lanes))
        lanes[lane:lane + 1] = [start + size]
        pair = lane // _EDL_LANES
        run, number = divmod(counts.get(pair, 0), _EDL_EVENTS)
        counts[pair] = counts.get(pair, 0) + 1
        times = (timecode_of(at, fps, drop) for at in (handle, handle + size, begin + start,
                                                      begin + start + size))
        lists.setdefault((pair, run), []).extend([
            f"{number + 1:03}  AX       {'A' if lane % _EDL_LANES == 0 else 'A2':<5} C        {' '.join(times)}",
            f"* FROM CLIP NAME: {f'{line.number:03} {line.speaker}'[:_EDL_NAME]}", f"* SOURCE FILE: {path}"])
    made = []
    for number, (_, rows) in enumerate(sorted(lists.items()), 1):
        title = f"{' '.join(order['title'].split())[:60]}{f' {number}' if len(lists) > 1 else ''}"
        # The title and names stand in rows of their own: none of them may end one.
        made.append("\r\n".join([f"TITLE: {title}", f"FCM: {'DROP' if drop else 'NON-DROP'} FRAME", "", *rows, ""]))
    return made


def _picture_events(order: Data, begin: int) -> list[list[str]]:
    """The rows of each event of the picture, from the first frame of the programme."""
    if not order.get("picture"):
        return []
    fps, drop, picture = order["fps"], order["drop"], order["picture"]
    holds = [Hold(**one) for one in order["holds"]]
    label = f"* FROM CLIP NAME: {file_name(picture['name'], 'picture')[:_EDL_NAME]}"
    events: list[list[str]] = []

    def event(start: int, size: int, at: int, frozen: bool) -> None:
        times = [timecode_of(moment, fps, drop) for moment in (
            start, start + (1 if frozen else size), begin + at, begin + at + size)]
        still = [f"M2   AX       000.0                {times[0]}"] if frozen else []
        events.append([f"{len(events) + 1:03}  AX       V     C        {' '.join(times)}", *still, label,
                       f"* SOURCE FILE: {' '.join(picture['name'].split())}"])

    upto = at = 0
    for hold in holds[:_MOST_HOLDS]:
        moment = frames_at(hold.at, fps)
        if moment > upto:
            event(upto, moment - upto, at, frozen=False)
            at += moment - upto
        event(max(0, moment - 1), hold.frames, at, frozen=True)
        at, upto = at + hold.frames, moment
    end = frames_at(picture["seconds"], fps)
    if end > upto:
        event(upto, end - upto, at, frozen=False)
    return events


def markers_of(order: Data, paths: Sequence[str]) -> bytes:
    plan, fps, drop = MixPlan.from_json(order["plan"]), order["fps"], order["drop"]
    begin = _begin(order)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["name", "start", "end", "frames", "fps", "part or speaker", "words", "file"])

    def row(name: str, start: float, end: float, who: str, words: str, path: str) -> list[str]:
        first, size = _placed(start, end, fps)
        first += begin
        return [name, timecode_of(first, fps, drop), timecode_of(first + size, fps, drop), str(size), f"{fps:g}",
                who, words, path]

    rows = [(part["start"], row(part["name"], part["start"], part["end"], "part", "", "")) for part in order["parts"]]
    rows += [(line.start, row(f"{line.number:03}", line.start, line.end, line.speaker, line.words, path))
             for line, path in zip(plan.lines, paths, strict=True)]
    for _, cells in sorted(rows, key=lambda one: one[0]):
        writer.writerow([safe_cell(cell) for cell in cells])
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def _make(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    plan = MixPlan.from_json(order["plan"])
    paths = _clip_paths(plan)
    form = AudioFormat(**order["form"])
    made = []
    clips = {"clips": float(len(plan.lines))}
    if order["format"] == "edl":
        for number, text in enumerate(edls_of(order, paths), 1):
            name = f"timeline{f'_{number}' if number > 1 else ''}.edl"
            (folder / name).write_text(text, encoding="utf-8", newline="")
            made.append(MadeFile(name, "edl", {}, {"clips": float(len(_events(text, "A", "A2")))}))
    elif order["format"] == "otio":
        (folder / "timeline.otio").write_text(timeline_of(order, paths).to_json_string(), encoding="utf-8")
        made.append(MadeFile("timeline.otio", "otio", {}, clips))
    else:
        (folder / "markers.csv").write_bytes(markers_of(order, paths))
        made.append(MadeFile("markers.csv", "markers", {}, clips))
    if order["clips"]:
        (folder / "clips").mkdir(exist_ok=True)
        for line, path in zip(plan.lines, paths, strict=True):
            plain = folder / "plain.wav"
            over, under = exact_rate(order["fps"])
            around = silent_around(clip_samples(line.clip(stores.takes), plan.target), _handle(order) * under / over)
            soundfile.write(plain, around, RATE, subtype="FLOAT", format="WAV")
            told = encode(plain, folder / path, form)
            plain.unlink()
            made.append(MadeFile(path, "wav", {"number": line.number, "speaker": line.speaker},
                                 {"seconds": round(told.seconds, 3)}))
    return made


def _check(order: Data, place: Path, file: MadeFile) -> Report:
    plan = MixPlan.from_json(order["plan"])
    if file.path.startswith("clips/"):
        require(soundfile.info(place).frames > 0, "{name} is empty.", name=place.name)
        return {}
    wanted = sorted(frames_at(line.start, order["fps"]) for line in plan.lines)
    root = place.parent
    if order["format"] == "otio":
        timeline = otio.adapters.read_from_file(str(place), "otio_json")
        clips = [clip for track in timeline.audio_tracks() for clip in track.find_clips()]
        found = sorted(round(clip.range_in_parent().start_time.value) for clip in clips)
        for clip in clips:
            require(not order["clips"] or (root / clip.media_reference.target_url).is_file(),
                    "{name} is not beside it.", name=clip.media_reference.target_url)
    elif order["format"] == "edl":
        return _check_edl(order, place, file)
    else:
        rows_read = list(csv.DictReader(io.StringIO(place.read_text("utf-8-sig"), newline="")))
        found = wanted if sum(bool(row["file"]) for row in rows_read) == len(plan.lines) else []
    require(found == wanted, "Read again it has {found} clips, not {wanted}, or not at their times.", found=len(found),
            wanted=len(wanted))
    return {}


def _check_edl(order: Data, place: Path, file: MadeFile) -> Report:
    """A list as its own rows have it, and as another reader does."""
    begin = _begin(order)
    starts = [frames_at(line.start, order["fps"]) for line in MixPlan.from_json(order["plan"]).lines]
    text = place.read_text()
    rows, seen = _events(text, "A", "A2"), _events(text, "V")
    require(len(rows) == file.report["clips"] <= _EDL_EVENTS, "Read again it has {found} events, not {wanted}.",
            found=len(rows), wanted=file.report["clips"])
    over, under = exact_rate(order["fps"])
    again = otio.adapters.read_from_file(str(place), "cmx_3600", rate=over / under, ignore_timecode_mismatch=True)
    found = [clip for track in again.audio_tracks() for clip in track.find_clips()]
    require(len(found) == len(rows), "Another reader finds {found} clips in it, not {wanted}.", found=len(found),
            wanted=len(rows))
    pieces = [clip for track in again.video_tracks() for clip in track.find_clips()]
    require(len(pieces) == len(seen), "Another reader finds {found} pieces of the picture in it, not {wanted}.",
            found=len(pieces), wanted=len(seen))
    at = {frames_of(row[6], order["fps"]) - begin for row in rows}
    require(at <= set(starts), "Its events are not at their times.")
    return {}


def _events(text: str, *channels: str) -> list[list[str]]:
    """The words of each event's row, of these channels."""
    rows = [row.split() for row in text.splitlines() if row[:3].isdigit()]
    return [row for row in rows if row[2] in channels]


def _since_time_codes(told: Mapping[str, Any]) -> Mapping[str, Any]:
    """What was once told in seconds."""
    if "starts_s" not in told:
        return told
    whole = int(float(told["starts_s"])) if isinstance(told["starts_s"], int | float) else 0
    return {**{name: value for name, value in told.items() if name != "starts_s"},
            "starts": f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}:00"}


TIMELINE = ItemKind(
    "timeline", "edition",
    {"format": Choice("otio", ("otio", "edl", "markers")), "clips": Choice(True, YES_NO),
     "codec": Choice("wav24", ("wav16", "wav24", "wav32f")), "rate": Choice(48_000, (44_100, 48_000, 96_000)),
     "drop_frame": Choice(False, YES_NO), "handles_ms": Choice(0, low=0, high=5000),
     "starts": Choice("00:00:00:00", written=_TIME_CODE, like="01:00:00:00")},
    "{language}/turnover", need(Need.VOICED, Need.FINISHED, Need.READ), _write_down, _make, _check, together=True,
    version=4, older=_since_time_codes)
ITEMS = (TIMELINE,)
