"""What is proposed of lines that a recording has otherwise than its speaker's usual."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.moods import level_of
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.source_acting import LineSound, by_speaker, line_sound, proposals
from janoglot.core.speech.takes import TakeRecipe

USUAL = LineSound(4.0, 6.0, -24.0, 4.5, 0.75)
PLAIN = ["The museum sends someone every ten years.", "Put your palm on the case and wait.", "It was built before anyone agreed.",
         "The letter is wrong and the clock is right.", "They deepened the channel in the spring."]


def with_usual(one: LineSound) -> dict[int, LineSound]:
    return {**{number: replace(USUAL, pitch=USUAL.pitch + 0.2 * number) for number in range(-3, 4)}, 99: one}


@pytest.mark.parametrize(("changed", "moods"), [
    ({"pitch": 9.5, "level": -16.5, "range": 4.5}, {"shouted"}),
    ({"pitch": 7.5, "range": 9.5, "pace": 5.4, "level": -21.5}, {"excited", "joyful"}),
    ({"pitch": 2.0, "range": 3.5, "pace": 3.6, "level": -27.5}, {"sad", "tired"}),
    ({"pace": 6.3, "pitch": 5.5, "level": -22.0}, {"urgent"}),
    ({"level": -32.0, "voiced": 0.35, "pace": 4.0}, {"whispered", "secretive"}),
])
def test_the_nearest_mood_is_proposed(changed: dict[str, float], moods: set[str]) -> None:
    found = proposals(with_usual(replace(USUAL, **changed)))
    assert list(found) == [99]
    [(name, strength)] = found[99].moods
    assert name in moods and 0.3 <= strength <= 1.5
    assert found[99].away["level"] == pytest.approx(changed.get("level", USUAL.level) - USUAL.level, abs=0.1)


def test_what_is_as_usual_and_who_says_little_are_left() -> None:
    assert proposals(with_usual(USUAL)) == {}
    assert proposals({1: USUAL, 2: replace(USUAL, level=-10.0)}) == {}


def test_each_speaker_has_a_usual_of_their_own() -> None:
    deep = {number: replace(USUAL, pitch=-6.0 + number / 10) for number in range(6)}
    high = {number: replace(USUAL, pitch=12.0 + number / 10) for number in range(10, 16)}
    assert by_speaker({**dict.fromkeys(deep, 1), **dict.fromkeys(high, 2)}, {**deep, **high}) == {}


def test_acted_lines_are_found_in_sound() -> None:
    voice, engine = voice_named("hawfinch"), engine_named("rich")
    sounds = {}
    for number, words in enumerate(PLAIN):
        spoken = engine.speak(TakeRecipe(words, voice, VoiceSettings().delivery, "en").utterance)
        sounds[number] = line_sound(spoken.samples, spoken.rate)
    for number, mood in ((50, "shouted"), (51, "tired"), (52, "whispered")):
        moods = ((mood, 1.0),)
        spoken = engine.speak(TakeRecipe(PLAIN[0], voice, VoiceSettings().delivery_in(moods), "en").utterance)
        sounds[number] = line_sound((spoken.samples * 10 ** (level_of(moods) / 20)).astype(np.float32), spoken.rate)
    found = proposals({line: sound for line, sound in sounds.items() if sound})
    assert found[50].moods[0][0] in ("shouted", "excited", "angry")
    assert found[51].moods[0][0] in ("tired", "sad", "calm", "gentle")
    assert found[52].moods[0][0] in ("whispered", "secretive") and found[52].away["pitch"] == 0


@pytest.mark.parametrize("samples", [np.zeros(48_000), np.zeros(0), np.random.default_rng(1).normal(0, 0.1, 48_000), np.full(48_000, np.nan)])
def test_silence_and_noise_are_nobody_s_line(samples: np.ndarray) -> None:  # type: ignore[type-arg]
    assert line_sound(samples.astype(np.float32), 24_000) is None
