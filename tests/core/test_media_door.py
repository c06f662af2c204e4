"""Whoever sends a recording is not to be given another: lists of files are let in nowhere, whatever they are called."""

from __future__ import annotations

import ast
import io
import subprocess
import wave
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from janoglot.core.errors import BadInput
from janoglot.core.media import source
from janoglot.core.media.ffmpeg import MediaFault, ffmpeg, ffprobe, recording

SRC = Path(__file__).resolve().parents[2] / "src" / "janoglot"


def tone() -> bytes:
    made = io.BytesIO()
    with wave.open(made, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(16_000)
        file.writeframes((8_000 * np.sin(np.arange(32_000) / 6)).astype("<i2").tobytes())
    return made.getvalue()


POINTERS: dict[str, Callable[[str], str]] = {
    "HLS": lambda at: f"#EXTM3U\n#EXT-X-TARGETDURATION:5\n#EXT-X-VERSION:3\n#EXTINF:2,\nfile:{at}\n#EXT-X-ENDLIST\n",
    "HLS without a protocol": lambda at: f"#EXTM3U\n#EXT-X-TARGETDURATION:5\n#EXTINF:2,\n{at}\n#EXT-X-ENDLIST\n",
    "HLS of HLS": lambda at: f"#EXTM3U\n#EXT-X-STREAM-INF:BANDWIDTH=9\nfile:{at}\n",
    "DASH": lambda at: f"""<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" type="static"
 mediaPresentationDuration="PT2S" minBufferTime="PT1S" profiles="urn:mpeg:dash:profile:isoff-on-demand:2011"><Period>
<AdaptationSet mimeType="audio/mp4" contentType="audio"><Representation id="a" bandwidth="9" mimeType="audio/mp4">
<BaseURL>{at.replace('.flac', '.m4a')}</BaseURL></Representation></AdaptationSet></Period></MPD>""",
    "concat": lambda at: f"ffconcat version 1.0\nfile 'file:{at}'\n",
    "concat with options": lambda at: f"ffconcat version 1.0\nfile '{at}'\noption safe 0\n",
    "SDP": lambda at: "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 5004 RTP/AVP 0\n",
    "IMF": lambda at: f"""<?xml version="1.0"?><CompositionPlaylist xmlns="http://www.smpte-ra.org/schemas/2067-3/2016">
<Id>urn:uuid:{at}</Id></CompositionPlaylist>""",
    "tags": lambda at: f";FFMETADATA1\ntitle={at}\n",
    "captions": lambda at: f"1\n00:00:00,000 --> 00:00:02,000\n{at}\n",
}


@pytest.fixture(params=sorted(POINTERS))
def pointer(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """A file that names somebody's recording, itself called a recording."""
    for ending in ("flac", "m4a"):
        subprocess.run(["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=d=2", str(tmp_path / f"theirs.{ending}")], check=True)
    place = tmp_path / "mine.mp3"
    place.write_text(POINTERS[request.param](str(tmp_path / "theirs.flac")))
    return place


def test_a_file_that_names_others_is_no_recording(pointer: Path, tmp_path: Path) -> None:
    with pytest.raises(BadInput, match="a recording itself is wanted"):
        source.look_at(pointer)
    out = tmp_path / "out.flac"
    for copy in (source.sound_copy, source.stereo_copy):
        with pytest.raises(MediaFault):
            copy(pointer, out, 2.0)
    with pytest.raises(MediaFault):
        source.short_sound(pointer.read_bytes(), 10.0)
    with pytest.raises(MediaFault):
        source.picture_copy(pointer, out, 2.0, 25.0)
    with pytest.raises(MediaFault):
        ffprobe(pointer, "-show_format")
    assert not out.exists()


@pytest.mark.parametrize("form", ["wav", "flac", "mp3", "ipod", "ogg", "matroska", "webm", "aiff", "caf", "mpegts", "avi", "mov", "w64", "au",
                                  "adts"])
def test_what_is_a_recording_comes_in(form: str, tmp_path: Path) -> None:
    (tmp_path / "a.wav").write_bytes(tone())
    place = tmp_path / "no-ending"
    codec = {"ogg": ["-c:a", "libopus"], "webm": ["-c:a", "libopus"]}.get(form, [])
    subprocess.run(["ffmpeg", "-v", "error", "-i", str(tmp_path / "a.wav"), *codec, "-ar", "48000", "-f", form, str(place)], check=True)
    assert source.look_at(place).seconds == pytest.approx(2.0, abs=0.15)
    assert len(soundfile.read(io.BytesIO(source.short_sound(place.read_bytes(), 10.0)))[0]) == pytest.approx(48_000, abs=4_000)


def test_nothing_is_opened_over_a_network_or_by_a_device() -> None:
    for name in ("http://127.0.0.1:1/x.wav", "concat:/etc/hostname|/etc/hostname", "data:audio/wav;base64,AAAA", "/dev/stdin"):
        with pytest.raises(MediaFault):
            ffmpeg(*recording(Path(name)), "-f", "null", "-", most=10)


def test_there_is_one_door() -> None:
    """No other module names the programs as what it runs."""
    found = []
    for place in SRC.rglob("*.py"):
        for node in ast.walk(ast.parse(place.read_text("utf-8"))):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and (
                    node.value in ("ffmpeg", "ffprobe") or node.value.endswith(("/ffmpeg", "/ffprobe"))):
                found.append(str(place.relative_to(SRC)))
            # And an input is never given by hand.
            if isinstance(node, ast.Constant) and node.value == "-i" and place.name != "ffmpeg.py":
                found.append(f"{place.relative_to(SRC)}: -i")
    assert sorted(set(found)) == ["core/media/ffmpeg.py", "launcher/install.py"]
