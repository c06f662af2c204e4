"""The source's own sound under the dub: where it is heard, what is done to it, and how it is lined up."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pytest
import soundfile

from janoglot.core.audio.noise import without_noise
from janoglot.core.mix.bed import BedPiece, BedTrack, PlannedBed, bed_pieces, write_without_noise, write_without_voices
from janoglot.core.mix.clarity import clarity
from janoglot.core.mix.cues import BedUse, Duck, Layer
from janoglot.core.mix.lining_up import later_by
from janoglot.core.mix.sides import RATE, Floats32
from janoglot.core.mix.under import CueSound
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.takes import TakeRecipe, make_take, read_sound
from janoglot.core.store import FolderStore
from tests.core.test_blocks import speech


def level(samples: Floats32, start: float, end: float) -> float:
    piece = samples[round(start * RATE): round(end * RATE)].astype(np.float64)
    return float(10 * np.log10((piece**2).mean() + 1e-12))


class TestPieces:
    def test_while_the_picture_stands_the_source_rests(self) -> None:
        pieces = bed_pieces([(0.0, 20.0, "keep")], [(5.0, 2.0), (9.0, 1.0)])
        assert pieces == [BedPiece(0.0, 0.0, 5.0, "keep"), BedPiece(7.0, 5.0, 4.0, "keep"), BedPiece(12.0, 9.0, 8.0, "keep")]

    def test_parts_have_their_own_and_what_is_off_has_none(self) -> None:
        assert bed_pieces([(0.0, 4.0, "off"), (4.0, 10.0, "mute")], []) == [BedPiece(4.0, 4.0, 6.0, "mute")]

    @pytest.mark.parametrize(("offset", "first"), [(1.5, BedPiece(0.0, 1.5, 8.0, "keep")), (-2.0, BedPiece(2.0, 0.0, 6.0, "keep"))])
    def test_what_is_supplied_is_as_much_later_as_it_is(self, offset: float, first: BedPiece) -> None:
        assert bed_pieces([(0.0, 8.0, "keep")], [], offset) == [first]

    def test_written_down_and_read_again(self) -> None:
        bed = PlannedBed("a.wav", False, -3.0, bed_pieces([(0.0, 8.0, "duck")], []), [(1.0, 2.0)], [(3.0, 1.0)])
        assert PlannedBed.from_json(bed.as_json()) == bed and bed.in_programme(2.0) == 2.0 and bed.in_programme(4.0) == 5.0


class TestTrack:
    SOUND = CueSound(np.stack([speech(1, 12.0)] * 2, 1), -20.0, key="source")
    LAYER = Layer("source", "bed", 0.0, duck=Duck(12.0))

    def heard(self, *pieces: BedPiece, deeper: Sequence[tuple[float, float, float]] = ()) -> Floats32:
        sounds = dict.fromkeys(("keep", "mute", "duck"), self.SOUND)
        track = BedTrack(self.LAYER, pieces, sounds, -20.0, -20.0, [(2.0, 4.0)], [(6.0, 8.0)], deeper)  # type: ignore[arg-type]
        whole, parts = track.piece(0, 12 * RATE), [track.piece(at * RATE, (at + 3) * RATE) for at in range(0, 12, 3)]
        assert np.allclose(whole, np.concatenate(parts), atol=1e-6), "the same wherever it is cut"
        return whole

    def test_it_is_as_it_was_and_as_loud(self) -> None:
        assert np.allclose(self.heard(BedPiece(0.0, 0.0, 12.0, "keep"))[RATE: -RATE], self.SOUND.samples[RATE: -RATE], atol=1e-6)

    def test_it_is_silent_while_the_source_speaks_and_down_while_the_dub_does(self) -> None:
        muted, ducked = self.heard(BedPiece(0.0, 0.0, 12.0, "mute")), self.heard(BedPiece(0.0, 0.0, 12.0, "duck"))
        assert level(muted, 2.2, 3.8) < level(muted, 6.2, 7.8) - 50
        assert level(ducked, 6.2, 7.8) == pytest.approx(level(self.SOUND.samples, 6.2, 7.8) - 12, abs=0.2)
        assert level(ducked, 2.2, 3.8) == pytest.approx(level(self.SOUND.samples, 2.2, 3.8), abs=0.2)

    @pytest.mark.parametrize("use", ["keep", "duck", "mute"])
    def test_it_makes_room_for_a_line_that_is_to_be_clear(self, use: BedUse) -> None:
        plain, roomy = (self.heard(BedPiece(0.0, 0.0, 12.0, use), deeper=more) for more in ((), [(6.0, 8.0, 9.0)]))
        assert level(roomy, 6.2, 7.8) == pytest.approx(level(plain, 6.2, 7.8) - 9, abs=0.2)
        assert level(roomy, 10.0, 11.5) == pytest.approx(level(plain, 10.0, 11.5), abs=0.01)

    def test_it_comes_and_goes_softly_where_it_is_cut(self) -> None:
        cut = self.heard(BedPiece(3.0, 5.0, 4.0, "keep"))
        assert np.abs(cut[: 3 * RATE]).max() == 0 and np.abs(cut[3 * RATE: 3 * RATE + 10]).max() < 0.01
        assert level(cut, 4.0, 6.0) == pytest.approx(level(self.SOUND.samples, 6.0, 8.0), abs=0.1)


class TestLiningUp:
    @pytest.mark.parametrize("later", [0.0, 3.2178, -1.4061])
    def test_music_and_effects_are_found_under_what_is_said(self, later: float) -> None:
        rng = np.random.default_rng(2)
        bed = speech(11, 30.0) * np.repeat(rng.uniform(0.2, 1, 300), RATE // 10).astype(np.float32)
        source = bed.copy()
        source[4 * RATE: 12 * RATE] += speech(5, 8.0)
        shift = round(later * RATE)
        other = np.concatenate([np.zeros(shift, np.float32), bed]) if shift >= 0 else bed[-shift:]
        found, sure = later_by(other, source)
        assert found == pytest.approx(later, abs=0.001) and sure > 0.3

    def test_of_what_has_nothing_in_common_it_is_not_sure(self) -> None:
        assert later_by(speech(1, 20.0), speech(99, 20.0))[1] < 0.3


class TestVoicesOut:
    def mixed(self, tmp_path: Path, store: FolderStore) -> tuple[Floats32, Floats32, Path]:
        take = make_take(TakeRecipe("Mind the third step, it has been loose since the winter. Why does nobody mend it?", voice_named("curlew")), store)
        said, rate = read_sound(store, f"{take.hash}.wav")
        voice = np.interp(np.arange(len(said) * RATE // rate) * rate / RATE, np.arange(len(said)), said).astype(np.float32)
        whole = np.zeros(len(voice) + 4 * RATE, np.float32)
        whole[2 * RATE: 2 * RATE + len(voice)] = voice
        time = np.arange(len(whole)) / RATE
        ticks = (np.sin(2 * np.pi * 2_100 * time) * np.exp(-((time * 2) % 1) * 30) * 0.15).astype(np.float32)
        place = tmp_path / "source.wav"
        soundfile.write(place, np.stack([whole + ticks] * 2, 1), RATE, subtype="PCM_24")
        return ticks, voice, place

    def test_what_is_left_is_nearer_to_the_bed(self, tmp_path: Path, store: FolderStore) -> None:
        ticks, voice, place = self.mixed(tmp_path, store)
        span = (2.0, 2.0 + len(voice) / RATE)
        write_without_voices(place, tmp_path / "bed.flac", [span])
        made, _ = soundfile.read(tmp_path / "bed.flac", dtype="float32")
        assert made.shape == (len(ticks), 2)
        before = level(voice, 0.0, len(voice) / RATE)
        after = level(made[:, 0] - ticks, *span)
        assert after < before - 8, "most of the voice is gone"
        # Where the source does not speak nothing is touched.
        assert np.abs(made[: round(1.7 * RATE), 0] - ticks[: round(1.7 * RATE)]).max() < 1e-4


class TestNoise:
    def test_steady_noise_goes_and_what_moves_stays(self, tmp_path: Path) -> None:
        rng = np.random.default_rng(4)
        time = np.arange(6 * RATE) / RATE
        notes = (0.2 * np.sin(2 * np.pi * 440 * time) * (np.sin(2 * np.pi * 0.5 * time) > 0.2)).astype(np.float32)
        hiss = (0.01 * rng.standard_normal(len(time))).astype(np.float32)
        made = without_noise(notes + hiss, RATE)
        still = np.abs(notes) < 1e-6
        for quiet in (made[still],):
            assert 10 * np.log10((quiet**2).mean() / (hiss[still] ** 2).mean()) < -10
        assert level(made[~still], 0, 2) == pytest.approx(level(notes[~still], 0, 2), abs=0.5)
        place = tmp_path / "noisy.wav"
        soundfile.write(place, notes + hiss, RATE)
        write_without_noise(place, tmp_path / "clean.flac")
        written, _ = soundfile.read(tmp_path / "clean.flac")
        assert written.shape == (len(time), 2)

    def test_silence_and_short_sounds_stay_as_they_are(self) -> None:
        assert np.abs(without_noise(np.zeros(RATE, np.float32), RATE)).max() == 0
        short = speech(1, 0.2)
        assert without_noise(short, RATE) is short


class TestClarity:
    def test_it_is_what_speech_is_over_the_rest(self) -> None:
        speech_, under = np.zeros(100), np.zeros(100)
        speech_[10:30], under[10:30] = 1e-3, 1e-4
        speech_[50:60] = 1e-3
        assert clarity({"1": (1.0, 3.0), "2": (5.0, 6.0), "3": (8.0, 9.0)}, speech_, under) == {"1": 10.0}

    def test_pauses_within_a_line_do_not_count(self) -> None:
        speech_, under = np.full(20, 1e-9), np.full(20, 1e-4)
        speech_[:5] = 1e-3
        under[5:] = 1e-2
        assert clarity({"1": (0.0, 2.0)}, speech_, under)["1"] == pytest.approx(10.0)
