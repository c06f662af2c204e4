"""Music that is composed: as long as it is told, in its key, on its beat, with an ending; and each instrument in tune."""

from __future__ import annotations

import numpy as np
import pytest

from janoglot.core.audio.loudness import measure
from janoglot.core.errors import BadInput
from janoglot.core.mix.synthesis.base import RATE
from janoglot.core.mix.synthesis.composing import (
    MUSIC_MOODS,
    Composition,
    MusicMood,
    compose,
    composition_key,
    composition_of,
    score_of,
)
from janoglot.core.mix.synthesis.instruments import INSTRUMENTS
from janoglot.core.mix.synthesis.shipped import shipped_sounds

SCALES = {"major": {0, 2, 4, 5, 7, 9, 11}, "minor": {0, 2, 3, 5, 7, 8, 10, 11}, "dorian": {0, 2, 3, 5, 7, 9, 10, 11}}


@pytest.mark.parametrize("mood", MUSIC_MOODS)
def test_a_piece_is_as_long_as_it_is_told_and_ends(mood: MusicMood) -> None:
    sound = compose(Composition(mood, seconds=24.0), 1)
    assert sound.shape == (24 * RATE, 2) and np.abs(sound).max() < 0.9
    assert abs(float(sound.mean())) < 1e-6
    # It rings on and is gone: no note is cut off by the end.
    assert np.abs(sound[-200:]).max() < 0.003 and np.abs(sound[-3 * RATE: -2 * RATE]).max() > 0.01
    assert measure(sound.mean(axis=1), RATE, peaks=False).integrated == pytest.approx(-26.0, abs=0.3)


@pytest.mark.parametrize("mood", MUSIC_MOODS)
@pytest.mark.parametrize("number", [0, 3])
def test_every_note_is_of_its_key_and_it_comes_home(mood: MusicMood, number: int) -> None:
    piece = Composition(mood, tonic=5, seconds=60.0)
    score = score_of(piece, number)
    pitches = {(note.pitch - piece.tonic) % 12 for note in score.notes if note.instrument != "brush"}
    assert pitches <= SCALES[piece.manner.scale]
    last = max(note.at for note in score.notes)
    assert 0 in {(note.pitch - piece.tonic) % 12 for note in score.notes if note.at == last}
    assert all(INSTRUMENTS[note.instrument].low <= note.pitch <= INSTRUMENTS[note.instrument].high for note in score.notes)


def test_phrases_come_again_and_a_number_is_a_piece() -> None:
    score = score_of(Composition("hopeful", seconds=90.0), 2)
    lead = "piano"
    bars = {bar: [(round(note.at - 4 * bar, 3), note.pitch) for note in score.notes if note.instrument == lead and 4 * bar <= note.at < 4 * bar + 4 and note.beats < 2.5] for bar in (6, 22)}
    assert bars[6] and bars[6] == bars[22]
    piece = Composition("calm", seconds=12.0)
    assert np.array_equal(compose(piece, 5), compose(piece, 5)) and not np.array_equal(compose(piece, 5), compose(piece, 6))
    assert composition_key(piece, 5) != composition_key(piece, 6)


def test_a_tempo_is_kept_as_near_as_whole_phrases_let_it() -> None:
    assert score_of(Composition("lively", tempo=120.0, seconds=67.0)).tempo == pytest.approx(120.0, rel=0.1)


@pytest.mark.parametrize("name", [name for name in INSTRUMENTS if name not in ("brush", "bells")])
@pytest.mark.parametrize("pitch", [48, 60, 72])
def test_instruments_are_in_tune(name: str, pitch: int) -> None:
    instrument = INSTRUMENTS[name]
    while pitch < instrument.low:
        pitch += 12
    while pitch > instrument.high:
        pitch -= 12
    hz = 440 * 2 ** ((pitch - 69) / 12)
    sound = instrument.play(hz, 1.2, 0.6, np.random.default_rng(3))
    piece = sound[round(0.3 * RATE): round(1.3 * RATE)] * np.hanning(round(1.3 * RATE) - round(0.3 * RATE))
    spectrum = np.abs(np.fft.rfft(piece, 8 * RATE))
    low, high = round(hz * 0.94 * 8), round(hz * 1.06 * 8)
    found = (low + int(np.argmax(spectrum[low:high]))) / 8
    assert abs(1200 * np.log2(found / hz)) < 12, "within twelve cents"
    assert np.isfinite(sound).all() and np.abs(sound[-20:]).max() < 0.05 * np.abs(sound).max()


@pytest.mark.parametrize("told", [{"mood": "bored"}, {"instruments": ["kazoo"]}, {"tempo": 300}, {"seconds": 3}, {"key": "H moll"}])
def test_what_is_none_is_refused(told: dict[str, object]) -> None:
    with pytest.raises(BadInput):
        composition_of(told)


def test_what_comes_with_the_program_is_forty_sounds_and_six_pieces() -> None:
    kinds = [one.kind for one in shipped_sounds()]
    assert len(kinds) - kinds.count("music") >= 40 and kinds.count("music") == 6
    assert len({one.id for one in shipped_sounds()}) == len(kinds) and all(one.tags for one in shipped_sounds())
    for one in shipped_sounds():
        if one.kind == "music":
            assert composition_of(one.sound["composed"]).seconds >= 30


@pytest.mark.parametrize("told", [True, "harp", 7, {"harp": 1}, None])
def test_instruments_that_are_no_list_are_the_moods_own(told: object) -> None:
    assert composition_of({"mood": "calm", "instruments": told}).instruments == ()
