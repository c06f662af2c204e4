"""Where voices are heard from: each room dies away as it says, lets through what it says, and is as loud as it says."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from janoglot.core.audio.loudness import measure
from janoglot.core.errors import BadInput
from janoglot.core.mix.cues import SoundPlan, VoicePlace, plan_as_json, sound_plan_of
from janoglot.core.mix.programme import Clip, VoiceTrack
from janoglot.core.mix.rooms import RATE, ROOM_NAMES, ROOMS, RoomName, in_room, response_of, tail_of
from janoglot.core.mix.sides import Floats32, Strip
from tests.core.test_blocks import speech

WALLED = [name for name in ROOM_NAMES if ROOMS[name].size]


def band_power(sound: Floats32, low: float, high: float) -> float:
    mono = sound if sound.ndim == 1 else sound.sum(1)
    hz, power = signal.welch(mono, RATE, nperseg=4_096)
    return float(10 * np.log10(power[(hz >= low) & (hz < high)].mean() + 1e-20))


@pytest.mark.parametrize("name", WALLED)
def test_it_dies_away_in_the_time_that_it_says(name: RoomName) -> None:
    response = response_of(name)
    assert response is not None
    after = (response[480:].astype(np.float64) ** 2).sum(1)
    # Schroeder's integral, from −5 to −25 dB.
    left = 10 * np.log10(np.cumsum(after[::-1])[::-1] / after.sum() + 1e-15)
    sixty = 3 * (np.argmax(left < -25) - np.argmax(left < -5)) / RATE
    low, high = min(ROOMS[name].reverb), max(ROOMS[name].reverb)
    assert 0.85 * low <= sixty <= 1.15 * high


@pytest.mark.parametrize("name", WALLED)
def test_what_comes_back_is_as_loud_as_it_says_and_comes_from_all_around(name: RoomName) -> None:
    response = response_of(name)
    assert response is not None
    back = 10 * np.log10((response[1:].astype(np.float64) ** 2).sum() / (response[0].astype(np.float64) ** 2).sum())
    assert back == pytest.approx(ROOMS[name].wet_db, abs=0.1)
    assert abs(np.corrcoef(response[480:].T)[0, 1]) < 0.4


@pytest.mark.parametrize("name", ROOM_NAMES)
def test_it_is_as_loud_as_it_says_without_dc_or_clipping(name: RoomName) -> None:
    voice = speech(4, 4.0)
    made = in_room(voice, name)
    assert measure(made, RATE).integrated - measure(voice, RATE).integrated == pytest.approx(ROOMS[name].level_db, abs=0.2)
    assert abs(float(made.mean())) < 1e-3 and np.isfinite(made).all()
    assert len(made) == len(voice) + round(tail_of(name) * RATE)


@pytest.mark.parametrize(("name", "low", "high"), [("telephone", 300, 3_400), ("two-way radio", 420, 2_700), ("next door", 100, 650)])
def test_a_device_or_a_wall_lets_its_band_through(name: RoomName, low: float, high: float) -> None:
    made = in_room(speech(5, 4.0), name)
    inside = band_power(made, low * 1.2, high / 1.2)
    assert band_power(made, high * 2.2, high * 3) < inside - 18 and band_power(made, 20, low / 3) < inside - 12


def test_half_of_it_is_between() -> None:
    voice = speech(6, 3.0)
    above = [band_power(in_room(voice, "telephone", amount), 6_000, 12_000) for amount in (0.0, 0.5, 1.0)]
    assert above[0] > above[1] > above[2]


def test_tails_run_on_under_the_next_line() -> None:
    clips = [Clip(at, 1.0, -20.0, lambda: (speech(8, 1.0), RATE), room=room, key=str(at)) for at, room in ((0.0, "hall"), (1.2, None))]  # type: ignore[misc, arg-type]
    both, alone = (VoiceTrack("Ash", some, -20.0, Strip()).piece(0, 4 * RATE) for some in (clips, clips[1:]))
    assert both.shape == (4 * RATE, 2)
    tail = both[round(1.2 * RATE):] - alone[round(1.2 * RATE):, None] * np.sqrt(0.5)
    assert np.sqrt((tail[:RATE] ** 2).mean()) > 1e-3
    # Nothing is cut: a minute later it is as it would be by itself.
    assert np.allclose(tail, VoiceTrack("Ash", clips[:1], -20.0, Strip()).piece(round(1.2 * RATE), 4 * RATE), atol=1e-6)


def test_a_line_fades_out_at_its_end() -> None:
    steady = (0.1 * np.sin(2 * np.pi * 500 * np.arange(2 * RATE) / RATE)).astype(np.float32)
    plain, faded = (VoiceTrack("Ash", [Clip(0.0, 2.0, -20.0, lambda: (steady, RATE), fade_out=seconds, key="a")], -20.0).piece(0, 2 * RATE) for seconds in (0.0, 1.0))
    level = [20 * np.log10(np.abs(one[round(1.5 * RATE) - 200: round(1.5 * RATE) + 200]).max()) for one in (plain, faded)]
    assert level[1] - level[0] == pytest.approx(-3.0, abs=0.15) and np.abs(faded[-20:]).max() < 1e-3
    assert np.allclose(plain[:RATE], faded[:RATE])


class TestWhere:
    def test_what_says_more_of_a_line_wins(self) -> None:
        plan = SoundPlan(places=(VoicePlace("hall", part="Stair"), VoicePlace("near", speaker="Ash"), VoicePlace("telephone", line="7")))
        rooms = [found.room if (found := plan.place_of(*((name,) for name in line))) else None for line in (("Orrin", "Stair", "1"), ("Ash", "Stair", "2"), ("Ash", "Stair", "7"), ("Orrin", "", "3"))]
        assert rooms == ["hall", "near", "telephone", None]

    def test_an_edition_may_differ(self) -> None:
        plan = sound_plan_of({"layers": [{"name": "music", "kind": "music", "level_db": -12}], "speakers": [{"speaker": "Ash", "pan": -0.4}],
                              "cues": [{"id": "a", "layer": "music", "sound": {"made": "rain"}, "at": 3}],
                              "editions": {"de-DE": {"layers": {"music": {"level_db": -20, "duck": {"amount_db": 14}}}, "speakers": {"Ash": {"mute": True}}, "cues": {"a": {"off": True}}}}})
        german, other = plan.in_edition("de-DE"), plan.in_edition("es-MX")
        assert (german.layers[0].level_db, german.layers[0].duck.amount_db, german.layers[0].duck.lead) == (-20.0, 14.0, 0.35)
        assert german.strip_of(("#1", "Ash")).mute and german.strip_of(("Ash",)).pan == -0.4 and german.cues[0].off
        assert other is plan and sound_plan_of(plan_as_json(plan)) == plan

    @pytest.mark.parametrize("told", [{"places": [{"room": "cellar"}]}, {"bed": {"use": "perhaps"}}, {"speakers": [{"speaker": "Ash", "pan": 3}]}])
    def test_what_makes_no_sense_is_refused(self, told: dict[str, object]) -> None:
        with pytest.raises(BadInput):
            sound_plan_of(told)
