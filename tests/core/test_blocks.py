"""A mix in blocks: the same sound wherever it is cut, remade only where something changed, and measured as a whole."""

from __future__ import annotations

import io
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from janoglot.core.audio.loudness import gated, loudness_range, measure
from janoglot.core.errors import NothingToMix
from janoglot.core.mix.blocks import (
    BLOCK,
    BlockMix,
    BlockMixer,
    Facts,
    KeptBlocks,
    band_energies,
    coarse_energies,
    k_energies,
    packed,
)
from janoglot.core.mix.cues import Cue, Duck, Layer, Place, PlacedCue
from janoglot.core.mix.limiter import limit
from janoglot.core.mix.programme import Clip, VoiceTrack
from janoglot.core.mix.sides import RATE, Floats32, Strip
from janoglot.core.mix.under import CueSound, UnderTrack
from janoglot.core.store import FolderStore
from tests.core.test_loudness import ffmpeg_measures

SECONDS = 47.3
PLAIN = Strip()


def speech(seed: int, seconds: float, level: float = 0.1) -> Floats32:
    """Noise that comes and goes as syllables do."""
    rng = np.random.default_rng(seed)
    time = np.arange(round(seconds * RATE)) / RATE
    return (level * rng.standard_normal(len(time)) * (0.3 + np.abs(np.sin(2 * np.pi * 3 * time)))).astype(np.float32)


def clips(changed: int | None = None, **more: object) -> list[Clip]:
    made = []
    for number in range(11):
        sound = speech(number + (100 if number == changed else 0), 2.6)
        made.append(Clip(1.0 + 4.1 * number, 2.6, measure(sound, RATE).integrated, lambda sound=sound: (sound, RATE),  # type: ignore[misc]
                         key=f"line {number}{' anew' if number == changed else ''}", **more))  # type: ignore[arg-type]
    return made


def music(strip: Strip = PLAIN, amount: float = 6.0) -> UnderTrack:
    layer = Layer("music", "music", strip.level_db - 12, strip.pan, strip.mute, strip.solo, Duck(amount))
    sound = CueSound(speech(7, 9.0), -20.0, key="theme")
    cue = PlacedCue(Cue("music", {"file": "x"}, Place(0.0), loop=True, fade_in=2.0, fade_out=3.0), layer, 3.0, 40.0)
    return UnderTrack(layer, [cue], lambda one: sound, -20.0, [(one.start, one.start + one.seconds) for one in clips()])


def mixed(store: FolderStore, changed: int | None = None, under: UnderTrack | None = None, channels: int = 2, target: float = -20.0, **more: object) -> tuple[BlockMix, BlockMixer, KeptBlocks]:
    kept = KeptBlocks(store, channels)
    mixer = BlockMixer([VoiceTrack("Ash", clips(changed, **more), -20.0), *([under] if under else [])], SECONDS, channels, kept)
    return mixer.mix(target), mixer, kept


def heard(mix: BlockMix, kept: KeptBlocks) -> Floats32:
    samples, rate = soundfile.read(io.BytesIO(b"".join(mix.bytes_of(0, mix.size - 1, kept))), dtype="float32")
    assert rate == RATE
    return np.asarray(samples)


@pytest.fixture
def blocks(tmp_path: Path) -> FolderStore:
    return FolderStore(tmp_path / "blocks")


def test_one_changed_line_remakes_its_blocks_alone(blocks: FolderStore) -> None:
    _, first, _ = mixed(blocks, under=music())
    _, again, _ = mixed(blocks, under=music())
    changed, third, kept = mixed(blocks, 5, music())
    assert (first.made, again.made, third.made) == (5, 0, 1)
    # … and is just what a mix from the beginning would be.
    fresh, _, kept_fresh = mixed(FolderStore(blocks.root.parent / "other"), 5, music())
    assert np.array_equal(heard(changed, kept), heard(fresh, kept_fresh)) and changed.report == fresh.report


def test_what_is_not_of_the_sound_remakes_nothing_and_what_is_all(blocks: FolderStore) -> None:
    mixed(blocks, under=music())
    assert mixed(blocks, under=music(), target=-23.0)[1].made == 0
    assert mixed(blocks, under=music(Strip(-3.0)))[1].made == 5
    assert mixed(blocks, under=music(amount=9.0))[1].made == 5


def test_blocks_join_without_a_seam(blocks: FolderStore) -> None:
    mix, _, kept = mixed(blocks, under=music())
    whole = np.zeros((round(SECONDS * RATE), 2), np.float32)
    for track in (VoiceTrack("Ash", clips(), -20.0), music()):
        piece = track.piece(0, len(whole))
        whole += (piece if piece.ndim == 2 else piece[:, None] * np.sqrt(0.5)) * 10 ** (track.strip.level_db / 20)
    assert np.abs(heard(mix, kept) - whole * 10 ** (mix.gain_db / 20)).max() < 3e-5


def test_the_figures_are_those_of_the_whole(blocks: FolderStore, tmp_path: Path) -> None:
    mix, _, kept = mixed(blocks, under=music())
    sound = heard(mix, kept)
    meter = measure(sound, RATE)
    assert mix.report.lufs == pytest.approx(meter.integrated, abs=0.02) == pytest.approx(-20.0, abs=0.1)
    assert mix.report.range_lu == pytest.approx(meter.range_lu, abs=0.1)
    assert mix.report.true_peak_db == pytest.approx(meter.true_peak_db, abs=0.05)
    assert mix.report.short_term == pytest.approx(meter.short_term(), abs=0.02)
    soundfile.write(tmp_path / "whole.wav", sound, RATE, subtype="PCM_24")
    lufs, peak = ffmpeg_measures(tmp_path / "whole.wav")
    assert mix.report.lufs == pytest.approx(lufs, abs=0.1) and mix.report.true_peak_db == pytest.approx(peak, abs=0.2)


def test_voices_are_measured_apart_and_each_layer_by_itself(blocks: FolderStore) -> None:
    report = mixed(blocks, under=music())[0].report
    alone = measure(VoiceTrack("Ash", clips(), -20.0).piece(0, round(SECONDS * RATE)), RATE).integrated + report.gain_db
    assert report.voices == pytest.approx(alone, abs=0.1) and report.layers["Ash"] == pytest.approx(alone, abs=0.1)
    assert report.layers["music"] < report.voices - 10


def test_what_was_measured_of_one_track_alone_is_not_taken_for_a_layer_of_several(blocks: FolderStore) -> None:
    kept = KeptBlocks(blocks, 2)
    first = [one for one in clips() if one.bus == clips()[0].bus]
    voice = VoiceTrack(first[0].bus, first, -20.0, PLAIN)
    alone = BlockMixer([voice], 40.0, 2, kept).mix(-20.0)
    # What comes later lies where the voice is silent: its blocks are those that were there before.
    late = UnderTrack(Layer("music", "music", -6.0), [PlacedCue(Cue("music", {"made": "rain"}, Place(30.0)), Layer("music", "music", -6.0), 30.0, 8.0)],
                      lambda cue: CueSound(np.repeat(speech(9, 8.0)[:, None], 2, 1), -20.0, key="late"), -20.0, [])
    both = BlockMixer([voice, late], 40.0, 2, kept)
    fresh = BlockMixer([voice, late], 40.0, 2, KeptBlocks(FolderStore(blocks.root / "fresh"), 2))
    assert both.mix(-20.0).report.layers == fresh.mix(-20.0).report.layers
    assert set(both.mix(-20.0).report.layers) == {first[0].bus, "music"} and alone.blocks[0] == both.mix(-20.0).blocks[0]


def test_dialogue_is_brought_to_its_loudness_whatever_lies_under_it(blocks: FolderStore) -> None:
    kept = KeptBlocks(blocks, 2)
    mix = BlockMixer([VoiceTrack("Ash", clips(), -20.0), music(Strip(10.0))], SECONDS, 2, kept).mix(-27.0, dialogue=True)
    assert mix.report.voices == pytest.approx(-27.0, abs=0.05) and mix.report.lufs > -27.0


def test_peaks_are_held_over_the_edge_of_a_block(blocks: FolderStore) -> None:
    loud = np.zeros(4 * RATE, np.float32)
    loud[2 * RATE - 4_000: 2 * RATE + 4_000] = 0.9 * np.sin(np.arange(8_000) * 0.7)
    bed = Layer("effects", "effects", 0.0)
    track = UnderTrack(bed, [PlacedCue(Cue("effects", {"file": "x"}, Place(0.0), fade_in=0, fade_out=0), bed, 8.0, None)], lambda one: CueSound(loud, -20.0, key="bang"), -20.0, [])
    kept = KeptBlocks(blocks, 2)
    mix = BlockMixer([VoiceTrack("Ash", clips(), -20.0), track], SECONDS, 2, kept).mix(-14.0)
    sound = heard(mix, kept)
    assert mix.limited == [0, 1] and mix.report.limited_db > 1
    assert measure(sound, RATE).true_peak_db <= -0.99
    # Block by block it is the very wave that a limiter makes of the whole.
    whole, _ = limit(np.concatenate([kept.read(key) for key in mix.blocks]) * np.float32(10 ** (mix.gain_db / 20)), RATE, -1.0)
    assert np.abs(sound[:2 * BLOCK] - whole[:2 * BLOCK]).max() < 1e-5


class TestLimitedInBlocks:
    """A mix that is limited block by block is the one that a limiter of the whole would make."""

    LONG = 3 * BLOCK

    def mix_of(self, store: FolderStore, bangs: list[tuple[int, float]], target: float = -14.0) -> tuple[BlockMix, KeptBlocks, Floats32]:
        """Quiet speech with a short loud sound at each of these samples: the mix, and what a limiter makes of the whole."""
        sound = 0.2 * speech(4, self.LONG / RATE)
        for at, size in bangs:
            sound[at: at + 40] += np.float32(size) * np.sin(np.arange(40) * 0.9).astype(np.float32)[: len(sound) - at]
        kept = KeptBlocks(store, 1)
        mix = BlockMixer([_Raw(sound, f"{bangs}")], self.LONG / RATE, 1, kept).mix(target)
        plain = np.concatenate([kept.read(key) for key in mix.blocks]) * np.float32(10 ** (mix.gain_db / 20))
        return mix, kept, limit(plain, RATE, -1.0)[0]

    @given(st.lists(st.tuples(st.integers(0, 2), st.integers(-1_200, 1_200), st.floats(0.3, 3.0)), min_size=1, max_size=4))
    @settings(max_examples=25, deadline=None)
    def test_wherever_its_peaks_lie(self, told: list[tuple[int, int, float]]) -> None:
        bangs = [(min(max(0, seam * BLOCK + beside), self.LONG - 41), size) for seam, beside, size in told]
        with tempfile.TemporaryDirectory() as folder:
            mix, kept, whole = self.mix_of(FolderStore(Path(folder)), bangs)
            sound = np.concatenate([mix.finished(number, kept) for number in range(len(mix.blocks))])
        if mix.limited:
            assert 20 * np.log10(np.abs(sound - whole).max() + 1e-12) < -90
        else:
            assert measure(sound, RATE).true_peak_db <= -1.0 + 0.01, "nothing was over the ceiling"

    @pytest.mark.parametrize("beside", [-400, -60, -5, 5, 60, 400])
    def test_a_peak_on_one_side_alone_leaves_no_step_at_the_seam(self, beside: int, blocks: FolderStore) -> None:
        mix, kept, whole = self.mix_of(blocks, [(BLOCK + beside, 3.0)])
        assert mix.limited == [0, 1]
        sound = np.concatenate([mix.finished(number, kept) for number in range(3)])
        assert np.abs(sound - whole).max() < 3e-5

    @pytest.mark.parametrize("target", [-14.0, -9.0, -8.0])
    def test_what_is_told_is_what_the_file_has(self, target: float, blocks: FolderStore) -> None:
        """However much the limiter takes, and however often the gain is set."""
        mix, kept, _ = self.mix_of(blocks, [(at, 4.0) for at in range(3_000, self.LONG - 3_000, 9_000)], target)
        sound = np.concatenate([mix.finished(number, kept) for number in range(3)])
        meter = measure(sound, RATE)
        assert mix.report.lufs == pytest.approx(meter.integrated, abs=0.05)
        assert mix.report.true_peak_db == pytest.approx(meter.true_peak_db, abs=0.05)
        assert meter.true_peak_db <= -0.95


class _Raw:
    """A track that is just these samples."""

    voice, strip, channels = True, PLAIN, 1

    def __init__(self, sound: Floats32, key: str) -> None:
        self.name, self._sound, self._key = "Ash", sound, key

    def content(self, first: int, last: int) -> Any:
        return [self._key, first]

    def piece(self, first: int, last: int) -> Floats32:
        return np.ascontiguousarray(self._sound[first:last])


def test_alone_and_not_at_all(blocks: FolderStore) -> None:
    kept = KeptBlocks(blocks, 2)
    voice = VoiceTrack("Ash", clips(), -20.0)
    only = BlockMixer([voice, music(Strip(0.0, mute=True))], SECONDS, 2, kept).mix(-20.0)
    assert np.array_equal(heard(only, kept), heard(*mixed(blocks)[::2]))
    voice.strip = replace(voice.strip, solo=True)
    assert np.array_equal(heard(BlockMixer([voice, music()], SECONDS, 2, kept).mix(-20.0), kept), heard(only, kept))
    with pytest.raises(NothingToMix):
        BlockMixer([VoiceTrack("Ash", [], -20.0)], SECONDS, 1, KeptBlocks(blocks, 1)).mix(-20.0)


@pytest.mark.parametrize("channels", [1, 2])
def test_any_piece_of_the_file_is_that_piece(channels: int, blocks: FolderStore) -> None:
    mix, _, kept = mixed(blocks, channels=channels)
    whole = b"".join(mix.bytes_of(0, mix.size - 1, kept))
    assert len(whole) == mix.size and len(whole) % 2 == 0
    for first, last in ((0, 10), (40, 50), (0, mix.size - 1), (BLOCK * 3 * channels - 7, BLOCK * 3 * channels + 99), (mix.size - 5, mix.size - 1)):
        assert b"".join(mix.bytes_of(first, last, kept)) == whole[first: last + 1]
    info = soundfile.info(io.BytesIO(whole))
    assert (info.samplerate, info.channels, info.subtype, info.frames) == (RATE, channels, "PCM_24", round(SECONDS * RATE))


def test_a_track_too_long_for_a_plain_file_says_so_in_its_header() -> None:
    mix = replace(BlockMix(1.0, 2, 0.0, [], [], mixed_report()), seconds=5 * 3600.0)
    assert mix.header[:4] == b"RF64" and mix.header[12:16] == b"ds64"
    assert int.from_bytes(mix.header[28:36], "little") == 5 * 3600 * RATE * 6


def mixed_report() -> object:
    from janoglot.core.mix.blocks import MixReport
    return MixReport(1.0, -20.0, -3.0, 0.0, 0.0)


def test_written_down_and_read_again(blocks: FolderStore) -> None:
    mix, _, _ = mixed(blocks, under=music())
    assert BlockMix.from_json(mix.as_json()) == mix
    facts = Facts(0.5, np.arange(4.0), np.ones(4), np.zeros(4), np.ones(4), {"Ash": np.ones(4)})
    again = Facts.from_bytes(facts.as_bytes())
    assert again.peak == 0.5 and np.array_equal(again.programme, facts.programme) and np.array_equal(again.layers["Ash"], np.ones(4))


def test_a_block_that_is_gone_is_said_to_be(blocks: FolderStore) -> None:
    mix, _, _ = mixed(blocks)
    for file in blocks.root.glob("*/*.f32"):
        file.unlink()
    with pytest.raises(FileNotFoundError):
        list(mix.bytes_of(0, 400_000, KeptBlocks(blocks, 2)))


def test_layers_energies_by_spectra_are_those_of_the_meter() -> None:
    sound = speech(3, 20.0)
    assert gated(k_energies(sound)) == pytest.approx(measure(sound, RATE).integrated, abs=0.05)
    tone = (0.1 * np.sin(2 * np.pi * 1_000 * np.arange(RATE) / RATE)).astype(np.float32)
    assert band_energies(tone) == pytest.approx(np.full(10, 0.005), rel=0.01)
    assert band_energies((0.1 * np.sin(2 * np.pi * 60 * np.arange(RATE) / RATE)).astype(np.float32)).max() < 1e-6


@pytest.mark.parametrize("count", [4_800, 48_000, 50_001, 4_799])
def test_two_channels_have_the_energies_of_both(count: int) -> None:
    rng = np.random.default_rng(7)
    both = (rng.standard_normal((count, 2)) * (0.1, 0.02)).astype(np.float32)
    for energies in (k_energies, band_energies):
        apart = sum(energies(np.ascontiguousarray(both[:, side])) for side in range(2))
        assert energies(both) == pytest.approx(apart, rel=1e-4)
        assert energies(both[::-1][::-1]) == pytest.approx(apart, rel=1e-4), "however it lies in memory"


def test_samples_are_packed_in_24_bits_as_others_do(tmp_path: Path) -> None:
    rng = np.random.default_rng(8)
    sound = np.concatenate([rng.uniform(-1.3, 1.3, (5_001, 2)), [[1.0, -1.0], [0.0, -0.0], [1e-9, -1e-7]]]).astype(np.float32)
    soundfile.write(tmp_path / "other.raw", np.clip(sound, -1, 1).astype(np.float64) * 8_388_607 / 8_388_608, RATE, subtype="PCM_24")
    told = np.frombuffer(packed(sound), np.uint8).reshape(-1, 3).astype(np.int32)
    whole = told[:, 0] + (told[:, 1] << 8) + (((told[:, 2] ^ 128) - 128) << 16)
    other, _ = soundfile.read(tmp_path / "other.raw", samplerate=RATE, channels=2, subtype="PCM_24", format="RAW", dtype="int32")
    assert np.abs(whole - (other.reshape(-1) >> 8)).max() <= 1
    assert whole.max() == 8_388_607
    assert whole.min() == -8_388_607


class TestLoudnessRange:
    """The test signals of EBU Tech 3342, figure for figure: stereo sines of 1 kHz."""

    @staticmethod
    def signal(*levels: tuple[float, float]) -> Floats32:
        parts = [10 ** (level / 20) * np.sin(2 * np.pi * 1_000 * np.arange(round(seconds * RATE)) / RATE) for level, seconds in levels]
        return np.stack([np.concatenate(parts)] * 2, 1).astype(np.float32)

    @pytest.mark.parametrize(("levels", "wanted"), [
        (((-20, 20), (-30, 20)), 10), (((-20, 20), (-15, 20)), 5), (((-40, 20), (-20, 20)), 20),
        (((-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)), 15)])
    def test_its_signals(self, levels: tuple[tuple[float, float], ...], wanted: float) -> None:
        assert measure(self.signal(*levels), RATE, peaks=False).range_lu == pytest.approx(wanted, abs=1.0)

    def test_silence_has_none(self) -> None:
        assert loudness_range(np.zeros(100)) == 0.0


@pytest.mark.parametrize("seconds", [2.0, 2.58, 4.05, 9.9999, 0.03])
@pytest.mark.parametrize("channels", [1, 2])
def test_layers_of_any_length_are_measured(seconds: float, channels: int) -> None:
    sound = speech(2, seconds) if channels == 1 else np.stack([speech(2, seconds)] * 2, 1)
    found = coarse_energies(sound)
    assert len(found) == len(k_energies(sound)) and found.mean() == pytest.approx(k_energies(sound).mean(), rel=0.15)
