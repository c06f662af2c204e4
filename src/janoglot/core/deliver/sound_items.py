"""The finished sound in a package: the track, its stems, and a clip for each line or part."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from janoglot.core.deliver.broadcast import BroadcastFacts, read_bext, write_broadcast
from janoglot.core.deliver.chapters import Chapter, read_chapters, write_chapters
from janoglot.core.deliver.deliverable import Data, Material, Need, Report, Stores, require
from janoglot.core.deliver.encoding import RATES, AudioFormat, Codec, cut_out, encode, measured
from janoglot.core.deliver.items import YES_NO, Choice, ItemKind, MadeFile, Value, need
from janoglot.core.deliver.stems import STEMS, stems_of, write_stems
from janoglot.core.edition.plan import MixPlan
from janoglot.core.edition.sound_world import tracks_of_plan
from janoglot.core.languages import english_name
from janoglot.core.mix.blocks import BlockMix, KeptBlocks
from janoglot.core.mix.programme import clip_samples
from janoglot.core.mix.sides import RATE, Floats32

_NEEDS = need(Need.VOICED, Need.FINISHED, Need.READ, Need.MIXED)
_WAVES: tuple[Value, ...] = ("wav16", "wav24", "wav32f")
_EXACT: tuple[Value, ...] = (*_WAVES, "flac")
_BY_RATE: tuple[Value, ...] = ("mp3", "aac", "opus")
_WITH_CHAPTERS = ("mp3", "aac", "opus", "flac")
_ALL_CODECS: tuple[Value, ...] = (*_EXACT, *_BY_RATE, "ulaw", "alaw")
_LOUDNESS = 0.5
"""LU that an encoded file may be beside what it should be: as EBU R 128 has it for programmes."""


def sound_choices(codec: str = "wav24", codecs: tuple[Value, ...] = _ALL_CODECS) -> dict[str, Choice]:
    return {"codec": Choice(codec, codecs), "rate": Choice(48_000, RATES),
            "channels": Choice(None, (1, 2), none=True), "kbps": Choice(0, low=0, high=512, only=("codec", _BY_RATE))}


def form_of(choices: Mapping[str, Any]) -> AudioFormat:
    """Raises BadInput for what its codec cannot hold. A codec of one rate has that, whatever is chosen."""
    codec = str(choices["codec"])
    rates = AudioFormat(codec).of.rates
    rate = int(choices["rate"])
    if len(rates) == 1:
        rate = rates[0]
    return AudioFormat(codec, rate, choices.get("channels"), choices.get("lufs"), int(choices.get("kbps") or 0),
                       float(choices.get("ceiling_db", -1.0))).checked()


@contextmanager
def mix_as_wav(key: str, stores: Stores, folder: Path) -> Iterator[Path]:
    """The finished mix as a file for as long as it is needed. Raises FileNotFoundError where it is not kept."""
    mix = BlockMix.from_json(json.loads(stores.mixes.path(key).read_text()))
    with tempfile.TemporaryDirectory(dir=folder) as inner:
        place = Path(inner) / "mix.wav"
        mix.write(place, KeptBlocks(stores.mixes, mix.channels))
        yield place


def _tags(material: Material) -> dict[str, str]:
    return {"title": material.production, "language": material.language,
            "album": f"{material.production} ({english_name(material.language)})", "encoder": "Janoglot"}


def _track(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    material = materials[0]
    key, lufs, seconds = material.mix()
    chapters = [{"name": part.name, "start": part.start, "end": part.end} for part in material.parts()]
    return {"mix": key, "lufs": lufs, "seconds": seconds, "form": form_of(choices).as_json(), "tags": _tags(material),
            "chapters": chapters if choices["chapters"] and len(chapters) > 1 else [],
            "broadcast": _broadcast(material, key) if choices["broadcast"] else None}


def _broadcast(material: Material, key: str) -> Data:
    day, _, time = material.made().partition("T")
    return {"description": f"{material.production}, {material.language}", "reference": key[:32], "date": day,
            "time": time[:8], "scene": material.language, "take": key[:8], "project": material.production,
            "language": material.language}


def _make_track(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    form = AudioFormat(**order["form"])
    report = json.loads(stores.mixes.path(order["mix"]).read_text())["report"]
    codec = form.of
    place = folder / f"track.{codec.ending}"
    with mix_as_wav(order["mix"], stores, folder) as wav:
        made = encode(wav, place, form, order["lufs"], order["tags"] if codec.name in _EXACT else None)
        told: Report = {"seconds": round(made.seconds, 3), "lufs": round(made.lufs, 2),
                        "true_peak_db": round(made.true_peak_db, 2), "channels": float(made.channels),
                        "rate": float(form.rate)}
        if codec.name in _WITH_CHAPTERS:
            write_chapters(place, codec, order["tags"], [Chapter(**one) for one in order["chapters"]],
                           order["seconds"])
    if order["broadcast"] and codec.name.startswith("wav"):
        plain = place.rename(folder / "plain.wav")
        sides = "stereo" if made.channels == 2 else "mono"
        # The range is the same at any level; what was the most is as much louder as the whole is.
        louder = made.lufs - report["lufs"]
        write_broadcast(plain, place, BroadcastFacts(
            **order["broadcast"], lufs=made.lufs, true_peak_db=made.true_peak_db, range_lu=report["range_lu"],
            most_momentary=report["most_momentary"] + louder, most_short_term=report["most_short_term"] + louder,
            tracks=("left", "right") if made.channels == 2 else ("mono",),
            history=f"A=PCM,F={form.rate},W={codec.name[3:5]},M={sides},T=Janoglot"))
        plain.unlink()
    return [MadeFile(place.name, codec.ending, {"what": codec.name}, told)]


def _check_track(order: Data, place: Path, file: MadeFile) -> Report:
    form = AudioFormat(**order["form"])
    codec = form.of
    lufs, peak, seconds, channels = measured(place)
    require(abs(seconds - order["seconds"]) <= codec.delay + 0.003, "It lasts {found:.3f} s, not {wanted:.3f} s.",
            found=seconds, wanted=order["seconds"])
    require(form.channels in (None, channels), "It has {found} channels.", found=channels)
    wanted = form.lufs if form.lufs is not None else order["lufs"]
    # A telephone hears a narrow band: what it leaves is quieter by what it leaves out.
    narrow = form.lufs is None and (form.rate < 32_000 or form.channels == 1)
    require(narrow or abs(lufs - wanted) <= _LOUDNESS, "It has {found:.1f} LUFS, not {wanted:.1f}.", found=lufs,
            wanted=wanted)
    require(peak <= form.ceiling_db + 0.3, "Its peaks reach {found:.1f} dBTP; {most:g} is the most.", found=peak,
            most=form.ceiling_db)
    if order["broadcast"] and codec.name.startswith("wav"):
        require(read_bext(place)["version"] == 2, "It tells nothing of itself.")
    if order["chapters"] and codec.name in _WITH_CHAPTERS:
        found = read_chapters(place)
        require([one.name for one in found] == [one["name"] for one in order["chapters"]],
                "Read again it has {found} chapters, not {wanted}.", found=len(found), wanted=len(order["chapters"]))
    return {"bytes": float(place.stat().st_size)}


TRACK = ItemKind(
    "track", "edition",
    {**sound_choices(), "lufs": Choice(None, low=-40, high=-8, none=True), "ceiling_db": Choice(-1.0, low=-12, high=0),
     "chapters": Choice(True, YES_NO), "broadcast": Choice(False, YES_NO, only=("codec", _WAVES))},
    "{language}/{production}_{language}", _NEEDS, _track, _make_track, _check_track, version=3)


def _stems(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    key, _lufs, seconds = materials[0].mix()
    wanted = [name for name in STEMS if name in str(choices["stems"]).split(", ")] or list(STEMS)
    return {"mix": key, "plan": materials[0].plan().as_json(), "seconds": seconds, "stems": wanted}


def _make_stems(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    mix = BlockMix.from_json(json.loads(stores.mixes.path(order["mix"]).read_text()))
    plan = MixPlan.from_json(order["plan"])
    require(stores.sounds is not None, "There is nothing here to make stems by.")
    assert stores.sounds is not None
    tracks = tracks_of_plan(plan, stores.takes, stores.sounds())
    kinds = {placed.layer.name: placed.layer.kind for placed in plan.under}
    stems = stems_of(tracks, kinds, order["stems"])
    names = {name: f"{number:02}.wav" for number, name in enumerate(stems, 1)}
    write_stems(mix, KeptBlocks(stores.mixes, mix.channels), stems, lambda name: folder / names[name])
    return [MadeFile(names[name], "wav", {"what": name.removeprefix("speaker "),
                                          "speaker": name[8:] if name.startswith("speaker ") else ""},
                     {"seconds": round(mix.seconds, 3)}) for name in stems]


def _check_stems(order: Data, place: Path, file: MadeFile) -> Report:
    lufs, peak, seconds, channels = measured(place)
    require(abs(seconds - order["seconds"]) < 0.001, "It lasts {found:.3f} s, not {wanted:.3f} s.", found=seconds,
            wanted=order["seconds"])
    return {"lufs": round(lufs, 2), "true_peak_db": round(peak, 2), "channels": float(channels)}


STEMS_ITEM = ItemKind("stems", "edition", {"stems": Choice(", ".join(STEMS))},
                      "{language}/stems/{production}_{language}_{what}", _NEEDS, _stems, _make_stems, _check_stems)


def _clips(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    material = materials[0]
    plan = material.plan()
    parts = material.parts()
    spans = {str(line.number): next((part.name for part in reversed(parts) if line.start >= part.start - 0.001), "")
             for line in plan.lines}
    order: Data = {"by": choices["by"], "form": form_of(choices).as_json(), "handles": choices["handles_ms"],
                   "parts": spans, "seconds": plan.seconds, "tags": _tags(material)}
    if choices["by"] == "part":
        key, lufs, _ = material.mix()
        return {**order, "mix": key, "lufs": lufs, "spans": [[one.name, one.start, one.end] for one in parts or []]
                or [["", 0.0, plan.seconds]]}
    return {**order, "plan": plan.as_json()}


def _needs_clips(choices: Mapping[str, Value]) -> frozenset[Need]:
    found = {Need.VOICED, Need.FINISHED, Need.READ}
    return frozenset(found | {Need.MIXED} if choices["by"] == "part" else found)


def _make_clips(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    form = AudioFormat(**order["form"])
    made = []

    plain = folder / "plain.wav"

    def keep(number: int, fields: dict[str, str | int], seconds: float, title: str) -> None:
        fields = {**fields, "what": form.codec}
        place = folder / f"{number:04}.{form.of.ending}"
        tags = {**order["tags"], "title": title, "artist": str(fields.get("speaker", ""))}
        told = encode(plain, place, form, tags=tags)
        plain.unlink()
        made.append(MadeFile(place.name, form.of.ending, fields, {
            "seconds": round(told.seconds, 3), "wanted": round(seconds, 3), "lufs": round(told.lufs, 2),
            "true_peak_db": round(told.true_peak_db, 2)}))

    handle = float(order["handles"]) / 1000
    if order["by"] == "part":
        with mix_as_wav(order["mix"], stores, folder) as wav, soundfile.SoundFile(wav) as file:
            for number, (name, start, end) in enumerate(order["spans"], 1):
                low = max(0, round((start - handle) * RATE))
                high = min(file.frames, round((end + handle) * RATE))
                cut_out(file, low, high, plain)
                keep(number, {"number": number, "part": name or "part"}, (high - low) / RATE,
                     name or order["tags"]["title"])
        return made
    plan = MixPlan.from_json(order["plan"])
    for line in plan.lines:
        samples = silent_around(clip_samples(line.clip(stores.takes), plan.target), handle)
        soundfile.write(plain, samples, RATE, subtype="FLOAT", format="WAV")
        keep(line.number, {"number": line.number, "speaker": line.speaker,
                           "part": order["parts"].get(str(line.number), "")}, len(samples) / RATE,
             " ".join(line.words.split()))
    return made


def silent_around(samples: Floats32, seconds: float) -> Floats32:
    """A clip with silence before it and behind it, to be cut and faded in by whoever lays it."""
    silence = np.zeros((round(seconds * RATE), *samples.shape[1:]), np.float32)
    return np.concatenate([silence, samples, silence]) if seconds else samples


def _check_clips(order: Data, place: Path, file: MadeFile) -> Report:
    codec: Codec = AudioFormat(**order["form"]).of
    seconds = measured(place)[2]
    require(abs(seconds - file.report["wanted"]) <= codec.delay + 0.003, "It lasts {found:.3f} s, not {wanted:.3f} s.",
            found=seconds, wanted=file.report["wanted"])
    return {}


CLIPS = ItemKind(
    "clips", "edition",
    {**sound_choices(), "lufs": Choice(None, low=-40, high=-8, none=True), "by": Choice("line", ("line", "part")),
     "handles_ms": Choice(0, low=0, high=5000)},
    "{language}/clips/{number}_{speaker}_{part}", _needs_clips, _clips, _make_clips, _check_clips, version=2)
ITEMS = (TRACK, STEMS_ITEM, CLIPS)
