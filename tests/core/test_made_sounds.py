"""Sounds that are made: what their parameters say is so, they loop without a seam, and a description finds them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
import soundfile
from scipy.signal import find_peaks

from janoglot.cli.main import main
from janoglot.core.errors import BadInput
from janoglot.core.mix.synthesis.base import KEPT_LUFS, RATE, Stereo, made
from janoglot.core.mix.synthesis.describing import described
from janoglot.core.mix.synthesis.library import GENERATORS, Part, generator_named, make_sound, sound_key

GOES_ON = [name for name, one in GENERATORS.items() if not one.once]
Curve = npt.NDArray[np.float64]


def of(name: str, seconds: float = 6.0, number: int = 0, **given: float) -> Stereo:
    return made(generator_named(name), seconds, number, given)


def loudness(sound: Stereo, step: float = 0.005) -> Curve:
    size = round(step * RATE)
    mono = sound.astype(np.float64).mean(1)
    blocks = mono[: len(mono) // size * size].reshape(-1, size)
    return np.asarray(np.sqrt((blocks**2).mean(1)))


def onsets(sound: Stereo, share: float = 0.25, apart: float = 0.12) -> Curve:
    """Seconds at which it gets loud."""
    level = loudness(sound)
    rising = np.diff(level, prepend=level[-1])
    peaks, _ = find_peaks(rising, height=share * rising.max(), distance=max(1, round(apart / 0.005)))
    return np.asarray(peaks * 0.005)


def spectrum(sound: Stereo) -> tuple[Curve, Curve]:
    mono = sound.astype(np.float64).mean(1)
    return np.fft.rfftfreq(len(mono), 1 / RATE), np.abs(np.fft.rfft(mono * np.hanning(len(mono))))


def brightness(sound: Stereo) -> float:
    hz, level = spectrum(sound)
    return float((hz * level**2).sum() / (level**2).sum())


def test_there_are_thirty_and_more_and_each_says_what_it_is() -> None:
    assert len(GENERATORS) >= 30
    for one in GENERATORS.values():
        assert one.model and one.source and one.words and all(each.low <= each.usual <= each.high for each in one.parameters)


@pytest.mark.parametrize("name", list(GENERATORS))
class TestEach:
    def test_it_is_a_sound_and_nothing_is_clipped(self, name: str) -> None:
        sound = made(generator_named(name), min(6.0, generator_named(name).seconds))
        assert sound.dtype == np.float32 and sound.shape[1] == 2 and np.isfinite(sound).all()
        assert 0.05 < np.abs(sound).max() <= 0.85 and abs(float(sound.mean())) < 1e-5

    def test_the_same_number_is_the_same_and_another_is_another(self, name: str) -> None:
        one, again, other = (of(name, 2.0, number) for number in (3, 3, 4))
        assert np.array_equal(one, again)
        # What is reckoned with no chance in it is the same whatever its number.
        assert np.array_equal(one, other) == (name in ("buzzer", "line tone", "foghorn"))

    def test_every_dial_does_something_from_end_to_end(self, name: str) -> None:
        for each in generator_named(name).parameters:
            seconds = 20.0 if name == "thunder" else 2.0  # it is seldom
            low, high = of(name, seconds, **{each.name: each.low}), of(name, seconds, **{each.name: each.high})
            assert np.abs(low - high).max() > 0.01, each.name

    def test_its_seam_is_as_smooth_as_all_of_it(self, name: str) -> None:
        sound = of(name, 3.0)
        steps = np.abs(np.diff(sound, axis=0)).max(1)
        assert np.abs(sound[0] - sound[-1]).max() <= steps.max()
        # Around the seam its spectrum changes no more than elsewhere.
        twice = np.concatenate([sound, sound]).astype(np.float64).mean(1)
        frames = np.abs(np.fft.rfft(twice[: len(twice) // 1024 * 1024].reshape(-1, 1024) * np.hanning(1024), axis=1))
        flux = np.sqrt((np.maximum(0.0, np.diff(frames, axis=0)) ** 2).sum(1))
        seam = len(sound) // 1024
        assert flux[seam - 2: seam + 2].max() <= 1.05 * flux.max()


def test_what_it_has_not_is_refused() -> None:
    for given in ({"colour": 1.0}, {"density": 1.5}):
        with pytest.raises(BadInput):
            of("rain", **given)
    for seconds in (0.0, 1e4):
        with pytest.raises(BadInput):
            of("rain", seconds)
    with pytest.raises(BadInput):
        generator_named("unicorn")
    with pytest.raises(BadInput):
        make_sound([], 2.0)


class TestAsItsParametersSay:
    @pytest.mark.parametrize("pace", [1.0, 2.0, 3.0])
    def test_steps_are_as_many_as_their_pace(self, pace: float) -> None:
        level = loudness(of("footsteps", 10.0, pace=pace, wood=1.0))
        beats = np.abs(np.fft.rfft(level - level.mean()))[: 10 * 5]
        assert np.argmax(beats[5:]) + 5 == pytest.approx(10 * pace, abs=1)

    def test_wood_rings_and_gravel_hisses(self) -> None:
        assert brightness(of("footsteps", gravel=1.0, wood=0.0)) > 2 * brightness(of("footsteps", gravel=0.0, wood=1.0))

    @pytest.mark.parametrize("rate", [1.0, 2.0, 4.0])
    def test_a_clock_ticks_at_its_rate(self, rate: float) -> None:
        found = onsets(of("clock", 8.0, rate=rate, case=0.0), 0.4, 0.1)
        assert len(found) == round(8 * rate) and np.allclose(np.diff(found), 1 / rate, atol=0.02)

    @pytest.mark.parametrize("rate", [50, 90])
    def test_a_heart_beats_at_its_rate(self, rate: float) -> None:
        found = onsets(of("heartbeat", 12.0, rate=rate), 0.5, 0.4)
        assert len(found) == pytest.approx(12 * rate / 60, abs=2)

    def test_a_bell_has_a_bell_s_partials(self) -> None:
        hz, level = spectrum(of("bell", 8.0, strokes=1, size=0.5))
        prime = 2 * 620 * 2 ** (-1.2)
        for ratio in (0.5, 1.0, 1.2, 2.0):
            near = (hz > prime * ratio * 0.98) & (hz < prime * ratio * 1.02)
            between = (hz > prime * ratio * 1.06) & (hz < prime * ratio * 1.1)
            assert level[near].max() > 8 * level[between].max(), ratio

    def test_it_strikes_as_often_as_it_is_told(self) -> None:
        assert len(onsets(of("bell", 12.0, strokes=4, size=0.2), 0.5, 1.0)) == 4
        assert len(onsets(of("knock", 2.0, times=3), 0.4, 0.12)) == 3

    def test_rain_is_denser_and_further_and_rings_on_tin(self) -> None:
        thin, thick = (loudness(of("rain", density=density), 0.002) for density in (0.05, 0.9))
        assert thin.std() / thin.mean() > 1.5 * thick.std() / thick.mean(), "single drops against a wash"
        assert brightness(of("rain", distance=1.0)) < 0.6 * brightness(of("rain", distance=0.0))
        # A mode rings on after its click.
        dry, ringing = (of("rain", density=0.0, metal=metal) for metal in (0.0, 1.0))
        assert np.median(loudness(ringing)) > 1.15 * np.median(loudness(dry))

    def test_drips_are_as_many_as_their_rate(self) -> None:
        counts = [len(onsets(of("drips", 20.0, rate=rate, echo=0.0), 0.12, 0.03)) for rate in (1.0, 6.0)]
        assert 10 <= counts[0] <= 32 and counts[1] > 2.5 * counts[0]

    def test_waves_come_and_go_and_big_ones_are_slower(self) -> None:
        for size, least, most in ((0.0, 4, 8), (1.0, 2, 4)):
            level = np.convolve(loudness(of("surf", 24.0, size=size), 0.1), np.hanning(15) / np.hanning(15).sum(), "same")
            peaks, _ = find_peaks(level, prominence=0.15 * level.max(), distance=10)
            assert least <= len(peaks) <= most
            assert level.max() > 2 * level.min()

    def test_wind_is_steadier_without_gusts_and_howls_at_its_edge(self) -> None:
        calm, gusty = (loudness(of("wind", 20.0, gusts=gusts), 0.25) for gusts in (0.0, 1.0))
        assert gusty.std() / gusty.mean() > 1.5 * calm.std() / calm.mean()
        hz, level = spectrum(of("wind", 12.0, howl=1.0, strength=0.8))
        assert level[(hz > 960) & (hz < 1040)].mean() > 2.5 * level[(hz > 1300) & (hz < 1500)].mean()

    def test_a_line_s_tones_are_the_standard_s(self) -> None:
        hz, level = spectrum(of("line tone", 10.0, which=0))
        assert hz[np.argmax(level)] == pytest.approx(425, abs=0.5)
        engaged = loudness(of("line tone", 10.0, which=2), 0.05)
        assert (engaged > 0.5 * engaged.max()).mean() == pytest.approx(0.5, abs=0.08)
        assert len(onsets(of("line tone", 10.0, which=2), 0.5, 0.5)) in (9, 10), "what begins at the seam may be missed"

    def test_an_engine_fires_at_its_speed(self) -> None:
        hz, level = spectrum(of("engine", 8.0, speed=30.0, muffled=0.0, size=0.0))
        harmonics = [level[(hz > 30 * k - 1.5) & (hz < 30 * k + 1.5)].max() for k in range(2, 8)]
        between = [level[(hz > 30 * k + 12) & (hz < 30 * k + 18)].max() for k in range(2, 8)]
        assert np.median(np.array(harmonics) / np.array(between)) > 4

    def test_crickets_gulls_and_birds_are_where_they_sing(self) -> None:
        for name, low, high in (("crickets", 3_900, 5_400), ("gulls", 650, 7_500), ("birds", 1_500, 7_500)):
            hz, level = spectrum(of(name, 10.0))
            inside = (level[(hz > low) & (hz < high)] ** 2).sum() / (level**2).sum()
            assert inside > 0.9, name

    def test_thunder_is_low_and_far_thunder_lower(self) -> None:
        assert brightness(of("thunder", 12.0, distance=1.0)) < 200 < brightness(of("thunder", 12.0, distance=0.0)) < 2_500

    def test_more_people_are_a_steadier_noise(self) -> None:
        for name in ("crowd", "applause"):
            few, many = (loudness(of(name, 8.0, size=size), 0.03) for size in (0.0, 1.0))
            assert many.std() / many.mean() < 0.8 * few.std() / few.mean(), name

    def test_a_creak_slips_quicker_when_it_is_pushed_quicker(self) -> None:
        counts = [len(find_peaks(loudness(of("creak", 3.0, speed=speed), 0.002), distance=2)[0]) for speed in (0.0, 1.0)]
        assert counts[1] > 1.3 * counts[0]

    def test_a_buzzer_has_its_pitch_and_a_fire_spits(self) -> None:
        hz, level = spectrum(of("buzzer", 2.0, pitch=100))
        assert level[(hz > 98) & (hz < 102)].max() > 5 * level[(hz > 140) & (hz < 160)].max()
        calm, spitting = (of("fire", crackle=crackle) for crackle in (0.0, 1.0))
        assert np.abs(spitting).max() / loudness(spitting).mean() > np.abs(calm).max() / loudness(calm).mean() * 0.8
        assert brightness(spitting) > brightness(calm)


class TestSeveral:
    def test_parts_lie_over_one_another_at_their_levels(self) -> None:
        both = make_sound([Part("rain"), Part("foghorn", {}, 6.0)], 6.0)
        assert both.shape == (6 * RATE, 2) and np.abs(both).max() <= 0.85
        hz, level = spectrum(both)
        horn = 150 - 90 * 0.5
        assert level[(hz > horn * 0.9) & (hz < horn * 1.1)].max() > 5 * np.median(level[(hz > 200) & (hz < 2000)])

    def test_a_key_names_all_that_it_is_made_of(self) -> None:
        key = sound_key([Part("rain", {"density": 0.45})], 4.0, 1)
        assert key == sound_key([Part("rain")], 4.0, 1), "the usual need not be said"
        assert len({key, sound_key([Part("rain")], 4.0, 2), sound_key([Part("rain")], 5.0, 1), sound_key([Part("wind")], 4.0, 1),
                    sound_key([Part("rain", {"density": 0.5})], 4.0, 1), sound_key([Part("rain", {}, -3.0)], 4.0, 1)}) == 6

    def test_it_is_as_loud_as_all_are_kept(self) -> None:
        from janoglot.core.audio.loudness import measure

        assert measure(of("wind", 8.0).mean(1), RATE).integrated == pytest.approx(KEPT_LUFS, abs=0.5)


class TestDescribed:
    @pytest.mark.parametrize(("text", "sounds"), [
        ("heavy rain on a tin roof, distant thunder", ["rain", "thunder"]), ("slow footsteps on wood", ["footsteps"]),
        ("old wall clock, ticking", ["clock"]), ("harbour at night", ["lapping", "foghorn"]), ("a storm", ["rain", "wind", "thunder"]),
        ("wind and gulls", ["wind", "gulls"]), ("three knocks on a door then it slams", ["knock", "slam"]),
        ("Crowd murmur with radio static", ["crowd", "static"]), ("foootsteps", ["footsteps"]), ("", []),
    ])
    def test_what_it_names(self, text: str, sounds: list[str]) -> None:
        assert [part.sound for part in described(text).parts] == sounds

    def test_how_it_is_said_to_be(self) -> None:
        rain, thunder = described("heavy rain on a tin roof, distant thunder").parts
        assert rain.settings == {"density": 0.9, "metal": 0.9} and thunder.settings == {"distance": 0.85}
        assert described("three knocks").parts[0].settings["times"] == 3
        [steps] = described("footsteps on gravel, slow").parts
        assert steps.settings["gravel"] == 0.9 and steps.settings["pace"] < 1.5

    @pytest.mark.parametrize(("text", "strokes"), [("big bell", 1.0), ("a church bell in the distance", 1.0), ("a bell, three strokes", 3.0), ("bell tolling", None), ("bells", None)])
    def test_one_bell_is_struck_once(self, text: str, strokes: float | None) -> None:
        told, = [part for part in described(text).parts if part.sound == "bell"]
        assert told.settings.get("strokes") == strokes

    def test_what_is_not_understood_is_said_with_what_is_near(self) -> None:
        told = described("a unicorn, bells and surf")
        assert told.missed == ("unicorn",) and {part.sound for part in told.parts} == {"bell", "surf"}
        assert described("a clocke of gulps").near

    def test_everything_understood_can_be_made(self) -> None:
        for text in ("gentle garden at night", "heavy machine, racing engine", "huge bell, twelve strokes", "distant howling wind"):
            assert np.abs(make_sound(described(text).parts, 2.0)).max() > 0.05


def test_from_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    place = tmp_path / "quay.flac"
    assert main(["sound", "harbour at night and a dragon", "--seconds", "3", "--number", "7", "--out", str(place)]) == 0
    sound, rate = soundfile.read(place)
    assert rate == RATE and sound.shape == (3 * RATE, 2)
    out = capsys.readouterr()
    assert "dragon" in out.err and "foghorn" in out.out
    assert main(["sound", "a dragon"]) != 0
    assert main(["sound", "--list"]) == 0 and capsys.readouterr().out.count("\n") == len(GENERATORS) + 2
