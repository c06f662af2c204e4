from __future__ import annotations

import math
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from janoglot.core.audio.loudness import measure
from janoglot.core.deliver.encoding import AudioFormat, encode, measured
from janoglot.core.errors import BadInput, NothingToMix
from janoglot.core.mix.limiter import limit
from janoglot.core.mix.programme import CEILING, RATE, Clip, mix_to_file, render
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.takes import TakeRecipe, make_take, read_sound
from janoglot.core.store import FolderStore, StoreFull, atomic_file
from tests.core.test_loudness import ffmpeg_measures

LINES = [("curlew", "Mind the third step, it has been loose since the winter."), ("wren", "Why does nobody mend it?"),
         ("siskin", "Because it tells me when somebody is coming."), ("plover", "They climbed, and the humming climbed."),
         ("redshank", "The clock filled the room the way a tree fills a garden.")]


def clips(store: FolderStore, gap: float = 0.5) -> tuple[list[Clip], float]:
    found, at = [], gap
    for voice, words in LINES:
        take = make_take(TakeRecipe(words, voice_named(voice)), store)
        found.append(Clip(at, take.seconds, take.lufs, lambda key=f"{take.hash}.wav": read_sound(store, key)))
        at += take.seconds + gap
    return found, at


@pytest.mark.parametrize("target", [-16.0, -23.0])
def test_the_programme_is_at_its_loudness_under_its_ceiling(target: float, store: FolderStore, tmp_path: Path) -> None:
    made, seconds = clips(store)
    report = mix_to_file(made, seconds, tmp_path / "mix.wav", target)
    info = soundfile.info(tmp_path / "mix.wav")
    assert (info.samplerate, info.channels, info.subtype) == (RATE, 1, "PCM_24")
    assert info.duration == pytest.approx(seconds, abs=0.001)
    lufs, peak = ffmpeg_measures(tmp_path / "mix.wav")
    assert lufs == pytest.approx(target, abs=0.5)
    assert report.lufs == pytest.approx(lufs, abs=0.15)
    assert peak <= CEILING
    assert report.true_peak_db == pytest.approx(peak, abs=0.3)


def test_speakers_are_level_and_silence_is_silent(store: FolderStore, tmp_path: Path) -> None:
    made, seconds = clips(store)
    mix_to_file(made, seconds, tmp_path / "mix.wav")
    samples, _ = soundfile.read(tmp_path / "mix.wav", dtype="float32")
    levels = [measure(samples[round(c.start * RATE): round((c.start + c.seconds) * RATE)], RATE).integrated
              for c in made]
    assert max(levels) - min(levels) < 2.0
    for before, after in zip(made, made[1:], strict=False):
        pause = samples[round((before.start + before.seconds + 0.01) * RATE): round((after.start - 0.01) * RATE)]
        assert len(pause) > 0
        assert float(np.abs(pause).max()) == 0


def test_there_is_no_click_where_lines_begin_and_end(store: FolderStore, tmp_path: Path) -> None:
    made, seconds = clips(store)
    mix_to_file(made, seconds, tmp_path / "mix.wav")
    samples, _ = soundfile.read(tmp_path / "mix.wav", dtype="float32")
    steps = np.abs(np.diff(samples))
    for clip in made:
        for edge in (clip.start, clip.start + clip.seconds):
            at = round(edge * RATE)
            assert float(steps[max(0, at - 48): at + 48].max(initial=0)) < 0.01


def test_people_talking_at_once_are_limited_not_clipped(store: FolderStore, tmp_path: Path) -> None:
    apart, _ = clips(store)
    together = [Clip(0.5 + 0.1 * n, clip.seconds, clip.lufs, clip.load) for n, clip in enumerate(apart)]
    report = mix_to_file(together, 6.0, tmp_path / "mix.wav", -10.0)
    samples, _ = soundfile.read(tmp_path / "mix.wav")
    assert report.limited_db > 0
    assert report.true_peak_db <= CEILING
    assert np.abs(samples).max() < 0.9


def test_a_level_is_added_on_top(store: FolderStore, tmp_path: Path) -> None:
    made, seconds = clips(store)
    quieter = [*made[:-1], Clip(made[-1].start, made[-1].seconds, made[-1].lufs, made[-1].load, -9.0)]
    mix_to_file(quieter, seconds, tmp_path / "mix.wav", -23.0)
    samples, _ = soundfile.read(tmp_path / "mix.wav", dtype="float32")
    parts = [samples[round(c.start * RATE): round((c.start + c.seconds) * RATE)] for c in made]
    first, last = measure(parts[0], RATE).integrated, measure(parts[-1], RATE).integrated
    assert first - last == pytest.approx(9.0, abs=1.5)


@pytest.mark.parametrize(("layout", "subtype"), [("FLAC", "PCM_24"), ("MP3", "MPEG_LAYER_III")])
def test_other_layouts_hold_the_same_track(layout: str, subtype: str, store: FolderStore, tmp_path: Path) -> None:
    made, seconds = clips(store)
    mix_to_file(made, seconds, tmp_path / "mix.wav")
    place = tmp_path / f"mix.{layout.lower()}"
    encode(tmp_path / "mix.wav", place, AudioFormat(layout.lower()))
    info = soundfile.info(place)
    assert (info.samplerate, info.subtype) == (RATE, subtype)
    assert info.duration == pytest.approx(seconds, abs=0.1)
    assert ffmpeg_measures(place)[0] == pytest.approx(-16.0, abs=0.5)
    if layout == "FLAC":
        np.testing.assert_array_equal(soundfile.read(place)[0], soundfile.read(tmp_path / "mix.wav")[0])


def test_nothing_is_said_to_be_nothing_and_leaves_no_file(tmp_path: Path) -> None:
    silence = np.zeros(RATE, np.float32)
    with pytest.raises(NothingToMix):
        mix_to_file([], 5.0, tmp_path / "mix.wav")
    with pytest.raises(NothingToMix, match="silent"):
        mix_to_file([Clip(0, 1, -23, lambda: (silence, RATE))], 2.0, tmp_path / "mix.wav")
    with pytest.raises(BadInput, match="out of range"):
        mix_to_file([Clip(0, 1, -23, lambda: (silence, RATE))], 2.0, tmp_path / "mix.wav", 3.0)
    assert list(tmp_path.iterdir()) == []


def test_a_full_disk_leaves_no_half_file(tmp_path: Path) -> None:
    def fill() -> None:
        with atomic_file(tmp_path / "mix.wav") as half:
            half.write_bytes(b"RIFF")
            raise OSError(28, "No space left on device")

    with pytest.raises(StoreFull, match=r"disk is full.*mix\.wav"):
        fill()
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("module", ["mix.programme", "speech.trimming", "speech.engines.formant", "speech.takes"])
def test_a_part_of_the_core_can_be_imported_first(module: str) -> None:
    done = subprocess.run([sys.executable, "-c", f"import janoglot.core.{module}"], capture_output=True, text=True,
                          env={**os.environ, "PYTHONPATH": str(Path(__file__).resolve().parents[2] / "src")})
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("layout", ["MP3", "FLAC"])
@pytest.mark.parametrize("loudest", [-0.5, -9.0])
def test_what_was_encoded_is_as_loud_as_it_says_and_under_the_ceiling(tmp_path: Path, layout: str, loudest: float) -> None:
    """By ffmpeg's own measure, of the file itself: encoders turn what they are given down, and let peaks grow."""
    at = np.arange(6 * RATE) / RATE
    sound = sum(np.sin(2 * np.pi * f * at + f) for f in (180.0, 430.0, 1250.0, 3400.0)) * (0.4 + 0.6 * np.abs(np.sin(3 * at)))
    samples = (sound / np.abs(sound).max() * 10 ** (loudest / 20)).astype(np.float32)
    soundfile.write(tmp_path / "mix.wav", samples, RATE, subtype="PCM_24")
    wanted, _ = ffmpeg_measures(tmp_path / "mix.wav")
    place = tmp_path / f"mix.{layout.lower()}"
    told = encode(tmp_path / "mix.wav", place, AudioFormat(layout.lower()))
    lufs, peak = ffmpeg_measures(place)
    assert told.lufs == pytest.approx(lufs, abs=0.1)
    if layout == "MP3" and loudest > -1:
        # The ceiling wins: what was over it before cannot be as loud under it.
        assert peak <= CEILING + 0.1
    else:
        assert lufs == pytest.approx(wanted, abs=0.1)


def sine(hz: float, seconds: float, rate: int = 48_000, peak: float = 0.1) -> np.ndarray[Any, np.dtype[np.float32]]:
    return (peak * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)).astype(np.float32)


def placed(samples: Any, start: float = 0.0, **more: Any) -> Clip:
    channels = 1 if samples.ndim == 1 else 2
    return Clip(start, len(samples) / 48_000, measure(samples, 48_000).integrated, lambda: (samples, 48_000), channels=channels, **more)


class TestTwoChannels:
    def test_in_the_middle_it_is_one_channel(self, tmp_path: Path) -> None:
        mix_to_file([placed(sine(300, 3))], 3.0, tmp_path / "a.wav")
        assert soundfile.info(tmp_path / "a.wav").channels == 1

    @pytest.mark.parametrize("pan", [-1.0, -0.4, 0.3, 1.0])
    def test_wherever_it_is_it_is_as_loud(self, pan: float, tmp_path: Path) -> None:
        report = mix_to_file([placed(sine(300, 3), pan=pan)], 3.0, tmp_path / "a.wav", -23.0)
        samples, _ = soundfile.read(tmp_path / "a.wav")
        assert samples.shape[1] == 2
        assert report.lufs == pytest.approx(-23.0, abs=0.1)
        lufs, peak = ffmpeg_measures(tmp_path / "a.wav")
        assert lufs == pytest.approx(-23.0, abs=0.2)
        assert report.true_peak_db == pytest.approx(peak, abs=0.3)
        left, right = (float(np.sqrt(np.mean(samples[:, side] ** 2))) for side in (0, 1))
        assert (left > right) == (pan < 0)
        if abs(pan) == 1:
            assert min(left, right) < 1e-4

    def test_two_sides_stay_two_sides(self, tmp_path: Path) -> None:
        sides = np.stack([sine(300, 3), sine(500, 3)], axis=1)
        mix_to_file([placed(sides)], 3.0, tmp_path / "a.wav")
        samples, rate = soundfile.read(tmp_path / "a.wav")
        for side, hz in ((0, 300), (1, 500)):
            spectrum = np.abs(np.fft.rfft(samples[:, side]))
            assert np.argmax(spectrum) * rate / len(samples) == pytest.approx(hz, abs=1)

    def test_a_limiter_takes_both_sides_down_alike(self) -> None:
        quiet, loud = sine(200, 1, peak=0.2), sine(200, 1, peak=1.0)
        out, reduced = limit(np.stack([quiet, loud], axis=1), 48_000, -6.0)
        assert reduced > 5
        middle = slice(20_000, 28_000)
        ratio = np.abs(out[middle, 1]).max() / np.abs(out[middle, 0]).max()
        assert ratio == pytest.approx(5.0, rel=0.02)
        assert np.abs(out).max() < 10 ** (-6 / 20)

    def test_one_channel_is_limited_and_measured_as_ever(self) -> None:
        loud = sine(200, 2, peak=1.0)
        alone, _ = limit(loud, 48_000, -6.0)
        both, _ = limit(np.stack([loud, loud], axis=1), 48_000, -6.0)
        assert np.array_equal(both[:, 0], alone)
        assert measure(np.stack([loud, loud], axis=1), 48_000).integrated == pytest.approx(
            measure(loud, 48_000).integrated + 3.01, abs=0.01)

    def test_a_bus_is_levelled_and_left_out(self) -> None:
        voice, sea = placed(sine(300, 2)), placed(sine(900, 2), bus="ambience")
        def sounding(buses: dict[str, float]) -> float:
            mixed = np.concatenate(list(render([voice, sea], 2.0, -20.0, 1, buses)))
            spectrum = np.abs(np.fft.rfft(mixed))
            return float(20 * np.log10(spectrum[1800] / spectrum[600]))
        plain = sounding({})
        assert sounding({"ambience": -12.0}) == pytest.approx(plain - 12, abs=0.1)
        assert sounding({"ambience": -math.inf}) < plain - 60
        assert sounding({"voices": -6.0}) == pytest.approx(plain + 6, abs=0.1)

    @pytest.mark.parametrize("layout", ["FLAC", "MP3"])
    def test_encoded_it_keeps_both_sides_and_its_loudness(self, layout: Any, tmp_path: Path) -> None:
        mix_to_file([placed(sine(300, 4), pan=-0.6)], 4.0, tmp_path / "a.wav")
        encode(tmp_path / "a.wav", tmp_path / "b", AudioFormat(layout.lower()))
        assert soundfile.info(tmp_path / "b").channels == 2
        assert measured(tmp_path / "b")[0] == pytest.approx(-16.0, abs=0.15)
