"""Packages of a small production, every file looked at by a reader that had no part in making it."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import re
import shutil
import subprocess
import unicodedata
import zipfile
from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import m3u8
import mutagen
import numpy as np
import opentimelineio as otio
import pytest
import soundfile
import webvtt
from docx import Document
from lxml import etree
from openpyxl import load_workbook
from pypdf import PdfReader
from wavinfo import WavInfoReader

from janoglot.core.deliver import encoding
from janoglot.core.deliver.chapters import Chapter, write_chapters
from janoglot.core.deliver.deliverable import FailedCheck
from janoglot.core.deliver.encoding import CODECS, AudioFormat, encode
from janoglot.core.deliver.items import MadeFile
from janoglot.core.deliver.names import file_name, named_by
from janoglot.core.deliver.package import KINDS, MANIFEST, PACKAGES, Item, called_like, hand_over, package_of, wanted_of
from janoglot.core.deliver.picture_items import probed
from janoglot.core.deliver.timecode import exact_rate, frames_at, frames_of
from janoglot.core.deliver.timeline_items import edls_of, markers_of
from janoglot.core.dubbing import materials_of
from janoglot.core.errors import BadInput
from janoglot.core.media.ffmpeg import ffmpeg, recording
from janoglot.core.mix.cues import sound_plan_of
from janoglot.core.office import new_document, new_workbook
from janoglot.core.script.model import Script, ScriptLine, ScriptPart
from tests.core.conftest import DEMO
from tests.core.test_loudness import ffmpeg_measures

TEXTS = [
    ("Narrator", "The stair goes down to the water.", 0.5, 3.0, "The Stair",
     {"es-MX": "La escalera baja al agua.",
      "fr-FR": "L’escalier descend à l’eau.", "de-DE": "Die Treppe führt ins Wasser.", "it-IT": "La scala scende all’acqua.",
      "ar": "الدرج ينزل إلى الماء."}),
    ("Keeper", "Mind the third step, Captain Imka Oller.", 3.2, 6.0, "The Stair",
     {"es-MX": "Cuidado con el tercer escalón.",
      "fr-FR": "Attention à la troisième marche.", "de-DE": "Vorsicht, die dritte Stufe.", "it-IT": "Attenta al terzo gradino.",
      "ar": "انتبهي للدرجة الثالثة."}),
    ("Imka", "It is loose. It always was, and nobody ever mends it.", 5.6, 9.0, "The Clock Room",
     {"es-MX": "Está flojo. Siempre lo estuvo.",
      "fr-FR": "Elle branle. Depuis toujours.", "de-DE": "Sie ist lose. Schon immer.", "it-IT": "È lento. Lo è sempre stato.",
      "ar": "إنها مفككة. كانت كذلك دائما."}),
    ("Keeper", "It keeps the other time.", 9.5, 11.5, "The Clock Room",
     {"es-MX": "Da la otra hora.",
      "fr-FR": "Elle donne l’autre heure.", "de-DE": "Sie zeigt die andere Zeit.", "it-IT": "Segna l’altra ora.",
      "ar": "إنها تحفظ الوقت الآخر."}),
]
LANGUAGES = ("es-MX", "fr-FR", "de-DE", "it-IT", "ar")
SOUNDS = {"layers": [{"name": "music", "kind": "music", "level_db": -6},
                     {"name": "ambience", "kind": "ambience", "level_db": -8}],
          "cues": [{"layer": "music", "sound": {"made": "old wall clock ticking"}, "at": {"seconds": 1}, "seconds": 6, "loop": True},
                   {"layer": "ambience", "sound": {"made": "surf"}, "at": {"seconds": 0}, "loop": True}]}
CAST = {tag: {"Narrator": one, "Keeper": two, "Imka": three} for tag, one, two, three in (
    ("en-GB", "curlew", "bittern", "rook"), ("es-MX", "alcaudon", "azor", "abubilla"))}


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Any:
    """Hands over a package of the production: the folder, and what its manifest says."""
    root = tmp_path_factory.mktemp("packages")
    lines = [ScriptLine(speaker, words, start, end, part=part, wordings=wordings)
             for speaker, words, start, end, part, wordings in TEXTS]
    script = Script(lines, parts=[ScriptPart("The Stair"), ScriptPart("The Clock Room")], languages=list(LANGUAGES))

    # A programme is as long as its picture: the demo's would have every file of it twenty times as long.
    ffmpeg(*recording(DEMO / "tidewater-clock.mp4"), "-t", "12.5", "-c", "copy", f"file:{root / 'picture.mp4'}")

    materials, stores = materials_of(
        script, "en-GB", LANGUAGES, CAST, "Tide & Time", root / "store", quality="sketch",
        sounds=sound_plan_of(SOUNDS), picture=root / "picture.mp4")

    def give(told: str, languages: tuple[str, ...], packed: bool) -> tuple[Path, list[Any]]:
        package = package_of(json.loads(told))
        chosen = [one for one in materials if one.language in languages]
        files = hand_over(package, chosen, stores, root / "out", packed)
        return root / "out" / f"Tide-Time_{package.name}{'.zip' if packed else ''}", files

    def of(*items: tuple[str, Mapping[str, Any]], languages: tuple[str, ...] = ("es-MX", "ar"), packed: bool = False,
           name: str = "given", patterns: Mapping[str, str] | None = None) -> tuple[Path, list[Any]]:
        told = {"name": name, "items": [{"kind": kind, "choices": dict(choices), "pattern": (patterns or {}).get(kind, "")}
                                        for kind, choices in items]}
        return give(json.dumps(told), languages, packed)

    of.materials, of.stores, of.picture = materials, stores, root / "picture.mp4"  # type: ignore[attr-defined]
    return of


def one(made: Any, kind: str, choices: Mapping[str, Any], language: str = "es-MX") -> Path:
    place, files = made((kind, choices), languages=(language,), name=hashlib.md5(f"{kind}{choices}".encode()).hexdigest())
    return Path(place / files[0]["path"])


@pytest.mark.parametrize(("codec", "name", "rate", "channels"), [
    ("wav16", "pcm_s16le", 44_100, 2), ("wav24", "pcm_s24le", 48_000, 2), ("wav32f", "pcm_f32le", 96_000, 1),
    ("flac", "flac", 48_000, 2), ("mp3", "mp3", 44_100, 2), ("aac", "aac", 48_000, 2), ("opus", "opus", 48_000, 2),
    ("ulaw", "pcm_mulaw", 8_000, 1), ("alaw", "pcm_alaw", 8_000, 1)])
def test_a_track_is_what_it_says_by_ffprobe(made: Any, codec: str, name: str, rate: int, channels: int) -> None:
    place = one(made, "track", {"codec": codec, "rate": rate, "channels": channels if codec != "mp3" else None,
                                "lufs": -18})
    stream = probed(place)["streams"][0]
    assert (stream["codec_name"], int(stream["sample_rate"]), stream["channels"]) == (name, rate, channels)
    exact = soundfile.info(one(made, "track", {})).duration
    assert float(probed(place)["format"]["duration"]) == pytest.approx(exact, abs=0.1)
    if rate > 8_000:
        lufs, peak = ffmpeg_measures(place)
        assert lufs == pytest.approx(-18, abs=0.4)
        assert peak <= -0.7


def test_tags_and_chapters_are_those_of_the_parts(made: Any) -> None:
    for codec in ("mp3", "aac", "opus", "flac"):
        told = probed(one(made, "track", {"codec": codec}))
        assert [row["tags"]["title"] for row in told["chapters"]] == ["The Stair", "The Clock Room"], codec
        assert 4 < float(told["chapters"][1]["start_time"]) < 8
        tags = {**told["format"].get("tags", {}), **told["streams"][0].get("tags", {})}
        assert tags.get("title") == "Tide & Time", codec


def test_a_broadcast_file_tells_of_itself(made: Any) -> None:
    place = one(made, "track", {"broadcast": True, "lufs": -23})
    told = WavInfoReader(str(place))
    about = told.bext.to_dict()
    assert about["version"] == 2
    assert about["description"] == "Tide & Time, es-MX"
    lufs, peak = ffmpeg_measures(place)
    assert about["loudness_value"] == pytest.approx(lufs, abs=0.15)
    assert about["max_true_peak"] == pytest.approx(peak, abs=0.3)
    assert about["max_momentary_loudness"] > about["max_shortterm_loudness"] >= about["loudness_value"] - 1
    assert [track["name"] for track in told.ixml.to_dict()["track_list"]] == ["left", "right"]
    assert (told.ixml.scene, told.ixml.project) == ("es-MX", "Tide & Time")
    plain, _ = soundfile.read(one(made, "track", {"lufs": -23}))
    assert np.array_equal(soundfile.read(place)[0], plain)


@pytest.mark.parametrize("longest", [4_000_000_000, 1_000])
def test_a_long_file_is_rf64_and_tells_of_itself_as_well(made: Any, longest: int, tmp_path: Path,
                                                         monkeypatch: pytest.MonkeyPatch) -> None:
    from janoglot.core.deliver import encoding
    from janoglot.core.deliver.broadcast import BroadcastFacts, read_bext, write_broadcast
    from janoglot.core.deliver.encoding import AudioFormat, encode

    monkeypatch.setattr(encoding, "_LONGEST_WAV", longest)
    source = one(made, "track", {})
    encode(source, tmp_path / "plain.wav", AudioFormat("wav24"))
    write_broadcast(tmp_path / "plain.wav", tmp_path / "told.wav", BroadcastFacts("A long one", lufs=-23.0))
    assert read_bext(tmp_path / "told.wav")["description"] == "A long one"
    assert np.array_equal(soundfile.read(tmp_path / "told.wav")[0], soundfile.read(source)[0])


def test_stems_are_together_the_mix(made: Any) -> None:
    place, files = made(("track", {}), ("stems", {}), languages=("es-MX",), name="stems")
    mix, _ = soundfile.read(place / files[0]["path"])
    stems = {Path(row["path"]).stem.rpartition("_")[2]: soundfile.read(place / row["path"])[0]
             for row in files if row["item"] == "stems"}
    assert set(stems) == {"dialogue", "music", "ambience", "music-and-effects", "Narrator", "Keeper", "Imka"}
    for parts in (("dialogue", "music", "ambience"), ("dialogue", "music-and-effects"),
                  ("Narrator", "Keeper", "Imka", "music-and-effects")):
        rest = mix - sum(stems[name] for name in parts)
        assert 20 * np.log10(np.abs(rest).max() + 1e-12) < -90, parts
    assert np.abs(stems["music"]).max() > 0.001


def test_stems_are_together_the_mix_where_it_is_limited(made: Any) -> None:
    from janoglot.core.deliver.stems import stems_of, write_stems
    from janoglot.core.mix.blocks import BlockMixer, PassingBlocks
    from janoglot.core.mix.programme import Clip, VoiceTrack

    at = np.arange(3 * 48_000) / 48_000
    sound = (0.4 * np.sin(2 * np.pi * 180 * at) * (np.sin(2 * np.pi * 1.3 * at) > 0)).astype(np.float32)
    clips = [Clip(start, 3.0, -14.0, lambda: (sound, 48_000)) for start in (0.0, 0.7, 9.5)]
    tracks = [VoiceTrack(f"speaker {number}", [clip], -9.0) for number, clip in enumerate(clips)]
    folder = one(made, "track", {}).parent
    with (folder / "raw").open("w+b") as raw:
        store = PassingBlocks(raw, 1)
        mix = BlockMixer(tracks, 14.0, 1, store).mix(-8.0)
        assert mix.limited and mix.report.limited_db > 1, "peaks are held"
        stems = stems_of(tracks, {}, ["speakers"])
        write_stems(mix, store, stems, lambda name: folder / f"{name}.stem")
        mix.write(folder / "mix.stem", store)
    whole = soundfile.read(folder / "mix.stem")[0]
    rest = whole - sum(soundfile.read(folder / f"{name}.stem")[0] for name in stems)
    assert 20 * np.log10(np.abs(rest).max() + 1e-12) < -90


def test_a_part_however_long_is_never_in_memory_whole(made: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    """Where a programme has no parts, the one is as long as that."""
    asked: list[int] = []
    read = soundfile.SoundFile.read

    def spied(file: Any, frames: int = -1, *args: Any, **more: Any) -> Any:
        asked.append(frames if frames >= 0 else file.frames)
        return read(file, frames, *args, **more)

    monkeypatch.setattr(soundfile.SoundFile, "read", spied)
    monkeypatch.setattr(encoding, "_BLOCK", 48_000)
    made(("clips", {"by": "part"}), languages=("es-MX",), name="long-parts")
    made(("talking book", {}), languages=("es-MX",), name="long-book")
    assert asked and max(asked) <= 48_000


def test_clips_by_line_and_part_have_names_and_handles(made: Any) -> None:
    place, files = made(("clips", {"handles_ms": 200}), languages=("es-MX",), name="by-line",
                        patterns={"clips": "{part}/{language}-{number}-{speaker}"})
    assert [row["path"] for row in files][:2] == ["The-Stair/es-MX-001-Narrator.wav", "The-Stair/es-MX-002-Keeper.wav"]
    samples, rate = soundfile.read(place / files[0]["path"])
    assert np.abs(samples[: round(0.19 * rate)]).max() == 0
    assert np.abs(samples[round(0.2 * rate): round(0.6 * rate)]).max() > 0.01
    _, parts = made(("clips", {"by": "part"}), languages=("es-MX",), name="by-part")
    assert [Path(row["path"]).name for row in parts] == ["001_The-Stair.wav", "002_The-Clock-Room.wav"]
    whole = soundfile.info(one(made, "track", {})).duration
    assert sum(row["report"]["seconds"] for row in parts) == pytest.approx(whole, abs=0.01)


@pytest.mark.parametrize("form", ["srt", "vtt", "words.vtt", "imsc.ttml", "ebu-tt-d.xml"])
def test_captions_are_read_by_others(made: Any, form: str) -> None:
    place = one(made, "captions", {"format": form})
    if form.endswith("vtt"):
        cues = [(cue.start_in_seconds, cue.end_in_seconds) for cue in webvtt.read(str(place))]
        assert "<v Narrator>" in place.read_text()
        assert ("<00:00:0" in place.read_text()) == (form == "words.vtt")
    else:
        done = subprocess.run(["ffprobe", "-v", "error", "-show_packets", "-of", "json", *(
            ["-f", "srt"] if form == "srt" else []), str(place)], capture_output=True, text=True)
        rows = json.loads(done.stdout or "{}").get("packets", []) if form == "srt" else [
            {"pts_time": clock(row.get("begin")), "duration_time": clock(row.get("end")) - clock(row.get("begin"))}
            for row in etree.parse(str(place)).getroot().iter("{http://www.w3.org/ns/ttml}p")]
        cues = [(float(row["pts_time"]), float(row["pts_time"]) + float(row["duration_time"])) for row in rows]
    assert len(cues) >= 4
    assert all(start < end for start, end in cues)
    if form.endswith(("ttml", "xml")):
        from xml.etree import ElementTree

        import ttconv.imsc.reader

        model = ttconv.imsc.reader.to_model(ElementTree.ElementTree(ElementTree.fromstring(place.read_text())))
        assert model is not None and model.get_body() is not None
        root = etree.parse(str(place)).getroot()
        assert root.get("{http://www.w3.org/XML/1998/namespace}lang") == "es-MX"
        regions = {row.get("{http://www.w3.org/XML/1998/namespace}id") for row in root.iter("{*}region")}
        assert {row.get("region") for row in root.iter("{http://www.w3.org/ns/ttml}p")} <= regions
        # Words stand in spans of a style, as EBU-TT-D asks for.
        assert all(row.text is None or not row.text.strip() for row in root.iter("{http://www.w3.org/ns/ttml}p"))


def plan_in(made: Any) -> Any:
    """What an edition's timeline is made by."""
    order, = (wanted.order for wanted in wanted_of(
        package_of({"name": "x", "items": [{"kind": "timeline"}]}), [made.materials[0]]))
    return order["plan"]


def clock(text: str | None) -> float:
    hours, minutes, seconds = str(text).split(":")
    return int(hours) * 3600 + int(minutes) * 60 + float(seconds)


def test_arabic_captions_run_from_right_to_left(made: Any) -> None:
    root = etree.parse(str(one(made, "captions", {"format": "imsc.ttml"}, "ar"))).getroot()
    styles = [dict(row.attrib) for row in root.iter("{http://www.w3.org/ns/ttml}style")]
    assert any(row.get("{http://www.w3.org/ns/ttml#styling}direction") == "rtl" for row in styles)


@pytest.mark.parametrize(("container", "audio", "texts"), [("mp4", "aac", "mov_text"), ("mkv", "aac", "subrip"),
                                                           ("mov", "aac", "mov_text")])
def test_a_picture_has_the_dubs_as_tracks(made: Any, container: str, audio: str, texts: str) -> None:
    place, files = made(("picture, all languages", {"container": container, "source_track": True}), name=container)
    streams = probed(place / files[0]["path"])["streams"]
    kinds = [(row["codec_type"], row["codec_name"]) for row in streams if row["codec_name"] != "bin_data"]
    assert kinds == [("video", "h264"), *3 * [("audio", audio)], *2 * [("subtitle", texts)]]
    sounds = [row for row in streams if row["codec_type"] == "audio"]
    assert [row["tags"]["language"] for row in sounds] == ["spa", "ara", "eng"]
    assert [row["disposition"]["default"] for row in sounds] == [1, 0, 0]
    original = probed(made.picture)["streams"]
    here, there = ([packet_hash(one_, "v") for one_ in (place / files[0]["path"], made.picture)])
    assert here == there, "the picture is copied, not made again"
    assert len(original) >= 2


def packet_hash(place: Path, stream: str) -> str:
    done = subprocess.run(["ffmpeg", "-v", "error", "-i", str(place), "-map", f"0:{stream}:0", "-c", "copy", "-f", "hash",
                           "-bsf:v", "h264_mp4toannexb", "-"], capture_output=True, text=True, check=True)
    return done.stdout


def test_five_dubs_are_in_one_file_each_with_its_language(made: Any) -> None:
    place, files = made(("picture, all languages", {}), languages=LANGUAGES, name="five")
    streams = probed(place / files[0]["path"])["streams"]
    sounds = [row["tags"] for row in streams if row["codec_type"] == "audio"]
    assert [row["language"] for row in sounds] == ["spa", "fre", "ger", "ita", "ara"]
    assert sounds[0]["title"] == "Español (México)"
    assert sum(row["codec_type"] == "subtitle" for row in streams) == 5


def test_the_picture_stands_where_it_is_held(tmp_path: Path) -> None:
    from janoglot.core.deliver.picture_items import held_picture
    from janoglot.core.timing.holds import Hold

    # A second of each of three greys, held where the second ends.
    source = tmp_path / "greys.mp4"
    subprocess.run(["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color=c=0x202020:s=64x36:r=25:d=1", "-f", "lavfi", "-i",
                    "color=c=0x808080:s=64x36:r=25:d=1", "-f", "lavfi", "-i", "color=c=0xe0e0e0:s=64x36:r=25:d=1",
                    "-filter_complex", "[0][1][2]concat=n=3[v]", "-map", "[v]", str(source)], check=True)
    place = tmp_path / "held.mp4"
    graph = held_picture("[0:v:0]", [Hold("a", 2.0, 1.0, 25)], 3.0)
    subprocess.run(["ffmpeg", "-v", "error", "-i", str(source), "-filter_complex", graph, "-map", "[v]", str(place)], check=True)
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(place), "-f", "rawvideo", "-pix_fmt", "gray", "-"],
                         capture_output=True, check=True).stdout
    grey = np.frombuffer(raw, np.uint8).reshape(-1, 36 * 64).mean(axis=1)
    assert len(grey) == 100
    assert [round(float(grey[at])) // 60 for at in (12, 37, 62, 74, 88)] == [0, 2, 2, 2, 3]


def test_an_edition_that_holds_the_picture_has_it_frozen_with_its_sound(made: Any, tmp_path: Path,
                                                                        monkeypatch: pytest.MonkeyPatch) -> None:
    from janoglot.core.deliver.package import KINDS
    from janoglot.core.timing.holds import Hold

    order = json.loads(json.dumps(wanted_of(package_of({"name": "x", "items": [{"kind": "picture"}]}),
                                            [made.materials[0]])[0].order))
    order["holds"] = [{"part": "1", "at": 2.0, "seconds": 1.5, "frames": 38}]
    kind = KINDS["picture"]
    file, = kind.make(order, made.stores, tmp_path)
    kind.check(order, tmp_path / file.path, file)
    picture = next(row for row in probed(tmp_path / file.path)["streams"] if row["codec_type"] == "video")
    assert float(picture["duration"]) == pytest.approx(order["picture"]["seconds"] + 1.5, abs=0.1)
    # Several editions that hold it at places of their own are no one file.
    monkeypatch.setattr(type(made.materials[1]), "holds", lambda self: [Hold("1", 2.0, 1.0, 25)])
    with pytest.raises(BadInput, match="held"):
        wanted_of(package_of({"name": "x", "items": [{"kind": "stream"}]}), made.materials[:2])


def test_a_stream_names_its_languages(made: Any) -> None:
    place, files = made(("stream", {}), name="stream")
    master = m3u8.load(str(place / files[0]["path"]))
    assert master.is_variant
    sounds = [row for row in master.media if row.type == "AUDIO"]
    assert [(row.language, row.default) for row in sounds] == [("es-MX", "YES"), ("ar", "NO")]
    assert [row.language for row in master.media if row.type == "SUBTITLES"] == ["es-MX", "ar"]
    about = m3u8.load(str(place / files[0]["path"])).playlists[0].stream_info
    assert about.subtitles == "captions" and about.audio and re.fullmatch(r"avc1\.[0-9A-Fa-f]{6},mp4a\.40\.2", about.codecs)
    for row in sounds:
        inner = m3u8.load(str((place / files[0]["path"]).parent / str(row.uri)))
        assert sum(segment.duration or 0 for segment in inner.segments) == pytest.approx(
            soundfile.info(one(made, "track", {}, str(row.language))).duration, abs=0.1)
    done = subprocess.run(["ffmpeg", "-v", "error", "-i", str(place / files[0]["path"]), "-map", "0:a:0", "-t", "2", "-f", "null",
                           "-"], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr


def test_a_timeline_opens_with_its_media(made: Any) -> None:
    place = one(made, "timeline", {"format": "otio"})
    timeline = otio.adapters.read_from_file(str(place))
    names = [track.name for track in timeline.audio_tracks()]
    assert names == ["Narrator", "Keeper", "Imka"]
    clips = list(timeline.find_clips())
    media = [clip.media_reference.target_url for clip in clips if isinstance(clip.media_reference, otio.schema.ExternalReference)]
    assert len(media) == 4
    for url in media:
        assert not url.startswith("/")
        assert soundfile.info(place.parent / url).frames > 0
    assert [marker.name for marker in timeline.tracks.markers] == ["The Stair", "The Clock Room"]
    edl = one(made, "timeline", {"format": "edl"})
    read = otio.adapters.read_from_file(str(edl), rate=25)
    assert [clip.name for track in read.audio_tracks() for clip in track.find_clips()][:2] == ["001 Narrator", "002 Keeper"]
    assert len(list(read.video_tracks()[0].find_clips())) == 1, "and the picture, named"
    text = edl.read_text()
    assert "FCM: NON-DROP FRAME" in text
    assert "A2" in text or text.count(" A ") == 4
    for fps, drop in ((23.976, False), (29.97, True), (29.97, False), (50.0, False), (59.94, True)):
        order = {"fps": fps, "drop": drop, "starts": "01:00:00:00", "title": "Tide", "parts": [], "plan": plan_in(made)}
        again = otio.adapters.read_from_string(edls_of(order, [f"clips/{n}.wav" for n in range(4)])[0], "cmx_3600",
                                               rate=exact_rate(fps)[0] / exact_rate(fps)[1],
                                               ignore_timecode_mismatch=True)
        first = next(clip for clip in again.find_clips() if clip.name)
        assert first.name == "001 Narrator"
        assert first.duration().value == pytest.approx(frames_at(order["plan"]["lines"][0]["seconds"], fps), abs=1)
        # What begins at an hour by its time code does so, at rates where that is no hour too; and all lists agree to the frame.
        event = next(row.split() for row in edls_of(order, ["a.wav"] * 4)[0].splitlines() if row.startswith("001"))
        row = next(csv.DictReader(io.StringIO(markers_of(order, ["a.wav"] * 4).decode("utf-8-sig"))))
        assert (row["start"], row["end"]) == (event[6], event[7])
        assert frames_of(event[6], fps) - frames_of("01:00:00;00" if drop else "01:00:00:00", fps) == frames_at(order["plan"]["lines"][0]["start"], fps)
    rows = list(csv.DictReader(io.StringIO(one(made, "timeline", {"format": "markers"}).read_text("utf-8-sig"))))
    assert [row["name"] for row in rows if not row["file"]] == ["The Stair", "The Clock Room"]


def test_a_list_is_within_what_its_format_holds(made: Any) -> None:
    """999 events and two channels: more are in more lists, each read again by another reader."""
    plan = plan_in(made)
    line = plan["lines"][0]
    plan["lines"] = [{**line, "line": n, "number": n, "start": n * 2.0 + (n % 3) * 0.1, "seconds": 1.9 if n % 50 else 5.0} for n in range(1, 1_201)]
    order = {"fps": 25.0, "drop": False, "starts": "10:00:00:00", "title": "Tide", "plan": plan}
    lists = edls_of(order, [f"clips/{n}.wav" for n in range(1_200)])
    assert len(lists) == 3
    assert sum(one.count("* SOURCE FILE") for one in lists) == 1_200
    for text in lists:
        rows = [row.split() for row in text.splitlines() if row[:3].isdigit()]
        assert [int(row[0]) for row in rows] == list(range(1, len(rows) + 1))
        assert len(rows) <= 999 and {row[2] for row in rows} <= {"A", "A2"}
        again = otio.adapters.read_from_string(text, "cmx_3600", rate=25)
        assert sum(len(list(track.find_clips())) for track in again.audio_tracks()) == len(rows)


@pytest.mark.parametrize(("told", "why"), [("3600", "01:00:00:00"), ("24:00:00:00", "01:00:00:00"), ("01:00:60:00", "01:00:00:00")])
def test_a_start_that_is_no_time_code_is_said(told: str, why: str) -> None:
    with pytest.raises(BadInput, match=why):
        package_of({"name": "a", "items": [{"kind": "timeline", "choices": {"starts": told}}]})


def test_what_was_told_in_seconds_once_is_a_time_code_now() -> None:
    kept = package_of({"name": "a", "items": [{"kind": "timeline", "choices": {"format": "edl", "starts_s": 3600}}]})
    assert kept.items[0].choices == {"format": "edl", "starts": "01:00:00:00"}


@pytest.mark.parametrize("language", ["es-MX", "ar"])
def test_a_talking_book_has_no_fault_by_epubcheck(made: Any, language: str) -> None:
    place = one(made, "talking book", {"format": "epub"}, language)
    done = subprocess.run(["java", "-jar", "/usr/bin/epubcheck", str(place)], capture_output=True, text=True)
    assert "0 errors / 0 warnings" in done.stdout, done.stdout + done.stderr
    with zipfile.ZipFile(place) as book:
        assert book.namelist()[0] == "mimetype"
        smil = etree.fromstring(book.read("book/chapter-001.smil"))
        clips = [(row.get("clipBegin"), row.get("clipEnd")) for row in smil.iter("{*}audio")]
        assert len(clips) >= 6, "word by word"
        page = etree.fromstring(book.read("book/chapter-001.xhtml"))
        assert page.get("dir") == ("rtl" if language == "ar" else "ltr")
        words = "".join(page.itertext())
        assert ("الدرج" if language == "ar" else "escalera") in words


def test_an_audiobook_names_its_chapters(made: Any) -> None:
    with zipfile.ZipFile(one(made, "talking book", {"format": "lpf"})) as book:
        told = json.loads(book.read("publication.json"))
        assert told["conformsTo"] == "https://www.w3.org/TR/audiobooks/"
        assert [row["name"] for row in told["readingOrder"]] == ["The Stair", "The Clock Room"]
        assert {row["url"] for row in told["readingOrder"]} <= set(book.namelist())
        seconds = sum(float(row["duration"][2:-1]) for row in told["readingOrder"])
        assert seconds == pytest.approx(float(told["duration"][2:-1]), abs=0.3)


@pytest.mark.parametrize("form", ["csv", "xlsx", "docx", "pdf", "json"])
def test_wordings_are_read_as_what_they_are(made: Any, form: str) -> None:
    place = one(made, "wordings", {"format": form}, "ar")
    if form == "csv":
        text = place.read_text("utf-8-sig")
    elif form == "json":
        text = json.dumps(json.loads(place.read_text()), ensure_ascii=False)
    elif form == "xlsx":
        sheet = load_workbook(place).active
        assert sheet is not None and sheet.sheet_view.rightToLeft
        text = " ".join(str(cell) for row in sheet.iter_rows(values_only=True) for cell in row)
    elif form == "docx":
        text = " ".join(cell.text for table in Document(str(place)).tables for row in table.rows for cell in row.cells)
    else:
        text = "".join(page.extract_text() for page in PdfReader(place).pages)
        assert "Keeper" in text
        return
    assert "انتبهي للدرجة الثالثة." in text
    assert "Mind the third step" in text


def test_the_packages_that_come_with_it_are_made(made: Any) -> None:
    """Of one language, all but what asks for minutes of encoding."""
    for package in PACKAGES:
        items = [(item.kind, item.choices) for item in package.items]
        _, files = made(*items, languages=("es-MX",), name=package.name.replace(" ", "-").replace("'", "-"))
        # Templates are made by the server: tests/server/test_clip_tables.py.
        assert {row["item"] for row in files} == {item.kind for item in package.items} - {"templates' clips"}, package.name


NAMED = "{language}/{production}-{edition}_{what}_{number}_{speaker}_{part}"


@pytest.mark.parametrize(("kind", "choices"), [
    ("track", {"codec": "mp3"}), ("stems", {"stems": "music, ambience"}), ("clips", {}), ("clips", {"by": "part", "codec": "flac"}),
    ("captions", {}), ("captions", {"format": "stl"}), ("picture", {}), ("picture, all languages", {}), ("stream", {}),
    ("timeline", {"format": "edl"}), ("talking book", {"format": "lpf"}), ("wordings", {}), ("cue sheet", {}), ("rights", {}),
    ("markup", {"format": "pls"}), ("script", {"format": "srt"}), ("recording sheet", {}), ("quality report", {})])
def test_names_are_said_before_as_they_are_then(made: Any, kind: str, choices: dict[str, Any]) -> None:
    item = Item(kind, choices, NAMED)
    languages = ["es-MX", "ar"] if item.of.of == "languages" else ["es-MX"]
    _, files = made((kind, choices), languages=tuple(languages), name=f"said-{kind}-{len(str(choices))}".replace(" ", "-").replace(",", ""),
                    patterns={kind: NAMED})
    told = called_like(item, "Tide & Time", languages, 1, "Narrator", "The Stair")
    assert files[0]["path"].startswith(told.removesuffix("…")) if item.of.together else files[0]["path"] == told


def test_a_manifest_tells_the_truth_and_names_are_safe(made: Any) -> None:
    place, told = made(("track", {"codec": "mp3"}), ("captions", {}), packed=True, name="zipped",
                       patterns={"captions": "../{language}/..//con/{what}"})
    with zipfile.ZipFile(place) as archive:
        manifest = json.loads(archive.read(MANIFEST))
        assert [row["path"] for row in manifest["files"]] == [row["path"] for row in told]
        assert manifest["languages"] == ["es-MX", "ar"]
        for row in manifest["files"]:
            data = archive.read(row["path"])
            assert (len(data), hashlib.sha256(data).hexdigest()) == (row["bytes"], row["sha256"])
            steps = row["path"].split("/")
            assert not any(step in ("", "..", ".") or step.lower().startswith("con.") or step.lower() == "con" for step in steps)
        assert manifest["files"][0]["report"]["lufs"] == pytest.approx(-16, abs=0.3)
        assert set(archive.namelist()) == {MANIFEST, *(row["path"] for row in told)}


def test_only_what_changed_is_made_again(made: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    from janoglot.core.deliver import package as module

    made(("captions", {}), ("cue sheet", {"format": "csv"}), languages=("es-MX",), name="first")
    asked: list[str] = []
    really = module.make_item

    def count(kind: Any, *rest: Any) -> Any:
        asked.append(kind.name)
        return really(kind, *rest)

    monkeypatch.setattr(module, "make_item", count)
    made(("captions", {}), ("cue sheet", {"format": "csv"}), languages=("es-MX",), name="again")
    assert asked == []
    made(("captions", {"columns": 30}), ("cue sheet", {"format": "csv"}), languages=("es-MX",), name="otherwise")
    assert asked == ["captions"]


@pytest.mark.parametrize(("told", "said"), [
    ({"name": "x", "items": []}, "1 to"), ({"name": "", "items": [{"kind": "track"}]}, "name"),
    ({"name": "x", "items": [{"kind": "wax cylinder"}]}, "wax cylinder"),
    ({"name": "x", "items": [{"kind": "track", "choices": {"codec": "wax"}}]}, "codec"),
    ({"name": "x", "items": [{"kind": "track", "choices": {"codec": "opus", "rate": 44_100}}]}, "44100"),
    ({"name": "x", "items": [{"kind": "track", "choices": {"colour": 1}}]}, "colour"),
    ({"name": "x", "items": [{"kind": "track", "choices": {"broadcast": 1}}]}, "broadcast"),
    ({"name": "x", "items": [{"kind": "track", "pattern": "{smell}"}]}, "smell"), ([], "package")])
def test_what_is_no_package_is_said(told: Any, said: str) -> None:
    with pytest.raises(BadInput, match=said):
        package_of(told)


@pytest.mark.parametrize(("codec", "rate"), [("wav24", 48_000), ("mp3", 44_100), ("ulaw", 8_000)])
def test_a_loudness_that_was_asked_for_and_not_reached_stops_it(codec: str, rate: int, tmp_path: Path) -> None:
    """Read again at −16 LUFS, a track passes for −16 and for nothing beside it; nobody takes −10 on trust."""
    noise = (0.1 * np.random.default_rng(3).standard_normal(6 * 48_000)).astype(np.float32)
    soundfile.write(tmp_path / "noise.wav", noise, 48_000, subtype="FLOAT")
    form = AudioFormat(codec, rate, lufs=-16.0)
    place = tmp_path / f"made.{form.of.ending}"
    made = encode(tmp_path / "noise.wav", place, form)
    file = MadeFile(place.name, form.of.ending, {}, {})

    def order(lufs: float) -> dict[str, Any]:
        return {"form": replace(form, lufs=lufs).as_json(), "seconds": made.seconds, "lufs": -30.0, "broadcast": None, "chapters": []}

    KINDS["track"].check(order(-16.0), place, file)
    for asked in (-10.0, -15.2, -16.8):
        with pytest.raises(FailedCheck, match=f"not {asked:.1f}".replace("-", "[-−]")):
            KINDS["track"].check(order(asked), place, file)


def test_a_loudness_beyond_what_peaks_allow_is_not_passed_for_it(made: Any, tmp_path: Path) -> None:
    """Speech held under a low ceiling cannot be as loud as is asked: that is said, and no file is given."""
    with pytest.raises(FailedCheck, match="LUFS"):
        one(made, "track", {"lufs": -8, "ceiling_db": -12})


class TestWhatItIsWithout:
    def test_what_cannot_be_had_is_left_out_with_the_reason_and_sinks_nothing(self, made: Any, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(type(made.materials[0]), "picture", lambda self: None)
        place, files = made(("hold list", {}), ("picture", {"container": "mp4"}), ("cue sheet", {"format": "csv"}), ("stream", {}), name="without")
        assert {one["item"] for one in files} == {"cue sheet"}
        told = json.loads((place / MANIFEST).read_text())["left_out"]
        assert [(one["item"], one["languages"]) for one in told] == [
            ("hold list", ["es-MX"]), ("hold list", ["ar"]), ("picture", ["es-MX"]), ("picture", ["ar"]), ("stream", ["es-MX", "ar"])]
        assert all("held" in one["why"] for one in told[:2]) and all("picture" in one["why"] for one in told[2:])

    def test_nothing_at_all_is_refused_with_the_first_reason(self, made: Any) -> None:
        with pytest.raises(BadInput, match="Nothing of this package.*held"):
            made(("hold list", {}), name="nothing")

    def test_one_that_fails_its_own_check_leaves_the_others(self, made: Any, monkeypatch: pytest.MonkeyPatch) -> None:
        kind = KINDS["track"]

        def fails(*_: Any) -> Any:
            raise BadInput("It came out wrong.")

        monkeypatch.setitem(KINDS, "track", replace(kind, make=fails))
        place, files = made(("track", {"codec": "wav16", "lufs": -19.5}), ("cue sheet", {"format": "csv"}), name="failing", languages=("ar",))
        assert {one["item"] for one in files} == {"cue sheet"}
        assert [one["why"] for one in json.loads((place / MANIFEST).read_text())["left_out"]] == ["It came out wrong."]


@pytest.mark.parametrize("codec", ["mp3", "flac", "opus", "aac"])
def test_chapters_of_any_title_are_read_by_others(codec: str, made: Any, tmp_path: Path) -> None:
    """Read again by two readers that had no part in writing them: titles of forty-two kanji, and of over 128 bytes."""
    titles = ["潮" * 42, "The Stair, and what was found on it when the tide had gone out for the last time that year: " + "shells, " * 9, "短い"]
    source = one(made, "track", {"codec": codec, "chapters": False})
    place = tmp_path / source.name
    shutil.copyfile(source, place)
    chapters = [Chapter(title, 2.0 * number, 2.0 * number + 2.0) for number, title in enumerate(titles)]
    before = subprocess.run(["ffmpeg", "-v", "error", "-i", place, "-f", "md5", "-"], capture_output=True, text=True).stdout
    write_chapters(place, CODECS[codec], {"title": "Tide & Time", "language": "es-MX"}, chapters, 6.0)
    assert [(row["tags"]["title"], float(row["start_time"])) for row in probed(place)["chapters"]] == [(one.name, one.start) for one in chapters]
    found: Any = mutagen.File(place)
    if codec == "mp3":
        frames = sorted(found.tags.getall("CHAP"), key=lambda frame: frame.start_time)
        assert [str(frame.sub_frames["TIT2"]) for frame in frames] == titles
        toc, = found.tags.getall("CTOC")
        assert toc.child_element_ids == [frame.element_id for frame in frames]
        # Each frame's size, read byte by byte as the standard has it, leads to the next frame.
        raw = place.read_bytes()
        assert raw[3] == 3
        at, end, names = 10, 10 + syncsafe(raw[6:10]), []
        while at < end and raw[at] != 0:
            names.append(raw[at:at + 4].decode("ascii"))
            at += 10 + int.from_bytes(raw[at + 4:at + 8])
        assert names.count("CHAP") == 3 and all(name.isalnum() and name.isupper() for name in names)
    elif codec in ("flac", "opus"):
        assert [found[f"CHAPTER{number:03}NAME"][0] for number in range(3)] == titles
    else:
        assert probed(place)["streams"][0]["tags"]["language"] == "spa"
    assert subprocess.run(["ffmpeg", "-v", "error", "-i", place, "-f", "md5", "-"], capture_output=True, text=True).stdout == before != ""


def syncsafe(data: bytes) -> int:
    assert all(byte < 128 for byte in data)
    return data[0] << 21 | data[1] << 14 | data[2] << 7 | data[3]


@pytest.mark.parametrize("text", ["aux", "AUX.001", "com1.tar.gz", "COM¹", "lpt³.x", "nul"])
def test_no_name_is_a_device_of_windows(text: str) -> None:
    for name in (file_name(text), named_by("{speaker}", {"speaker": text}), named_by(f"{text}.{{number}}", {"number": 1}), *named_by(f"a/{text}/b", {}).split("/")):
        assert unicodedata.normalize("NFKC", name.partition(".")[0]).casefold() not in {"aux", "com1", "lpt3", "nul"}


def test_office_files_say_who_made_them_and_when(tmp_path: Path) -> None:
    document, book = new_document("Lines to say"), new_workbook("Lines to say")
    document.save(str(tmp_path / "a.docx"))
    book.save(tmp_path / "a.xlsx")
    about = Document(str(tmp_path / "a.docx")).core_properties
    assert (about.author, about.title, about.comments) == ("Janoglot", "Lines to say", "")
    assert about.created is not None and abs((datetime.now(UTC).replace(tzinfo=None) - about.created.replace(tzinfo=None)).total_seconds()) < 120
    assert load_workbook(tmp_path / "a.xlsx").properties.creator == "Janoglot"
