"""Music cut to a length: joined on beats, as long as it is told, with its own beginning and its own ending."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest

from janoglot.core.errors import BadInput
from janoglot.core.mix.recut import MOST_JOINS, Beats, beats_of, cut, proposals
from janoglot.core.mix.sides import RATE, Floats32
from janoglot.core.mix.synthesis.composing import Composition, MusicMood, compose, score_of
from tests.core.test_blocks import speech

MOODS: tuple[MusicMood, ...] = ("hopeful", "playful", "sad")


@lru_cache(maxsize=4)
def piece(mood: MusicMood) -> tuple[Floats32, Beats]:
    made = compose(Composition(mood, seconds=48.0), 1)
    return made, beats_of(made)


@pytest.mark.parametrize("mood", MOODS)
def test_beats_are_found_where_they_were_played(mood: MusicMood) -> None:
    _, beats = piece(mood)
    # A beat or one of its halves or doubles: whichever, they fall on the notes.
    grid = score_of(Composition(mood, seconds=48.0), 1).beat / 2
    off = np.abs((beats.times / grid + 0.5) % 1 - 0.5) * grid
    assert np.median(off) < 0.05  # bowed strings set in slowly


@pytest.mark.parametrize("mood", MOODS)
@pytest.mark.parametrize("wanted", [36.4, 57.3, 71.0])
def test_it_is_as_long_as_it_is_told_and_joined_on_beats(mood: MusicMood, wanted: float) -> None:
    sound, beats = piece(mood)
    ways = proposals(beats, wanted)
    assert 1 <= len(ways) <= 3
    for way in ways:
        assert 1 <= len(way.joins) <= MOST_JOINS and abs(way.speed - 1) <= 0.0121
        made = cut(sound, way)
        assert len(made) / RATE == pytest.approx(wanted, abs=0.05)
        for (_, end), (start, _) in zip(way.pieces, way.pieces[1:], strict=False):
            for moment in (end, start):
                assert np.abs(beats.times - moment).min() < 0.03
        # Its own beginning and ending: the first second and the last are the piece's, a trace quicker or slower.
        assert way.pieces[0][0] == 0.0 and way.pieces[-1][1] == beats.seconds
        assert way.pieces[-1][1] - way.pieces[-1][0] >= 5.0 and way.pieces[0][1] >= 2.0


def test_joins_are_no_louder_and_no_quieter_than_the_rest() -> None:
    sound, beats = piece("hopeful")
    for way in proposals(beats, 57.3):
        made = cut(sound, way).mean(axis=1)
        step = np.abs(np.diff(made)).max()
        for join in way.joins:
            around = made[round((join - 0.04) * RATE): round((join + 0.04) * RATE)]
            assert np.abs(np.diff(around)).max() <= step
            longer = made[round((join - 1.5) * RATE): round((join + 1.5) * RATE)]
            assert 10 * np.log10((around**2).mean() / (longer**2).mean()) > -14


def test_three_ways_are_three() -> None:
    ends = [{round(end, 1) for _, end in way.pieces[:-1]} for way in proposals(piece("playful")[1], 71.0)]
    assert len(ends) == 3 and all(not a & b for index, a in enumerate(ends) for b in ends[:index])


def test_at_most_so_many_joins_and_as_it_is_where_it_fits() -> None:
    _, beats = piece("sad")
    assert all(len(way.joins) == 1 for way in proposals(beats, 60.0, most=1))
    assert proposals(beats, 48.05)[0].joins == ()
    with pytest.raises(BadInput):
        proposals(beats, 5.0)
    with pytest.raises(BadInput):
        proposals(beats, 500.0, most=2)


def test_what_has_no_beat_is_said_to_have_none() -> None:
    with pytest.raises(BadInput):
        beats_of(np.zeros((4 * RATE, 2), np.float32))


def test_kept_and_read_again(tmp_path: Path) -> None:
    _, beats = piece("sad")
    beats.write(tmp_path / "a.beats")
    again = Beats.read(tmp_path / "a.beats")
    assert np.array_equal(again.times, beats.times) and again.seconds == beats.seconds
    assert np.allclose(again.looks, beats.looks, atol=1e-6)
    assert speech(1, 0.1).dtype == np.float32


@pytest.mark.parametrize("first", [0, 1, 5])
def test_a_first_beat_at_the_very_beginning_is_a_beat_like_the_others(first: int, monkeypatch: pytest.MonkeyPatch) -> None:
    import librosa

    step = round(0.5 * RATE)
    sound = np.random.default_rng(3).normal(0, 0.1, 24 * step).astype(np.float32)
    heard = np.arange(first, 24 * step * 22_050 // RATE // 512, 22)
    monkeypatch.setattr(librosa.beat, "beat_track", lambda **told: (120.0, heard))
    found = beats_of(sound)
    assert len(found.looks) == len(found.times) == len(heard)
    assert proposals(found, 0.75 * len(sound) / RATE)
