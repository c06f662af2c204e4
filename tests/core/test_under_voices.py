"""What lies under the voices: tied and pinned, looped, faded, ducked before anybody speaks; all of it on known answers."""

from __future__ import annotations

import json
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from janoglot.cli.main import main
from janoglot.core.edition.sound_world import Sounds
from janoglot.core.errors import BadInput
from janoglot.core.mix.blocks import Track
from janoglot.core.mix.cues import Cue, Duck, Layer, Place, PlacedCue, SoundPlan, part_spans, place_cues, sound_plan_of
from janoglot.core.mix.programme import RATE, Clip, mix_to_file, render
from janoglot.core.mix.sides import Floats32, laid
from janoglot.core.mix.under import CueSound, UnderTrack, closed, ducking, under_tracks
from janoglot.core.store import FolderStore

LINES = {"1": (2.0, 4.0), "2": (4.5, 6.0), "3": (12.0, 14.0)}
PARTS = {"Stair": (2.0, 6.0), "Room": (12.0, 14.0)}
STEADY = Layer("music", "music", -10.0)


def tone(seconds: float, hz: float = 440.0, level: float = 0.1) -> Floats32:
    return (level * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)).astype(np.float32)


def heard(cue: Cue, layer: Layer = STEADY, seconds: float = 10.0, sound: Floats32 | None = None, lufs: float = -26.0,
          voices: list[tuple[float, float]] | None = None, block: int = 48_000, lasts: float | None = None) -> Floats32:
    placed = [PlacedCue(cue, layer, cue.at.seconds, lasts if lasts is not None else cue.seconds or None)]
    track = UnderTrack(layer, placed, lambda one: CueSound(tone(2.0) if sound is None else sound, lufs, round_=sound is None), -16.0, voices or [])
    total = round(seconds * RATE)
    return np.concatenate([laid(track.piece(at, min(at + block, total)), track.strip, 2) for at in range(0, total, block)])


def level_at(samples: Floats32, seconds: float, size: float = 0.1) -> float:
    piece = samples[round((seconds - size / 2) * RATE): round((seconds + size / 2) * RATE)].astype(np.float64)
    return float(10 * np.log10((piece**2).mean() + 1e-12))


def cue(**more: object) -> Cue:
    return Cue("music", {"file": "x"}, **{"at": Place(1.0), "fade_in": 0.0, "fade_out": 0.0, **more})  # type: ignore[arg-type]


class TestPlaces:
    def plan(self, *cues: Cue) -> SoundPlan:
        return SoundPlan((STEADY, Layer("off", "music", 0.0, mute=True)), cues)

    @pytest.mark.parametrize(("place", "start"), [
        (Place(3.25), 3.25), (Place(0.0, line="2"), 4.5), (Place(-0.5, line="3", edge="start"), 11.5), (Place(0.2, line="1", edge="end"), 4.2),
        (Place(0.0, part="Room"), 12.0), (Place(1.0, part="Stair", edge="end"), 7.0), (Place(-9.0, line="1"), 0.0)])
    def test_pinned_or_tied(self, place: Place, start: float) -> None:
        placed, lost = place_cues(self.plan(cue(at=place)), LINES, PARTS, 20.0)
        assert placed[0].start == pytest.approx(start) and not lost and placed[0].lasts is None

    def test_until_something_or_for_so_long_or_to_the_end(self) -> None:
        plan = self.plan(cue(at=Place(0.0, line="1"), until=Place(0.0, line="3", edge="end")), cue(seconds=3.0), cue(at=Place(5.0), loop=True))
        placed, _ = place_cues(plan, LINES, PARTS, 20.0)
        assert [one.lasts for one in placed] == [3.0, 12.0, 15.0]

    def test_what_would_begin_before_the_beginning_ends_where_it_does(self) -> None:
        plan = self.plan(cue(at=Place(-0.5), seconds=2.0, trim=1.0), cue(at=Place(-0.5), until=Place(0.0, line="1")), cue(at=Place(-3.0), seconds=2.0))
        placed, _ = place_cues(plan, LINES, PARTS, 20.0)
        assert [(one.start, one.lasts, one.cue.trim) for one in placed] == [(0.0, 1.5, 1.5), (0.0, LINES["1"][0], 0.5)]

    def test_what_goes_on_ends_with_the_programme_and_its_fade_too(self) -> None:
        placed, _ = place_cues(self.plan(cue(at=Place(5.0), loop=True, seconds=600.0, fade_out=3.0), cue(at=Place(4.0), seconds=600.0)), LINES, PARTS, 20.0)
        assert [one.lasts for one in placed] == [600.0, 15.0], "what happens once rings out"

    def test_thousands_of_cues_are_read_in_no_time_and_each_has_an_id_of_its_own(self) -> None:
        rows = [{"id": f"c{n % 1500}", "layer": "effects", "sound": {"made": "bell"}, "at": n} for n in range(2_000)]
        begun = time.process_time()
        plan = sound_plan_of({"cues": rows})
        assert time.process_time() - begun < 0.4
        assert len({one.id for one in plan.cues}) == 2_000 and [one.id for one in plan.cues[:3]] == ["c0", "c1", "c2"]

    def test_what_an_edition_has_not_is_told(self) -> None:
        placed, lost = place_cues(self.plan(cue(at=Place(line="9")), cue(until=Place(part="Cellar")), cue(at=Place(99.0))), LINES, PARTS, 20.0)
        assert placed == [] and len(lost) == 2
        assert place_cues(self.plan(cue(off=True)), LINES, PARTS, 20.0) == ([], [])

    def test_it_moves_with_its_line(self) -> None:
        plan = self.plan(cue(at=Place(0.3, line="3")))
        assert [place_cues(plan, {"3": (at, at + 1)}, {}, 60.0)[0][0].start for at in (12.0, 15.5)] == [12.3, 15.8]

    def test_parts_are_from_their_first_line_to_their_last(self) -> None:
        assert part_spans([(("#1", "Stair"), 2.0, 4.0), (("#1", "Stair"), 1.5, 6.0), ((), 0.0, 9.0)]) == {"#1": (1.5, 6.0), "Stair": (1.5, 6.0)}


class TestDucking:
    DUCK = Duck(9.0, lead=0.5, hold=1.0, release=0.8)

    def at(self, spans: list[tuple[float, float]], *seconds: float) -> list[float]:
        return [round(float(one), 2) for one in np.interp(seconds, *ducking(spans, self.DUCK))]

    def test_down_before_a_voice_and_back_after_it(self) -> None:
        assert self.at([(3.0, 5.0)], 0.0, 2.5, 2.75, 3.0, 4.0, 5.0, 5.4, 5.8, 9.0) == [0, 0, -4.5, -9, -9, -9, -4.5, 0, 0]

    def test_a_short_gap_does_not_pump_and_a_long_one_comes_back(self) -> None:
        assert self.at([(1.0, 2.0), (2.9, 4.0)], 2.45) == [-9.0]
        assert self.at([(1.0, 2.0), (6.0, 7.0)], 4.0) == [0.0]

    def test_who_speaks_at_once_is_given_way_to_from_the_beginning(self) -> None:
        assert self.at([(0.1, 2.0)], 0.0, 1.0) == [-9.0, -9.0] and self.at([], 0.0, 9.0) == [0.0, 0.0]

    def test_it_is_heard_so(self) -> None:
        layer = Layer("music", "music", -10.0, duck=self.DUCK)
        sound = heard(cue(at=Place(0.0), loop=True), layer, voices=[(4.0, 6.0)], lasts=10.0)
        assert level_at(sound, 5.0) - level_at(sound, 2.0) == pytest.approx(-9.0, abs=0.1)
        assert level_at(sound, 8.0) == pytest.approx(level_at(sound, 2.0), abs=0.1)


class TestSound:
    def test_a_layer_s_level_is_against_the_voices(self) -> None:
        # A sound at −26 LUFS in a layer 10 under voices at −16 is as it was, on two sides.
        assert level_at(heard(cue()), 2.0) == pytest.approx(level_at(np.stack([tone(2.0)] * 2, 1), 1.0) - 3.01, abs=0.05)
        assert level_at(heard(cue(gain_db=6.0)), 2.0) - level_at(heard(cue()), 2.0) == pytest.approx(6.0, abs=0.01)

    def test_it_begins_where_it_is_put_and_lasts_as_long_as_it_is_told(self) -> None:
        for lasts, loop, until in ((None, False, 3.0), (1.5, False, 2.5), (6.0, False, 3.0), (6.0, True, 7.0)):
            loud = np.flatnonzero(np.abs(heard(cue(loop=loop), lasts=lasts)).max(1) > 1e-3) / RATE
            assert loud[0] == pytest.approx(1.0, abs=0.002) and loud[-1] == pytest.approx(until, abs=0.003)

    def test_fades_are_of_constant_power_and_as_long_as_they_are_told(self) -> None:
        plain, faded = heard(cue(loop=True), lasts=8.0), heard(cue(loop=True, fade_in=2.0, fade_out=1.0), lasts=8.0)
        for seconds, db in ((2.0, -3.01), (3.5, 0.0), (8.5, -3.01)):
            assert level_at(faded, seconds, 0.02) - level_at(plain, seconds, 0.02) == pytest.approx(db, abs=0.25)
        assert np.abs(faded[round(1.0 * RATE)]).max() < 1e-3 and np.abs(faded[round(9.0 * RATE) - 1]).max() < 1e-3

    def test_a_drawn_level_runs_straight_between_its_points(self) -> None:
        drawn = heard(cue(loop=True, points=((0.0, 0.0), (4.0, -12.0))), lasts=8.0)
        assert level_at(drawn, 3.0) - level_at(heard(cue(loop=True), lasts=8.0), 3.0) == pytest.approx(-6.0, abs=0.1)

    def test_pan_is_as_loud_wherever_it_is(self) -> None:
        for pan, left, right in ((-1.0, 1.0, 0.0), (0.0, 0.5, 0.5), (1.0, 0.0, 1.0)):
            power = (heard(cue(pan=pan)).astype(np.float64) ** 2).sum(0)
            assert power / power.sum() == pytest.approx([left, right], abs=1e-6)

    def test_a_trim_begins_later_in_the_sound(self) -> None:
        rising = np.linspace(0, 0.5, 4 * RATE, dtype=np.float32)
        trimmed, whole = heard(cue(trim=1.0), sound=rising), heard(cue(), sound=rising)
        assert np.allclose(trimmed[RATE: 2 * RATE], whole[2 * RATE: 3 * RATE], atol=1e-6)

    @pytest.mark.parametrize("hz", [440.0, 333.3])
    def test_a_loop_of_what_does_not_close_has_no_step(self, hz: float) -> None:
        joined = np.tile(closed(CueSound(tone(2.1, hz), -26.0)), 3)
        assert np.abs(np.diff(joined)).max() <= 1.05 * np.abs(np.diff(tone(2.1, hz))).max() * np.sqrt(2)
        assert closed(CueSound(tone(2.0), -26.0, round_=True)) is not None and len(closed(CueSound(tone(2.0), -26.0, round_=True))) == 2 * RATE

    def test_blocks_of_any_size_are_the_same_sound(self) -> None:
        layer = Layer("music", "music", -10.0, duck=TestDucking.DUCK)
        made = [heard(cue(loop=True, fade_in=1.0), layer, voices=[(3.0, 4.0)], lasts=7.7, block=size) for size in (48_000, 10_007)]
        assert np.allclose(*made, atol=1e-6)


    def test_what_two_ask_for_at_once_is_made_once(self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        """A page that asks again while its first request composes would have both take twice as long."""
        asked: list[float] = []

        def slowly(*given: Any) -> Any:
            asked.append(time.monotonic())
            time.sleep(0.3)
            return np.full((48_000, 2), 0.1, np.float32)

        monkeypatch.setattr("janoglot.core.edition.sound_world.compose", slowly)
        store = FolderStore(tmp_path)
        with ThreadPoolExecutor(4) as pool:
            found = list(pool.map(lambda _: Sounds(None, store).named({"composed": {"mood": "calm"}}).frames, range(4)))
        assert found == [48_000] * 4
        assert len(asked) == 1


class TestTheMix:
    def clips(self) -> list[Clip]:
        return [Clip(2.0, 2.0, -24.0, lambda: (tone(2.0, 220.0, 0.12), RATE)), Clip(6.0, 2.0, -24.0, lambda: (tone(2.0, 260.0, 0.12), RATE))]

    def under(self, **more: object) -> list[Track]:
        layer = Layer("music", "music", -14.0, duck=Duck(8.0))
        return under_tracks([PlacedCue(cue(at=Place(0.0), loop=True, **more), layer, 0.0, 10.0)], lambda one: CueSound(tone(3.0, 1000.0), -23.0), -16.0, [(2.0, 4.0), (6.0, 8.0)])

    def test_voices_and_what_is_under_them_sum_to_the_mix(self) -> None:
        whole = np.concatenate(list(render(self.clips(), 10.0, -16.0, 2, under=self.under())))
        voices = np.concatenate(list(render(self.clips(), 10.0, -16.0, 2)))
        beneath = np.concatenate(list(render([], 10.0, -16.0, 2, under=self.under())))
        assert 20 * np.log10(np.abs(whole - voices - beneath).max() + 1e-12) < -90

    def test_the_track_has_two_sides_its_loudness_and_its_ceiling(self, tmp_path: Path) -> None:
        report = mix_to_file(self.clips(), 10.0, tmp_path / "mix.wav", -16.0, under=self.under(pan=0.8))
        sound, rate = soundfile.read(tmp_path / "mix.wav")
        assert rate == RATE and sound.shape == (10 * RATE, 2)
        assert report.lufs == pytest.approx(-16.0, abs=0.1) and report.true_peak_db <= -0.99

    def test_voices_alone_are_as_they_were(self, tmp_path: Path) -> None:
        mix_to_file(self.clips(), 10.0, tmp_path / "a.wav", -16.0)
        assert soundfile.info(tmp_path / "a.wav").channels == 1


class TestWrittenDown:
    def test_a_whole_plan(self) -> None:
        plan = sound_plan_of({"layers": [{"name": "sea", "kind": "ambience", "level_db": -20, "duck": {"amount_db": 3}}], "cues": [
            {"layer": "sea", "sound": {"made": "surf"}, "at": 0, "loop": True, "points": [[0, 0], [3, -6]]},
            {"layer": "music", "sound": {"file": "theme.wav"}, "at": {"part": "Stair", "edge": "end", "seconds": 0.5}, "until": {"line": 4}}]})
        sea, music = plan.layers
        assert (sea.level_db, sea.duck.amount_db, music.kind, music.duck.amount_db) == (-20.0, 3.0, "music", 9.0)
        assert plan.cues[0].points == ((0.0, 0.0), (3.0, -6.0)) and plan.cues[1].at == Place(0.5, part="Stair", edge="end")

    @pytest.mark.parametrize("told", [
        [], {"layers": [{"kind": "smell"}]}, {"cues": [{"sound": {}}]}, {"cues": [{"sound": {"file": "x"}, "gain_db": 99}]},
        {"cues": [{"sound": {"file": "x"}, "at": {"line": 1, "edge": "middle"}}]}, {"cues": [{"sound": {"file": "x"}, "layer": "smell"}]},
        {"cues": [{"sound": {"file": "x"}, "fade_in": True}]}, {"layers": [{"kind": "bed", "pan": 3}]}])
    def test_what_is_none_is_refused(self, told: object) -> None:
        with pytest.raises(BadInput):
            sound_plan_of(told)


def test_an_edition_has_its_sound_world_from_the_command_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JANOGLOT_VAR", str(tmp_path / "var"))
    (tmp_path / "ferry.csv").write_text("part,speaker,in,out,en-GB,es-MX\nQuay,Pilot,0:02,0:04,The tide is turning now.,La marea está cambiando ya.\n"
                                        "Deck,Pilot,0:09,0:11,Everything waits for the tide.,Todo espera a la marea.\n")
    (tmp_path / "cast.json").write_text(json.dumps({"en-GB": {"Pilot": "curlew"}, "es-MX": {"Pilot": "azor"}}))
    soundfile.write(tmp_path / "theme.wav", np.stack([tone(3.0, 700.0), 0 * tone(3.0)], 1), RATE)
    (tmp_path / "cues.json").write_text(json.dumps({"layers": [{"name": "music", "kind": "music", "level_db": -12, "duck": {"amount_db": 0}}], "cues": [
        {"layer": "music", "sound": {"file": "theme.wav"}, "at": {"line": 2, "edge": "end", "seconds": 0.5}},
        {"layer": "music", "sound": {"file": "theme.wav"}, "at": {"line": 7}}]}))
    code = main(["dub", str(tmp_path / "ferry.csv"), "--cast", str(tmp_path / "cast.json"), "--ambience", "harbour at night",
                 "--cues", str(tmp_path / "cues.json"), "--out", str(tmp_path / "out")])
    assert code == 0
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    for tag in ("en-GB", "es-MX"):
        edition = report["editions"][tag]
        sound, rate = soundfile.read(tmp_path / "out" / tag / "mix.wav")
        assert sound.shape[1] == 2 and edition["integrated_lufs"] == pytest.approx(-16.0, abs=0.1)
        assert len(edition["cues_left_out"]) == 1
        # Between the lines the harbour is heard, on two sides.
        between = sound[round(6 * rate): round(7.5 * rate)]
        assert np.abs(between).max() > 0.003 and np.abs(between[:, 0] - between[:, 1]).max() > 0.001
    assert main(["dub", str(tmp_path / "ferry.csv"), "--ambience", "a unicorn", "--out", str(tmp_path / "no")]) != 0
