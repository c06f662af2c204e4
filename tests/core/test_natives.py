"""Voices that speak their own language, what hears them, and how Mandarin and Japanese are read."""

from __future__ import annotations

import itertools
import os
import subprocess
import sys
from collections import Counter
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from janoglot.core.errors import BadInput
from janoglot.core.languages import primary
from janoglot.core.speech.acoustics import VoiceMeasure
from janoglot.core.speech.casting import cast_rest
from janoglot.core.speech.catalogue import catalogue, voice_named, voices_for
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.japanese import japanese_words
from janoglot.core.speech.engines.mandarin import mandarin_words
from janoglot.core.speech.engines.neural_graph import find_source
from janoglot.core.speech.engines.rich import RichEngine, natives_missing
from janoglot.core.speech.heard import compare
from janoglot.core.speech.intelligibility import error_rate, sentences, understood, units_of
from janoglot.core.speech.match import ALIKE, far
from janoglot.core.speech.measures import known_measure
from janoglot.core.speech.native_voices import native_voices
from janoglot.core.speech.recogniser import RecogniserMissing, goes_round, prepare_recogniser, recognise, taken_for
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.voice_table import at_home
from janoglot.core.speech.voices import Voice
from janoglot.core.speech.weights import weights_root

WANTED = {"en-US": 22, "en-GB": 16, "es": 12, "fr-FR": 10, "it-IT": 10, "pt-BR": 10, "hi-IN": 10, "ja-JP": 10, "zh-CN": 12}


def measured(voice: Voice) -> VoiceMeasure:
    found = known_measure(voice)
    assert found is not None, voice.name
    return found


class TestCast:
    @pytest.mark.parametrize(("language", "count"), WANTED.items())
    def test_there_are_enough_at_home_in_it_of_every_age(self, language: str, count: int) -> None:
        voices = [voice for voice in at_home(language) if "-" not in language or voice.locale == language]
        assert len(voices) >= count
        assert {"child", "20s", "40s", "60s"} <= {voice.age for voice in voices} | ({"20s"} if language == "ja-JP" else set())
        assert len({voice.register for voice in voices}) >= 4

    def test_each_has_a_name_of_its_own_and_styles_that_are_there(self) -> None:
        engine = engine_named("rich")
        assert isinstance(engine, RichEngine)
        styles = {base.id for base in engine.bases()}
        counted = Counter(native.name.lower() for native in native_voices())
        assert max(counted.values()) == 1
        assert all(set(native.shares) <= styles for native in native_voices())
        assert set(counted) <= set(catalogue())

    @pytest.mark.parametrize("language", ["en-GB", "es-MX", "fr-FR", "zh-CN", "hi-IN"])
    def test_natives_come_first(self, language: str) -> None:
        first = voices_for(language)[: 8]
        assert all(voice.is_rich and voice.is_native(language) for voice in first)
        assert first[0].locale == language

    @pytest.mark.parametrize("language", ["en-US", "en-GB", "es-ES", "fr-FR", "it-IT", "pt-BR", "hi-IN", "zh-CN"])
    def test_eight_of_a_cast_are_natives_and_told_apart(self, language: str) -> None:
        voices = [voice_named(one) for one in cast_rest([f"S{n}" for n in range(8)], language, {}).values()]
        assert all(voice.is_native(language) for voice in voices)
        assert min(far(measured(a), measured(b)) for a in voices for b in voices if a is not b) > ALIKE

    @pytest.mark.parametrize("language", ["en", "es", "fr", "it", "pt", "hi", "zh"])
    def test_no_two_natives_of_a_language_are_as_near_as_one_voice_to_itself(self, language: str) -> None:
        voices = [voice for voice in catalogue().values() if voice.is_rich and primary(voice.locale) == language]
        assert all(measured(voice).speaker for voice in voices), "heard by the speaker encoder"
        near = min((far(measured(a), measured(b)), a.name, b.name) for a, b in itertools.combinations(voices, 2))
        assert near[0] > ALIKE, near

    def test_without_their_styles_all_else_works_and_that_is_said(self, tmp_path: Path) -> None:
        assert (natives_missing(), find_source(weights_root()).natives is None) == ("", False)
        (tmp_path / "rich").symlink_to(weights_root() / "rich")
        code = ("from janoglot.core.speech.catalogue import catalogue\nfrom janoglot.core.speech.engines.rich import natives_missing\n"
                "rich = [v for v in catalogue().values() if v.is_rich]\nprint(len(rich), {v.locale for v in rich}, natives_missing())")
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, env={**os.environ, "JANOGLOT_RICH_ROOT": str(tmp_path)})
        assert done.stdout.startswith("42 {'ja-JP'} Voices at home in other languages"), done.stderr


class TestReading:
    @pytest.mark.parametrize(("words", "wanted"), [
        ("我想", ["wo↗", "ɕja↓ŋ"]), ("不要", ["pu↗jau↘"]), ("不好", ["pu↘xau↓"]), ("一个", ["i↗kɤ↘"]), ("第一", ["ti↘i→"]), ("一天", ["i↘tʰjɛ→n"]),
        ("妈", ["ma→"]), ("麻", ["ma↗"]), ("马", ["ma↓"]), ("骂", ["ma↘"]), ("12", ["ʂɨ↗ɚ↘"]), ("银行", ["i↗nxa↗ŋ"]), ("行走", ["ɕi↗ŋʦou↓"]),
    ])
    def test_mandarin_has_its_tones_as_they_change(self, words: str, wanted: list[str]) -> None:
        assert [word.ipa for word in mandarin_words(words)] == wanted

    def test_mandarin_words_keep_their_places_beside_other_writing(self) -> None:
        engine = engine_named("rich")
        assert isinstance(engine, RichEngine)
        words = "请用 FM 收听，12点。"
        said = engine.said(words, "zh-CN")
        assert [words[one.at: one.at + one.length] for one in said][:2] == ["请", "用"]
        assert "FM" in [words[one.at: one.at + one.length] for one in said]
        assert all(one.ipa for one in said)

    @pytest.mark.parametrize(("words", "wanted"), [
        ("今日", "kʲoː"), ("大人", "otona"), ("三日", "mʲiʔka"), ("一人", "çitoɾʲi"), ("上手", "ʥoːzɨ"), ("時計", "tokeː"),
    ])
    def test_japanese_kanji_are_read_as_words(self, words: str, wanted: str) -> None:
        assert "".join(word.ipa for word in japanese_words(words)) == wanted

    def test_japanese_words_keep_their_places_and_numbers_are_counted(self) -> None:
        words = "古い時計は、3日で直る。"
        said = list(japanese_words(words))
        assert [words[one.at: one.at + one.length] for one in said] == ["古い", "時計", "は", "3日", "で", "直る"]
        assert said[3].ipa == "mʲiʔka"

    def test_only_what_is_read_otherwise_is_another_take(self) -> None:
        voice = voice_named("cormorant")
        assert TakeRecipe("Mind it.", voice, language="en-GB").hash == TakeRecipe("Mind it.", replace(voice, name="x"), language="en-GB").hash
        engine = engine_named("rich")
        assert [bool(engine.reading(tag, "Tide.")) for tag in ("ja-JP", "en-GB", "zh-CN", "de-DE")] == [True, False, False, False]


class TestHearing:
    @pytest.mark.parametrize(("said", "heard", "language", "wanted"), [
        ("the tide is late", "The tide was late.", "en", 0.25), ("the tide is late", "tide is very late", "en", 0.5), ("harbour", "Harbor", "en", 0.0),
        ("旧钟在港口", "旧钟在海口。", "zh", 0.2), ("L'eau monte", "l’eau monte", "fr", 0.0), ("Niño", "niño!", "es", 0.0)])
    def test_errors_are_counted_by_words_or_characters(self, said: str, heard: str, language: str, wanted: float) -> None:
        assert error_rate(said, heard, language) == pytest.approx(wanted)

    def test_words_are_what_people_count(self) -> None:
        assert units_of("Don't — she said: “Go!”", "en") == ["don't", "she", "said", "go"]

    @pytest.mark.parametrize(("voice", "language"), [("mockingbird", "en-US"), ("mirlo", "es-ES"), ("usignolo", "it-IT"), ("uirapuru", "pt-BR")])
    def test_natives_are_understood_and_taken_for_natives(self, voice: str, language: str) -> None:
        found = understood(voice_named(voice), language, sentences(language)[:5])
        assert found.error < 0.12, found.heard
        assert found.native > 0.9

    def test_the_recogniser_does_not_go_round_in_one_place(self) -> None:
        """In these two sentences it writes full stops for ever after the first, where nothing keeps it from that."""
        found = understood(voice_named("papiha"), "hi-IN", sentences("hi-IN")[:2])
        (said, heard), = found.heard
        assert not goes_round(heard)
        assert compare(said, heard, "hi-IN").error < 0.3, heard
        assert found.native > 0.98, "Hindi in everyday words is Urdu"

    @pytest.mark.parametrize(("heard", "wanted"), [
        ("He is there . . . . . . . .", True), ("He is there . . . . . . .", False), ("you do not " * 8, True), ("you do not " * 7, False),
        ("one two three four " * 8, True), ("No, no, no, no, no! And no again, no.", False), ("", False), ("۔ " * 40, True)])
    def test_what_goes_round_is_told_from_what_is_said_again(self, heard: str, wanted: bool) -> None:
        assert goes_round(heard) == wanted

    def test_short_sounds_and_silence_are_no_trouble(self) -> None:
        assert isinstance(recognise(np.zeros(800, np.float32), 16_000, "en-GB"), str)
        assert sum(taken_for(np.zeros(16_000, np.float32), 16_000).values()) == pytest.approx(1.0, abs=0.01)

    def test_what_is_missing_is_said(self, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
        monkeypatch.setenv("JANOGLOT_RECOGNISER", str(tmp_path / "none"))
        with pytest.raises(RecogniserMissing, match="no recogniser's model"):
            prepare_recogniser(weights_root())
        with pytest.raises(BadInput, match="no sentences to measure"):
            sentences("haw")
