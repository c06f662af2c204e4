"""The picture with the dub: as one file with a track for each language, and as a stream (HLS).

What the source's picture is coded in is copied wherever the container holds it and no part is held.
Sources: RFC 8216 (HLS), RFC 9559 (Matroska), ISO/IEC 14496-12 and -14 (MP4).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import langcodes
import m3u8

from janoglot.core.deliver.caption_formats import written_captions
from janoglot.core.deliver.caption_items import CAPTION_CHOICES, captions_told, cues_told, style_of
from janoglot.core.deliver.caption_rules import CaptionStyle
from janoglot.core.deliver.deliverable import Data, Material, Need, Report, Stores, require
from janoglot.core.deliver.encoding import AudioFormat, encode, encoding_fault
from janoglot.core.deliver.items import YES_NO, Choice, ItemKind, MadeFile, Value, need
from janoglot.core.deliver.matroska import named_with_room, tell_languages
from janoglot.core.deliver.sound_items import mix_as_wav
from janoglot.core.errors import BadInput
from janoglot.core.graph import recipe_hash
from janoglot.core.languages import own_name
from janoglot.core.media.ffmpeg import ffmpeg, ffprobe, recording, written_here
from janoglot.core.timing.holds import Hold

_PICTURES = {"mp4": {"h264", "hevc", "av1", "mpeg4", "vp9"}, "mov": {"h264", "hevc", "mpeg4", "prores", "mjpeg"},
             "webm": {"vp8", "vp9", "av1"}}
"""Codings of pictures that a container holds; of Matroska any."""
_SOUNDS = {"mp4": {"aac", "mp3", "ac3", "alac"}, "mov": {"aac", "mp3", "ac3", "alac", "pcm_s16le", "pcm_s24le"},
           "webm": {"opus", "vorbis"}}
_CODEC = {"mp4": "aac", "mov": "aac", "mkv": "aac", "webm": "opus"}
_TEXTS = {"mp4": "mov_text", "mov": "mov_text", "mkv": "srt", "webm": "webvtt"}
_MUXER = {"mp4": "mp4", "mov": "mov", "mkv": "matroska", "webm": "webm"}
_EBML = ("mkv", "webm")
_SEGMENT = 6
"""Seconds of a piece of a stream."""
_LONGEST = 12 * 3_600.0
"""Seconds that a picture may take to be encoded."""


def _needs(choices: Mapping[str, Value]) -> frozenset[Need]:
    return frozenset({Need.VOICED, Need.FINISHED, Need.READ, Need.MIXED, Need.PICTURE})


def _told(materials: Sequence[Material], choices: Mapping[str, Value], container: str) -> Data:
    picture = materials[0].picture()
    if picture is None:
        raise BadInput("There is no picture here: bring in the source's video.")
    holds = [[asdict(hold) for hold in material.holds()] for material in materials]
    if len(materials) > 1 and any(holds):
        held = materials[[bool(one) for one in holds].index(True)].language
        raise BadInput("In {language} the picture is held: such an edition has a file of its own. Choose “one file for "
                       "each language”.", language=held)
    style = style_of(choices)
    editions = []
    for material in materials:
        key, lufs, seconds = material.mix()
        editions.append({"language": material.language, "name": own_name(material.language), "mix": key, "lufs": lufs,
                         "seconds": seconds, "is_source": material.language == material.source_language,
                         "captions": _captions(material, style, choices)})
    return {"picture": picture, "holds": holds[0] if holds else [], "editions": editions, "container": container,
            "source": bool(choices["source_track"]), "kbps": int(str(choices["kbps"])),
            "title": materials[0].production, "source_language": materials[0].source_language,
            "default": materials[0].language}


def _captions(material: Material, style: CaptionStyle, choices: Mapping[str, Value]) -> Data | None:
    """None where none are wanted, or an edition has nothing of what they are to show."""
    if not choices["captions"]:
        return None
    try:
        return captions_told(material, style, choices["shows"])
    except BadInput:
        return None


def _write_down(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    return _told(materials, choices, str(choices["container"]))


_NOT_TOGETHER = "The picture could not be put together: {why}"


def probed(place: Path) -> dict[str, Any]:
    """What ffprobe says of a file's streams. Raises EncodingFault."""
    with encoding_fault(_NOT_TOGETHER):
        return ffprobe(place, "-show_format", "-show_streams", "-show_chapters")


def language_code(tag: str, container: str) -> str:
    """Three letters (ISO 639-2), as containers have them: Matroska's are the bibliographic ones."""
    return langcodes.get(tag).to_alpha3(variant="B" if container in _EBML else "T")


def _titled(stream: str, name: str, tag: str, container: str) -> list[str]:
    """What a track is called, for ffmpeg: in Matroska with room for its language with its region, elsewhere as the
    handler's name too, which is what players show there."""
    if container in _EBML:
        return [f"-metadata:s:{stream}", f"title={named_with_room(name, tag)}"]
    return [part for field in ("title", "handler_name") for part in (f"-metadata:s:{stream}", f"{field}={name}")]


def encoded_tracks(order: Data, stores: Stores, folder: Path, codec: str) -> Iterator[Path]:
    """Each edition's mix in a codec, in order; kept for whatever else is made of it."""
    for one in order["editions"]:
        form = AudioFormat(codec, kbps=order["kbps"])
        key = f"{recipe_hash('encoded', mix=one['mix'], form=form.as_json())}.{form.of.ending}"

        def make(place: Path, one: Data = one, form: AudioFormat = form) -> None:
            with mix_as_wav(one["mix"], stores, folder) as wav:
                encode(wav, place, form, one["lufs"])

        if stores.handed is None:
            place = folder / key
            make(place)
        else:
            if not stores.handed.has(key):
                stores.handed.write(key, make)
            place = stores.handed.path(key)
        yield place


def held_picture(picture: str, holds: Sequence[Hold], seconds: float) -> str:
    """An ffmpeg filter that freezes the picture at each hold."""
    pieces, upto = [], 0.0
    for hold in [*holds, None]:
        until = hold.at if hold else None
        if until is not None and until <= upto:
            continue
        piece = f"trim=start={upto:.6f}" + (f":end={until:.6f}" if until is not None else "")
        piece += ",setpts=PTS-STARTPTS"
        if hold:
            piece += f",tpad=stop_mode=clone:stop_duration={hold.seconds:.6f}"
        pieces.append(piece)
        upto = until if until is not None else upto
    names = "".join(f"[s{number}]" for number in range(len(pieces)))
    graph = f"{picture}split={len(pieces)}{names};" if len(pieces) > 1 else f"{picture}null[s0];"
    graph += ";".join(f"[s{number}]{piece}[p{number}]" for number, piece in enumerate(pieces))
    return graph + ";" + "".join(f"[p{number}]" for number in range(len(pieces))) + f"concat=n={len(pieces)}:v=1[v]"


def _picture_options(order: Data, coding: str, container: str, even: int = 0) -> list[str]:
    """How the picture comes into the file; ``even``: a key frame each so many seconds, where it is coded anew."""
    holds = [Hold(**one) for one in order["holds"]]
    if not holds and (container == "mkv" or coding in _PICTURES[container]):
        return ["-map", "0:v:0", "-c:v", "copy"]
    frames = ["-g", str(round(order["picture"]["fps"] * even))] if even else []
    codec = (
        ["-c:v", "libvpx-vp9", "-deadline", "realtime", "-cpu-used", "8", "-row-mt", "1", "-b:v", "0", "-crf", "34"]
        if container == "webm"
        else ["-c:v", "libx264", "-preset", "veryfast", "-crf", "20", "-pix_fmt", "yuv420p"]
    )
    if holds:
        graph = held_picture("[0:v:0]", holds, order["picture"]["seconds"])
        return ["-filter_complex", graph, "-map", "[v]", *codec, *frames]
    return ["-map", "0:v:0", *codec, *frames]


def _make(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    container = order["container"]
    assert stores.media is not None
    source = stores.media.path(order["picture"]["key"])
    streams = probed(source)["streams"]
    coding = next(one["codec_name"] for one in streams if one["codec_type"] == "video")
    sound = next((one["codec_name"] for one in streams if one["codec_type"] == "audio"), None)
    tracks = list(encoded_tracks(order, stores, folder, _CODEC[container]))
    command = [*recording(source)]
    for place in tracks:
        command += recording(place)
    texts = []
    for number, one in enumerate(order["editions"]):
        if one["captions"]:
            text = folder / f"{number}.{'vtt' if container == 'webm' else 'srt'}"
            text.write_text(written_captions(text.suffix[1:], cues_told(one["captions"]), one["language"],
                                             CaptionStyle(**one["captions"]["style"])), encoding="utf-8")
            texts.append((one, text))
            command += written_here(text, "webvtt" if container == "webm" else "srt")
    command += _picture_options(order, coding, container)
    about: list[str] = []
    for number, one in enumerate(order["editions"]):
        command += ["-map", f"{number + 1}:a:0"]
        about += [f"-metadata:s:a:{number}", f"language={language_code(one['language'], container)}",
                  *_titled(f"a:{number}", one["name"], one["language"], container),
                  f"-disposition:a:{number}", "default" if number == 0 else "0", f"-c:a:{number}", "copy"]
    if order["source"] and sound and not order["holds"]:
        number = len(tracks)
        copied = container == "mkv" or sound in _SOUNDS[container]
        command += ["-map", "0:a:0"]
        about += [f"-metadata:s:a:{number}", f"language={language_code(order['source_language'], container)}",
                  *_titled(f"a:{number}", "Source", order["source_language"], container),
                  f"-disposition:a:{number}", "original",
                  f"-c:a:{number}", "copy" if copied else {"aac": "aac", "opus": "libopus"}[_CODEC[container]]]
    for number, (one, _) in enumerate(texts):
        command += ["-map", f"{1 + len(tracks) + number}:s:0"]
        about += [f"-metadata:s:s:{number}", f"language={language_code(one['language'], container)}",
                  *_titled(f"s:{number}", one["name"], one["language"], container),
                  f"-disposition:s:{number}", "0" if one["captions"]["lines"] else "forced"]
    if texts:
        about += ["-c:s", _TEXTS[container]]
    place = folder / f"picture.{container}"
    with encoding_fault(_NOT_TOGETHER):
        ffmpeg(*command, *about, "-map_metadata", "-1", "-map_chapters", "-1", "-metadata", f"title={order['title']}",
               "-fflags", "+bitexact", *(["-movflags", "+faststart"] if container in ("mp4", "mov") else []),
               # Its tracks are told of again afterwards: a sum over them would not be theirs any more.
               *(["-write_crc32", "0"] if container in _EBML else []),
               "-f", _MUXER[container], f"file:{place}", most=_LONGEST)
    if container in _EBML:
        tell_languages(place)
    languages = [one["language"] for one in order["editions"]]
    return [MadeFile(place.name, container, {"what": "picture", "language": languages[0] if len(languages) == 1
                                             else "all"}, {"tracks": float(len(tracks))})]


def _check(order: Data, place: Path, file: MadeFile) -> Report:
    found = probed(place)
    sounds = [one for one in found["streams"] if one["codec_type"] == "audio"]
    texts = [one for one in found["streams"] if one["codec_type"] == "subtitle"]
    wanted = [language_code(one["language"], order["container"]) for one in order["editions"]]
    told = [one.get("tags", {}).get("language") for one in sounds]
    require(any(one["codec_type"] == "video" for one in found["streams"]), "There is no picture in it.")
    require(told[: len(wanted)] == wanted, "Its tracks are in {found}, not in {wanted}.",
            found=", ".join(map(str, told)), wanted=", ".join(wanted))
    require(sounds[0]["disposition"]["default"] == 1, "None of its tracks is the first to be heard.")
    require(len(texts) == sum(bool(one["captions"]) for one in order["editions"]), "It has {found} tracks of captions.",
            found=len(texts))
    seconds = float(found["format"]["duration"])
    longest = max([one["seconds"] for one in order["editions"]]
                  + [order["picture"]["seconds"] + sum(hold["seconds"] for hold in order["holds"])])
    require(abs(seconds - longest) <= 0.5, "It lasts {found:.2f} s, not {wanted:.2f} s.", found=seconds, wanted=longest)
    return {"seconds": round(seconds, 3), "bytes": float(place.stat().st_size)}


_CHOICES = {"captions": Choice(True, YES_NO), "source_track": Choice(False, YES_NO), "kbps": Choice(0, low=0, high=512),
            **CAPTION_CHOICES}
PICTURE = ItemKind("picture", "edition", {"container": Choice("mp4", ("mp4", "mkv", "mov", "webm")), **_CHOICES},
                   "{language}/{production}_{language}", _needs, _write_down, _make, _check, version=2)
PICTURES = ItemKind("picture, all languages", "languages",
                    {"container": Choice("mkv", ("mp4", "mkv", "mov", "webm")), **_CHOICES},
                    "{production}_all-languages", _needs, _write_down, _make, _check, version=2)


def _make_stream(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    assert stores.media is not None
    source = stores.media.path(order["picture"]["key"])
    coding = next(one["codec_name"] for one in probed(source)["streams"] if one["codec_type"] == "video")
    tracks = list(encoded_tracks(order, stores, folder, "aac"))
    out = folder / "stream"
    out.mkdir()
    command = [*recording(source)]
    for place in tracks:
        command += recording(place)
    command += _picture_options(order, coding if coding == "h264" else "", "mp4", _SEGMENT)
    streams = ["v:0,agroup:dub,name:picture"]
    for number, one in enumerate(order["editions"]):
        command += ["-map", f"{number + 1}:a:0", f"-c:a:{number}", "copy"]
        streams.append(f"a:{number},agroup:dub,language:{one['language']},name:{one['language']}"
                       + (",default:yes" if number == 0 else ""))
    with encoding_fault(_NOT_TOGETHER):
        ffmpeg(*command, "-f", "hls", "-hls_time", str(_SEGMENT), "-hls_playlist_type", "vod",
               "-hls_segment_type", "fmp4", "-hls_flags", "independent_segments", "-master_pl_name", "index.m3u8",
               "-hls_segment_filename", f"{out}/%v_%03d.m4s", "-hls_fmp4_init_filename", "%v_init.mp4",
               "-var_stream_map", " ".join(streams), f"{out}/%v.m3u8", most=_LONGEST)
    _told_renditions(order, out)
    for place in tracks:
        if place.parent == folder:
            place.unlink()
    made = [MadeFile(f"stream/{one.relative_to(out)}", "", {}, {}) for one in sorted(out.rglob("*")) if one.is_file()]
    first = next(one for one in made if one.path == "stream/index.m3u8")
    return [first, *(one for one in made if one is not first)]


def _told_renditions(order: Data, out: Path) -> None:
    """Name the languages as people do, and put captions beside them."""
    master = m3u8.load(str(out / "index.m3u8"))
    names = {one["language"]: one["name"] for one in order["editions"]}
    for media in master.media:
        if media.type == "AUDIO" and media.language in names:
            media.name, media.autoselect = names[media.language], "YES"
            media.default = "YES" if media.language == order["default"] else "NO"
    for one in order["editions"]:
        if not one["captions"]:
            continue
        text = written_captions("vtt", cues_told(one["captions"]), one["language"],
                                CaptionStyle(**one["captions"]["style"]))
        # Players of fragmented streams lay the captions' clock on the sound's by this.
        text = text.replace("WEBVTT\n", "WEBVTT\nX-TIMESTAMP-MAP=MPEGTS:0,LOCAL:00:00:00.000\n", 1)
        name = f"captions-{one['language']}"
        (out / f"{name}.vtt").write_text(text, encoding="utf-8")
        whole = max(1, round(one["seconds"] + 0.5))
        (out / f"{name}.m3u8").write_text(
            f"#EXTM3U\n#EXT-X-VERSION:6\n#EXT-X-TARGETDURATION:{whole}\n#EXT-X-PLAYLIST-TYPE:VOD\n"
            f"#EXTINF:{one['seconds']:.3f},\n{name}.vtt\n#EXT-X-ENDLIST\n")
        media = m3u8.Media(uri=f"{name}.m3u8", type="SUBTITLES", group_id="captions", language=one["language"],
                           name=one["name"], default="NO", autoselect="YES", base_uri="",
                           forced="NO" if one["captions"]["lines"] else "YES")
        master.add_media(media)
        for playlist in master.playlists:
            # What a picture goes with is written by what stands beside it here.
            playlist.media.append(media)
    for playlist in master.playlists:
        playlist.stream_info.codecs = playlist.stream_info.codecs or _codecs_of(out)
    (out / "index.m3u8").write_text(master.dumps())


_PROFILES = {"Constrained Baseline": "42E0", "Baseline": "4200", "Main": "4D40", "High": "6400"}
"""The profile and its constraints, as a codec's name has them (RFC 6381; ISO/IEC 14496-15)."""
_SOUND_CODEC = "mp4a.40.2"


def _codecs_of(out: Path) -> str:
    """The codecs of a stream of H.264 with its sound (AAC), as a player asks for them before it fetches any."""
    # A fragment is a film with what comes before all of them.
    beginning = out.parent / "beginning.mp4"
    beginning.write_bytes((out / "picture_init.mp4").read_bytes() + (out / "picture_000.m4s").read_bytes())
    picture = next(one for one in probed(beginning)["streams"] if one["codec_type"] == "video")
    beginning.unlink()
    profile, level = _PROFILES.get(picture.get("profile"), "6400"), max(10, int(picture.get("level") or 40))
    return f"avc1.{profile}{level:02X},{_SOUND_CODEC}"


def _check_stream(order: Data, place: Path, file: MadeFile) -> Report:
    if not file.path.endswith("index.m3u8"):
        require(place.stat().st_size > 0, "{name} is empty.", name=place.name)
        return {}
    master = m3u8.load(str(place))
    require(bool(master.is_variant) and len(master.playlists) >= 1, "It names no picture.")
    sounds = [one for one in master.media if one.type == "AUDIO"]
    wanted = [one["language"] for one in order["editions"]]
    require([one.language for one in sounds] == wanted, "It is in {found}, not in {wanted}.",
            found=", ".join(str(one.language) for one in sounds), wanted=", ".join(wanted))
    about = master.playlists[0].stream_info
    captioned = any(one["captions"] for one in order["editions"])
    require(bool(about.codecs) and (not captioned or about.subtitles == "captions"),
            "Its picture does not say its codecs or its captions.")
    held = sum(hold["seconds"] for hold in order["holds"])
    wanted_seconds = [(master.playlists[0].uri, order["picture"]["seconds"] + held),
                      *((one.uri, edition["seconds"]) for one, edition in zip(sounds, order["editions"], strict=True))]
    for playlist, seconds in wanted_seconds:
        inner = m3u8.load(str(place.parent / str(playlist)))
        told = sum(float(one.duration or 0.0) for one in inner.segments)
        require(bool(inner.is_endlist) and abs(told - seconds) <= 0.5,
                "{name} lasts {found:.2f} s, not {wanted:.2f} s.", name=str(playlist), found=told, wanted=seconds)
        for one in inner.segments:
            require((place.parent / str(one.uri)).stat().st_size > 0, "{name} is empty.", name=str(one.uri))
    return {"languages": float(len(sounds)), "seconds": round(max(one["seconds"] for one in order["editions"]), 3)}


def _stream(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    return _told(materials, {**choices, "source_track": False}, "mp4")


STREAM = ItemKind("stream", "languages", {name: one for name, one in _CHOICES.items() if name != "source_track"},
                  "{production}_stream", need(*_needs({})), _stream, _make_stream, _check_stream, together=True,
                  version=2)
ITEMS = (PICTURE, PICTURES, STREAM)
