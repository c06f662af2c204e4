from __future__ import annotations

import subprocess
from pathlib import Path

import numpy as np
import pytest
import soundfile

from janoglot.core.errors import BadInput
from janoglot.core.media.source import look_at, picture_copy, sound_copy


def made(place: Path, *command: str) -> Path:
    subprocess.run(["ffmpeg", "-nostdin", "-loglevel", "error", "-y", *command, str(place)], check=True, timeout=60)
    return place


TONE = ("-f", "lavfi", "-i", "sine=frequency=440:duration=3:sample_rate=44100")
BARS = ("-f", "lavfi", "-i", "testsrc2=size=320x180:rate=24:duration=3")


@pytest.mark.parametrize(("ending", "codec"), [("wav", "pcm_s16le"), ("mp3", "libmp3lame"), ("ogg", "libopus"), ("flac", "flac")])
def test_sounds_of_every_kind_are_looked_at_and_copied_whole(tmp_path: Path, ending: str, codec: str) -> None:
    place = made(tmp_path / f"a.{ending}", *TONE, "-c:a", codec)
    facts = look_at(place)
    assert (facts.has_sound, facts.has_picture, facts.fps) == (True, False, None)
    assert facts.seconds == pytest.approx(3.0, abs=0.1)
    sound_copy(place, tmp_path / "copy.flac", facts.seconds)
    samples, rate = soundfile.read(tmp_path / "copy.flac")
    assert (rate, samples.ndim) == (48_000, 1)
    assert len(samples) / rate == pytest.approx(3.0, abs=0.1)
    assert np.abs(samples).max() > 0.05


def test_a_video_gives_sound_and_a_picture_to_the_frame(tmp_path: Path) -> None:
    place = made(tmp_path / "v.mkv", *BARS, *TONE, "-c:v", "libx264", "-c:a", "aac", "-shortest")
    facts = look_at(place)
    assert (facts.has_sound, facts.has_picture, facts.fps, facts.width) == (True, True, 24.0, 320)
    picture_copy(place, tmp_path / "copy.mp4", facts.seconds, 24.0)
    counted = subprocess.run(["ffprobe", "-v", "error", "-count_frames", "-select_streams", "v", "-show_entries",
                              "stream=nb_read_frames,avg_frame_rate", "-of", "csv=p=0", str(tmp_path / "copy.mp4")],
                             capture_output=True, text=True, check=True).stdout.strip().split(",")
    assert counted[0] == "24/1"
    assert abs(int(counted[1]) - 72) <= 1
    assert not look_at(tmp_path / "copy.mp4").has_sound


FLASH = ("-f", "lavfi", "-i", "color=black:s=322x242:r=25:d=3,drawbox=w=iw:h=ih:color=white:t=fill:enable='between(t,2,2.2)'")
BEEP = ("-f", "lavfi", "-i", "aevalsrc='if(between(t,2,2.2),0.5*sin(5529*t),0)':d=3:s=48000")


@pytest.mark.parametrize(("ending", "codecs"), [
    ("mp4", ("-c:v", "libx264", "-bf", "3", "-c:a", "aac")), ("ts", ("-c:v", "libx264", "-c:a", "mp2")),
    ("avi", ("-c:v", "mjpeg", "-c:a", "pcm_s16le")), ("webm", ("-c:v", "libvpx", "-c:a", "libvorbis")),
    ("mov", ("-r", "30000/1001", "-c:v", "prores", "-c:a", "pcm_s24le")),
    # Frames that last unevenly; an odd size; sound that begins half a second after the picture.
    ("mkv", ("-vf", "select='not(mod(n,3))+gt(t,1.9)'", "-vsync", "vfr", "-c:v", "libx264", "-c:a", "ac3")),
    ("mkv", ("-vf", "scale=161:121,format=rgb24", "-c:v", "png", "-c:a", "flac")),
    ("mkv", ("-af", "asetpts=PTS+0.5/TB", "-c:v", "ffv1", "-c:a", "flac")),
])
def test_sound_and_picture_of_any_container_stay_together(tmp_path: Path, ending: str, codecs: tuple[str, ...]) -> None:
    place = made(tmp_path / f"v.{ending}", *FLASH, *BEEP, *codecs)
    facts = look_at(place)
    assert facts.fps
    sound_copy(place, tmp_path / "copy.flac", facts.seconds)
    picture_copy(place, tmp_path / "copy.mp4", facts.seconds, facts.fps)
    samples, rate = soundfile.read(tmp_path / "copy.flac")
    heard = np.flatnonzero(np.abs(samples) > 0.05)[0] / rate
    grey = subprocess.run(["ffmpeg", "-nostdin", "-loglevel", "error", "-i", str(tmp_path / "copy.mp4"), "-vf",
                           "scale=8:8,format=gray", "-f", "rawvideo", "-"], capture_output=True, check=True).stdout
    seen = np.flatnonzero(np.frombuffer(grey, np.uint8).reshape(-1, 64).mean(axis=1) > 128)[0] / facts.fps
    assert seen == pytest.approx(2.0, abs=1.01 / facts.fps)
    assert heard - seen == pytest.approx(0.5 if "-af" in codecs else 0.0, abs=1.01 / facts.fps)


def test_a_silent_video_and_a_cover_picture_are_told_apart(tmp_path: Path) -> None:
    assert not look_at(made(tmp_path / "silent.mp4", *BARS)).has_sound


@pytest.mark.parametrize("content", [b"", b"not a recording", b"#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1/a.ts\n",
                                     b"ffconcat version 1.0\nfile /etc/passwd\n"])
def test_what_is_no_recording_is_refused_in_a_sentence(tmp_path: Path, content: bytes) -> None:
    place = tmp_path / "x.m3u8"
    place.write_bytes(content)
    with pytest.raises(BadInput):
        look_at(place)


def test_the_peaks_of_hours_take_little_memory(tmp_path: Path) -> None:
    """An hour of sound, drawn by a process that holds far less than the sound does."""
    import subprocess
    import sys

    place = tmp_path / "ab" / "ab.flac"
    place.parent.mkdir()
    with soundfile.SoundFile(place, "w", 48_000, 1, format="FLAC") as file:
        for n in range(60):
            file.write(np.full(60 * 48_000, 0.01 * (n % 50), np.float32))
    code = ("import sys, resource; from pathlib import Path; from janoglot.core.speech.peaks import kept_peaks; from janoglot.core.store import FolderStore; "
            "before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss; found = kept_peaks('ab.flac', FolderStore(Path(sys.argv[1]))); "
            "print(len(found), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, found[0], found[50 * 60 * 49 + 5])")
    told = subprocess.run([sys.executable, "-c", code, str(tmp_path)], capture_output=True, text=True, check=True).stdout.split()
    assert int(told[0]) == 3600 * 50
    assert int(told[1]) < 120_000, "kilobytes; all of it at once would be 700,000"
    assert int(told[2]) == 0
    assert int(told[3]) in (124, 125)
