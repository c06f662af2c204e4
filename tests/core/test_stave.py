"""What is directed of single words, measured on the sound; and the stave, which is there before it."""

from __future__ import annotations

import json
from dataclasses import asdict
from functools import cache

import numpy as np
import parselmouth
import pytest

from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.directing import DirectionMark, directed, marks_of
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery, Mark, Spoken
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.recipe_json import _delivery
from janoglot.core.speech.stave import stave_of, stave_words
from janoglot.core.speech.takes import TakeRecipe

LINE = "Mind the third step, and the door behind it, for the winter was hard."
STEP, DOOR, WINTER, HARD = 3, 6, 11, 13
AND = 4


def recipe(*marks: DirectionMark, voice: str = "hobby", words: str = LINE) -> TakeRecipe:
    return TakeRecipe(words, voice_named(voice), directed(Delivery(), marks, words), "en-GB")


@cache
def said(*marks: DirectionMark, voice: str = "hobby") -> Spoken:
    one = recipe(*marks, voice=voice)
    return engine_named(one.voice.engine).speak(one.utterance)


def span(spoken: Spoken, word: int) -> tuple[float, float]:
    words = stave_words(LINE, spoken.words)
    return words[word].start, words[word].end


def pitch(spoken: Spoken, word: int) -> float:
    """Median pitch of a word, in semitones above 100 Hz."""
    start, end = span(spoken, word)
    sound = parselmouth.Sound(spoken.samples.astype(np.float64), spoken.rate)
    track = sound.to_pitch_ac(time_step=0.005, pitch_floor=60, pitch_ceiling=400)
    hertz = track.selected_array["frequency"]
    inside = hertz[(track.xs() >= start) & (track.xs() <= end) & (hertz > 0)]
    return float(12 * np.log2(np.median(inside) / 100))


def level(spoken: Spoken, word: int) -> float:
    start, end = (round(one * spoken.rate) for one in span(spoken, word))
    return float(10 * np.log10(np.mean(spoken.samples[start:end] ** 2)))


def silence(spoken: Spoken, word: int) -> float:
    """Seconds of quiet before a word, looked for around where it is marked."""
    frame = spoken.rate // 400
    count = len(spoken.samples) // frame
    loud = np.sqrt((spoken.samples[: count * frame].reshape(count, frame) ** 2).mean(1))
    quiet = loud < loud.max() * 10 ** (-36 / 20)
    at = round(span(spoken, word)[0] * 400)
    runs, length = [0], 0
    for here in range(max(0, round(span(spoken, word - 1)[1] * 400) - 40), min(count, at + 24)):
        length = length + 1 if quiet[here] else 0
        runs.append(length)
    return max(runs) / 400


class TestMeasured:
    @pytest.mark.parametrize("seconds", [0.2, 0.5, 1.0])
    @pytest.mark.parametrize(("word", "near"), [(DOOR, 0.06), (AND, 0.1)])
    def test_a_gap_lasts_as_long_as_it_is_set(self, word: int, near: float, seconds: float) -> None:
        # Before "and" the lips are closed for the p of "step" as well.
        assert silence(said(DirectionMark("gap", word, seconds)), word) == pytest.approx(seconds, abs=near)

    def test_a_pause_at_a_comma_can_be_taken_out(self) -> None:
        plain, other = said(), said(DirectionMark("gap", AND, 0.0))
        assert silence(other, AND) < 0.7 * silence(plain, AND)
        assert other.seconds < plain.seconds - 0.05

    @pytest.mark.parametrize("pace", [0.8, 1.25])
    @pytest.mark.parametrize("word", [2, DOOR, HARD])
    def test_a_word_is_quicker_or_slower(self, word: int, pace: float) -> None:
        plain, other = said(), said(DirectionMark("pace", word, pace))
        (a, b), (c, d) = span(plain, word), span(other, word)
        assert (d - c) / (b - a) == pytest.approx(1 / pace, rel=0.1)
        # Nothing else moves.
        assert span(other, word - 1)[1] - span(other, 0)[0] == pytest.approx(span(plain, word - 1)[1] - span(plain, 0)[0], abs=0.03)

    @pytest.mark.parametrize("semitones", [3.0, -3.0])
    def test_a_word_is_lifted_and_its_neighbours_hardly(self, semitones: float) -> None:
        plain, other = said(), said(DirectionMark("lift", WINTER, semitones))
        assert pitch(other, WINTER) - pitch(plain, WINTER) == pytest.approx(semitones, abs=0.7)
        for near in (WINTER - 1, WINTER + 1):
            assert abs(pitch(other, near) - pitch(plain, near)) < 1.0

    @pytest.mark.parametrize("voice", ["blackcap", "hawfinch"])
    def test_the_end_of_a_line_is_turned_up_where_it_is_heard(self, voice: str) -> None:
        """The last sound holds a silence that is cut: the turn is over before it."""
        words = "And what do they find?"
        engine, one = engine_named("rich"), voice_named(voice)
        assert isinstance(engine, RichEngine)
        before, after = (engine.melody(TakeRecipe(words, one, directed(Delivery(), marks, words), "en-GB").utterance).hz
                         for marks in ((), (DirectionMark("turn", 3, 7.0, 2),)))
        sung = np.flatnonzero((before > 0) & (after > 0))
        risen = 12 * np.log2(after[sung] / before[sung])
        assert risen[: len(sung) // 2].max() < 0.5
        assert risen[-8:-3].min() > 4

    def test_the_end_of_a_phrase_is_turned_up(self) -> None:
        plain, other = said(), said(DirectionMark("turn", HARD, 6.0))
        assert abs(pitch(other, WINTER) - pitch(plain, WINTER)) < 0.5
        engine = engine_named("rich")
        assert isinstance(engine, RichEngine)
        before, after = (engine.melody(recipe(*marks).utterance).hz for marks in ((), (DirectionMark("turn", HARD, 6.0),)))
        sung = np.flatnonzero(before > 60)
        moved = 12 * np.log2(after[sung] / before[sung])
        assert 4.0 < moved[-8:].max() <= 6.001
        assert np.abs(moved[: len(moved) // 2]).max() < 0.01

    def test_a_range_is_flattened(self) -> None:
        engine = engine_named("rich")
        assert isinstance(engine, RichEngine)
        plain, flat = (engine.melody(recipe(*marks).utterance).hz for marks in ((), (DirectionMark("range", 0, 0.2, 14),)))
        spread = [float(np.std(12 * np.log2(hz[hz > 0]))) for hz in (plain, flat)]
        assert spread[1] < 0.6 * spread[0]

    @pytest.mark.parametrize("decibels", [-6.0, 5.0])
    def test_a_word_is_louder_or_softer(self, decibels: float) -> None:
        plain, other = said(), said(DirectionMark("level", DOOR, decibels))
        moved = (level(other, DOOR) - level(other, 2)) - (level(plain, DOOR) - level(plain, 2))
        assert moved == pytest.approx(decibels, abs=1.3)

    def test_a_stress_played_down_is_the_other_way_round(self) -> None:
        plain, up, down = said(), said(DirectionMark("stress", WINTER, 1.0)), said(DirectionMark("stress", WINTER, -1.0))
        assert pitch(up, WINTER) > pitch(plain, WINTER) > pitch(down, WINTER)

    def test_lengths_stay_exact_and_slots_are_met(self) -> None:
        engine = engine_named("rich")
        marks = (DirectionMark("gap", AND, 0.4), DirectionMark("pace", 2, 0.8, 2), DirectionMark("lift", DOOR, 3.0),
                 DirectionMark("level", DOOR, 3.0), DirectionMark("turn", HARD, 4.0), DirectionMark("range", 8, 1.5, 3))
        one = recipe(*marks)
        known = engine.lengths(one.utterance)
        assert known is not None and engine.speak(one.utterance).seconds == pytest.approx(known.seconds, abs=1e-6)
        slot = known.seconds * 0.93
        assert 0 <= slot - engine.speak(one.utterance, slot).seconds <= 0.0251

    @pytest.mark.parametrize(("kind", "amount"), [("pace", 0.7), ("gap", 0.5), ("lift", 4.0), ("level", -9.0)])
    def test_a_sketch_sounds_like_it_already(self, kind: str, amount: float) -> None:
        plain = said(voice="avocet")
        other = said(DirectionMark(kind, DOOR, amount), voice="avocet")  # type: ignore[arg-type]
        if kind == "lift":
            assert pitch(other, DOOR) - pitch(plain, DOOR) > 1.5
        elif kind == "level":
            assert (level(other, DOOR) - level(other, 2)) - (level(plain, DOOR) - level(plain, 2)) < -3
        else:
            assert other.seconds > plain.seconds + 0.05


class TestStave:
    def test_it_is_the_sound_before_there_is_any(self) -> None:
        spoken, stave = said(), stave_of(recipe())
        assert stave is not None and stave.melody is not None
        assert stave.seconds == pytest.approx(spoken.seconds, abs=1e-6)
        assert [word.text for word in stave.words] == LINE.split()
        sound = parselmouth.Sound(spoken.samples.astype(np.float64), spoken.rate)
        track = sound.to_pitch_ac(time_step=stave.melody.step, pitch_floor=60, pitch_ceiling=400)
        sung = np.interp(track.xs(), np.arange(len(stave.melody.hz)) * stave.melody.step, stave.melody.hz)
        both = (track.selected_array["frequency"] > 0) & (sung > 60)
        assert both.sum() > 40
        assert np.corrcoef(np.log(sung[both]), np.log(track.selected_array["frequency"][both]))[0, 1] > 0.8

    def test_words_said_as_one_share_its_time(self) -> None:
        words = stave_words("end of the wall", (Mark(0.0, 0.4, 0, 3), Mark(0.4, 0.8, 4, 6), Mark(0.8, 1.2, 11, 4)))
        assert [(word.text, word.start, word.end) for word in words] == [
            ("end", 0.0, 0.4), ("of", 0.4, 0.5333), ("the", 0.6, 0.8), ("wall", 0.8, 1.2)]

    def test_of_a_voice_that_only_sounds_nothing_is_known(self) -> None:
        assert stave_of(recipe(voice="avocet")) is None

    def test_a_plan_of_a_mix_keeps_what_is_directed(self) -> None:
        marks = (DirectionMark("gap", AND, 0.4), DirectionMark("lift", DOOR, 3.0), DirectionMark("stress", 2, 1.0))
        delivery = directed(Delivery(), marks, LINE)
        assert _delivery(json.loads(json.dumps(asdict(delivery)))) == delivery
        # One from before there were any.
        old = {name: value for name, value in asdict(Delivery()).items() if name != "marks"}
        assert hash(_delivery(json.loads(json.dumps(old)))) == hash(Delivery())

    def test_what_changes_nothing_is_the_same_take(self) -> None:
        marks = marks_of([{"kind": "pace", "word": 1, "amount": 1.0}, {"kind": "lift", "word": 2, "amount": 0},
                          {"kind": "range", "word": 0, "amount": 1, "count": 3}], LINE)
        assert marks == () and recipe(*marks).hash == recipe().hash
        assert recipe(DirectionMark("lift", 2, 1.0)).hash != recipe().hash
