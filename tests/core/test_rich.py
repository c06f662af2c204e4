"""The rich voices: tokens, lengths before sound, delivery, sketches. Sound is made here, so lines are short."""

from __future__ import annotations

import csv
import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.audio.loudness import measure
from janoglot.core.errors import EngineError
from janoglot.core.speech.acoustics import measure_voice
from janoglot.core.speech.casting import cast_rest
from janoglot.core.speech.catalogue import catalogue, voice_named, voices_for
from janoglot.core.speech.engines import engine_named, formant_engine
from janoglot.core.speech.engines.base import KEPT_LUFS, Delivery, Samples, Shaping, Spoken, Utterance
from janoglot.core.speech.engines.neural_graph import (
    RichVoicesMissing,
    Source,
    _joined,
    _with_fused_norms,
    find_source,
    graph_folder,
    is_prepared,
)
from janoglot.core.speech.engines.rich import RichEngine, blend_of, providers
from janoglot.core.speech.engines.rich_frames import FRAME, RATE
from janoglot.core.speech.engines.rich_tokens import Token, in_pieces, missing_symbols, network_symbols, tokens_of
from janoglot.core.speech.intelligibility import sentences
from janoglot.core.speech.rich_voices import TONGUES
from janoglot.core.speech.takes import TakeRecipe, finish_key, make_rendition, make_sketch, make_take, read_sound
from janoglot.core.speech.trimming import audible_span, scaled_pauses
from janoglot.core.speech.understanding import hear, heard_speaking
from janoglot.core.speech.voice_table import coverage
from janoglot.core.speech.weights import weights_root
from janoglot.core.store import FolderStore
from tests.core.conftest import DEMO
from tests.core.shapes import apart

RICH = [voice for voice in catalogue().values() if voice.is_rich]
LINE = "Mind the third step."


def rich_engine() -> RichEngine:
    engine = engine_named("rich")
    assert isinstance(engine, RichEngine)
    return engine


def utterance(words: str, voice: str = "cormorant", language: str = "en-GB", **delivery: object) -> Utterance:
    found = voice_named(voice)
    return Utterance(words, found.base, found.shaping, Delivery(**delivery), language)  # type: ignore[arg-type]


def onsets(samples: Samples, rate: int) -> np.ndarray:
    """Seconds at which sound sets in after at least 90 ms of quiet."""
    frame = rate // 200
    count = len(samples) // frame
    level = np.sqrt((samples[: count * frame].reshape(count, frame) ** 2).mean(axis=1))
    loud = level > level.max() * 10 ** (-38 / 20)
    found = [n for n in np.flatnonzero(loud) if not loud[max(0, n - 18): n].any()]
    return np.array(found) * frame / rate


class TestSetUp:
    def test_the_parts_are_made_once_and_named_by_their_recipe(self) -> None:
        source = find_source()
        folder = graph_folder(source, weights_root())
        assert is_prepared(folder)
        assert graph_folder(replace(source, checksum="0" * 64), weights_root()) != folder

    def test_what_is_missing_is_said_with_what_to_do(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setenv("JANOGLOT_RICH_MODEL", "/nowhere/model.onnx")
        with pytest.raises(RichVoicesMissing, match=r"no model /nowhere/model\.onnx"):
            find_source()

    def test_a_users_own_copy_brings_its_own_voices(self, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
        with np.load(find_source().styles[0]) as tables:
            np.savez(tmp_path / "own.npz", bf_harbour=tables["jf_nezumi"])
        monkeypatch.setenv("JANOGLOT_RICH_VOICES", str(tmp_path / "own.npz"))
        engine = RichEngine(formant_engine())
        assert ("bf_harbour", "en-GB") in [(base.id, base.locale) for base in engine.bases()]
        assert len(engine.bases()) == len(rich_engine().bases()) + 1
        assert engine.own_pitch("bf_harbour") > 100

    def test_damaged_weights_are_refused(self, tmp_path: Path) -> None:
        (tmp_path / "part.bin").write_bytes(b"not a model")
        with pytest.raises(EngineError, match="checksum differs"):
            _joined(Source((tmp_path / "part.bin",), "0" * 64, (), tmp_path))


class TestTokens:
    @pytest.mark.parametrize(("ipa", "locale", "wanted"), [
        ("mˈaɪnd", "en-US", "mˈInd"), ("tʃˈɜːtʃ", "en-US", "ʧˈɜɹʧ"), ("tʃˈɜːtʃ", "en-GB", "ʧˈɜːʧ"),
        ("ɡˈəʊ", "en-GB", "ɡˈQ"), ("bˈaɪ", "de-DE", "bˈaɪ"), ("b\u00f5", "fr-FR", "bo\u0303"), ("ʃˈaħ", "ar-EG", "ʃˈax"),
    ])
    def test_sounds_are_written_as_the_network_knows_them(self, ipa: str, locale: str, wanted: str) -> None:
        assert network_symbols(ipa, locale) == wanted

    def test_words_keep_their_places_and_marks_become_pauses(self) -> None:
        engine, words = rich_engine(), "Wait (here), please… Now?"
        tokens = tokens_of(words, engine.said(words, "en-GB"), "en-GB", engine.vocabulary)
        assert sorted({token.at for token in tokens if token.at >= 0}) == [0, 6, 13, 21]
        assert [token.symbol for token in tokens if token.is_pause] == [" ", ",", " ", "…", " ", "?"]

    def test_sounds_that_are_lacking_are_counted(self) -> None:
        assert missing_symbols("ħa", "ar-EG", rich_engine().vocabulary) == (1, 2)
        assert missing_symbols("mˈaɪnd", "en-GB", rich_engine().vocabulary)[0] == 0

    @given(st.lists(st.sampled_from([*"abc", " ", ",", ".", "—"]), min_size=1, max_size=400), st.integers(20, 60))
    def test_pieces_fit_and_lose_nothing(self, symbols: list[str], most: int) -> None:
        tokens = [Token(symbol, 0 if symbol in "abc" else -1) for symbol in symbols]
        pieces = in_pieces(tokens, most)
        assert [token for piece in pieces for token in piece] == tokens
        assert all(0 < len(piece) <= most for piece in pieces)

    def test_pieces_end_at_sentences_where_they_can(self) -> None:
        tokens = [Token(ch, 0 if ch.isalpha() else -1) for ch in "aaaa bbbb, cccc. dddd eeee, ffff."]
        assert ["".join(t.symbol for t in piece) for piece in in_pieces(tokens, 20)] == [
            "aaaa bbbb, cccc. ", "dddd eeee, ffff."]

    def test_a_blend_is_shared_out(self) -> None:
        assert blend_of("one=3 other=1") == {"one": 0.75, "other": 0.25}


@pytest.mark.afresh
class TestLengths:
    @pytest.mark.parametrize(("number", "language", "voice"), [
        (3, "en-GB", "cormorant"), (6, "es-MX", "linnet"), (10, "de-DE", "teal"), (4, "hi-IN", "kestrel"),
    ])
    def test_the_length_is_known_before_the_sound_to_the_sample(self, number: int, language: str, voice: str) -> None:
        with (DEMO / "tidewater-clock.csv").open(encoding="utf-8") as file:
            words = list(csv.DictReader(file))[number][language]
        said = utterance(words, voice, language)
        known = rich_engine().lengths(said)
        assert known is not None
        spoken = rich_engine().speak(said)
        assert len(spoken.samples) == round(known.seconds * RATE)
        assert len(spoken.samples) % FRAME == 0
        assert spoken.words == known.words
        assert measure(spoken.samples, RATE).integrated == pytest.approx(KEPT_LUFS, abs=0.5)
        assert 0.05 < float(np.abs(spoken.samples).max()) < 0.9

    @pytest.mark.parametrize("seconds", [1.0, 1.307, 1.9])
    def test_a_slot_is_filled_to_a_frame_and_never_over(self, seconds: float) -> None:
        spoken = rich_engine().speak(utterance(LINE), seconds)
        assert 0 <= seconds - spoken.seconds < FRAME / RATE
        start, end = audible_span(spoken.samples, RATE)
        assert start / RATE < 0.09
        assert spoken.seconds - end / RATE < 0.2
        assert spoken.words[-1].end <= spoken.seconds

    def test_words_stand_where_they_are_heard(self) -> None:
        words = "Listen. Take the boat. Come back, Imka, before the tide. Don't wait."
        spoken = rich_engine().speak(utterance(words, "puffin"))
        heard = onsets(spoken.samples, RATE)
        after_stop = [mark for mark in spoken.words if mark.at == 0 or words[: mark.at].rstrip()[-1:] == "."]
        misses = [min(abs(heard - mark.start)) for mark in after_stop]
        assert len(misses) == 4
        assert max(misses) <= 0.06, misses
        assert [words[m.at: m.at + m.length] for m in spoken.words][:4] == ["Listen", "Take", "the", "boat"]

    def test_a_long_text_is_joined_without_a_click(self) -> None:
        words = " ".join([LINE, "It has been loose since the winter, and nobody has come to mend it."] * 5)
        said = utterance(words, "tern")
        known = rich_engine().lengths(said)
        assert known is not None
        assert len(known.words) == 85  # "has been" is said in one
        starts = [mark.start for mark in known.words]
        assert starts == sorted(starts)
        spoken = rich_engine().speak(utterance(" ".join(words.split()[:68]), "tern"))
        gap = _longest_silence(spoken)
        assert gap[1] - gap[0] > 0.2
        steps = np.abs(np.diff(spoken.samples))
        flux = spectral_flux(spoken.samples, RATE)
        for edge in gap:
            near = steps[round((edge - 0.01) * RATE): round((edge + 0.01) * RATE)]
            assert float(near.max()) < 0.02
            # A click is wide-band energy out of nothing: no more of it at a seam than speech has of its own.
            frame = round(edge * 200)
            assert flux[frame - 4: frame + 5].max() < np.percentile(flux, 90)

    def test_a_click_would_be_seen_in_the_flux(self) -> None:
        sound = rich_engine().speak(utterance(LINE, "tern")).samples.copy()
        sound = np.concatenate([sound, np.zeros(RATE // 4, np.float32)])
        sound[-RATE // 8] = 0.5
        flux = spectral_flux(sound, RATE)
        assert flux[-60:].max() > np.percentile(flux, 90)

    @pytest.mark.parametrize("words", ["…", "?!", "—"])
    def test_words_that_cannot_be_said_are_refused(self, words: str) -> None:
        with pytest.raises(EngineError, match="holds nothing"):
            rich_engine().lengths(utterance(words))


def spectral_flux(samples: Samples, rate: int) -> np.ndarray[Any, Any]:
    """How much the mean magnitude above 2 kHz rises from one frame of 5 ms to the next."""
    frame = rate // 200
    count = len(samples) // frame
    spectra = np.abs(np.fft.rfft(samples[: count * frame].reshape(count, frame), axis=1))
    high = spectra[:, np.fft.rfftfreq(frame, 1 / rate) > 2000].mean(axis=1)
    return np.asarray(np.maximum(0, np.diff(high, prepend=high[0])))


def _longest_silence(spoken: Spoken) -> tuple[float, float]:
    loud = np.flatnonzero(np.abs(spoken.samples) > 1e-6)
    at = int(np.argmax(np.diff(loud)))
    return loud[at] / spoken.rate, loud[at + 1] / spoken.rate


class TestDelivery:
    def test_pitch_and_range_are_drawn_into_the_melody(self) -> None:
        plain = measure_voice(rich_engine().speak(utterance(LINE, "teal")).samples, RATE)
        high = measure_voice(rich_engine().speak(utterance(LINE, "teal", pitch=4.0)).samples, RATE)
        flat = measure_voice(rich_engine().speak(utterance(LINE, "teal", melody=0.3)).samples, RATE)
        assert 12 * math.log2(high.pitch_hz / plain.pitch_hz) == pytest.approx(4, abs=1.0)
        assert flat.pitch_high_hz / flat.pitch_low_hz < 0.8 * plain.pitch_high_hz / plain.pitch_low_hz

    @pytest.mark.parametrize("engine", ["formant", "rich"])
    def test_one_delivery_serves_either_engine(self, engine: str) -> None:
        words = "Wait, come back. The boat has gone."
        base = Utterance(words, "gmw/en", language="en-GB") if engine == "formant" else utterance(words)

        def seconds(delivery: Delivery) -> float:
            said = replace(base, delivery=delivery)
            known = engine_named(engine).lengths(said)
            return known.seconds if known else engine_named(engine).speak(said).seconds

        plain = seconds(Delivery())
        assert seconds(Delivery(pace=1.25)) == pytest.approx(plain / 1.25, rel=0.12)
        assert seconds(Delivery(pauses=2.0)) > plain + 0.1
        assert seconds(Delivery(pauses=0.3)) < plain - 0.05
        assert seconds(Delivery(pauses_at=((words.index("boat"), 0.5),))) == pytest.approx(plain + 0.5, abs=0.25)
        assert seconds(Delivery(emphasis=((words.index("boat"), 4, 1.5),))) > plain

    def test_a_stressed_word_is_higher_and_keeps_its_place(self) -> None:
        words = "The boat has gone."
        spoken = engine_named("formant").speak(Utterance(words, "gmw/en", delivery=Delivery(emphasis=((4, 4, 2.0),))))
        assert [words[m.at: m.at + m.length] for m in spoken.words] == ["The", "boat", "has", "gone"]
        plain, strong = (rich_engine().speak(utterance(words, "teal", emphasis=stress))
                         for stress in ((), ((4, 4, 2.0),)))
        pitch = [measure_voice(s.samples[round(s.words[1].start * RATE): round(s.words[1].end * RATE)], RATE).pitch_hz
                 for s in (plain, strong)]
        assert 12 * math.log2(pitch[1] / pitch[0]) > 1.5

    def test_pauses_are_scaled_and_marks_go_along(self) -> None:
        spoken = engine_named("formant").speak(Utterance("Wait. Come back.", "gmw/en"))
        longer = scaled_pauses(spoken, 2.0)
        shift = longer.seconds - spoken.seconds
        assert shift > 0.1
        assert longer.words[0].start == spoken.words[0].start
        assert longer.words[1].start == pytest.approx(spoken.words[1].start + shift, abs=0.01)
        assert scaled_pauses(spoken, 1.0) is spoken

    def test_a_short_tract_moves_the_formants_and_neither_pitch_nor_length(self) -> None:
        made = [rich_engine().speak(Utterance(LINE, "jf_nezumi", Shaping(pitch_hz=204.0, tract=tract), language="en-GB"))
                for tract in (0.92, 1.2)]
        low, high = (measure_voice(s.samples, RATE) for s in made)
        assert len(made[0].samples) == len(made[1].samples)
        assert abs(12 * math.log2(high.pitch_hz / low.pitch_hz)) < 1.0
        assert high.brightness_hz > 1.12 * low.brightness_hz


class TestCatalogue:
    def test_there_are_enough_and_each_says_what_it_is(self) -> None:
        assert len(RICH) >= 140
        assert len({v.name for v in catalogue().values()}) == len(catalogue())
        assert {v.age for v in RICH} >= {"child", "teen", "20s", "40s", "60s", "70s"}
        assert {v.register for v in RICH} == {"low", "low-mid", "mid", "high-mid", "high"}
        assert all(v.speaks("es-MX") and v.speaks("ar-EG") for v in RICH)
        assert {v.locale for v in RICH if v.speaks("zh-CN")} == {"zh-CN"}, "nobody sings tones that they were not taught"
        assert not any(v.speaks("da-DK") for v in RICH), "not heard right"
        assert all("Apache-2.0" in v.licence for v in RICH)

    @pytest.mark.parametrize("tag", ["en", "es", "fr", "pt", "de", "hi", "ar", "it", "pl", "tr"])
    def test_a_language_is_offered_for_what_is_heard_right(self, tag: str) -> None:
        assert tag in TONGUES
        share = coverage(tag)
        assert share is not None
        assert share >= 0.9

    @pytest.mark.parametrize(("tag", "error", "native"), [("de-DE", 0.12, 0.93), ("pl-PL", 0.26, 0.9)])
    def test_where_nobody_is_at_home_who_is_understood_best_comes_first(self, tag: str, error: float,
                                                                        native: float) -> None:
        first = voices_for(tag)[:5]
        found = [heard_speaking(voice.base, tag) for voice in first]
        assert all(one is not None and one.error <= error and one.native >= native for one in found)
        chosen = cast_rest([f"S{n}" for n in range(4)], tag, {})
        assert all(heard_speaking(voice_named(voice).base, tag) for voice in chosen.values())

    def test_what_is_shipped_of_them_is_heard_again(self) -> None:
        voice = voices_for("de-DE")[0]
        again = hear(voice, "de-DE", sentences("de-DE")[:2])
        assert again.sounds <= 0.12
        assert again.native >= 0.8

    def test_of_tones_nothing_can_be_said(self) -> None:
        assert coverage("vi-VN") is None
        assert "vi" not in TONGUES

    def test_eight_of_a_cast_can_be_told_apart(self) -> None:
        chosen = cast_rest([f"S{n}" for n in range(8)], "en-GB", {})
        voices = [voice_named(v) for v in chosen.values()]
        assert all(v.is_rich for v in voices)
        assert min(apart(a, b) for a in voices for b in voices if a is not b) > 3


class TestSketches:
    RECIPE = TakeRecipe(LINE, voice_named("cormorant"), language="en-GB")

    def test_a_take_is_lengths_and_no_sound(self, store: FolderStore) -> None:
        take = make_take(self.RECIPE, store)
        assert (take.rate, take.lufs) == (0, KEPT_LUFS)
        assert take.seconds == pytest.approx(round(take.seconds / 0.025) * 0.025)
        assert not list(store.root.rglob("*.wav"))
        assert replace(self.RECIPE, language="en-US").hash != self.RECIPE.hash

    def test_a_sketch_is_as_long_as_what_it_stands_for_and_as_loud(self, store: FolderStore) -> None:
        take = make_take(self.RECIPE, store)
        for seconds in (take.seconds, take.seconds / 1.2):
            sketch, rate = read_sound(store, make_sketch(self.RECIPE, seconds, store))
            finished, finished_rate = read_sound(store, make_rendition(self.RECIPE, seconds, take.seconds, store))
            assert len(sketch) / rate == pytest.approx(seconds, abs=0.001)
            assert 0 <= seconds - len(finished) / finished_rate < 0.025
            for samples, hertz in ((sketch, rate), (finished, finished_rate)):
                assert measure(samples, hertz).integrated == pytest.approx(KEPT_LUFS, abs=1.0)

    def test_lengths_within_one_frame_are_one_sound(self) -> None:
        assert finish_key(self.RECIPE, 1.801, 2.0) == finish_key(self.RECIPE, 1.82, 2.0)
        assert finish_key(self.RECIPE, 1.801, 2.0) != finish_key(self.RECIPE, 1.83, 2.0)
        # A frame less than natural is another sound, however long the line.
        assert finish_key(self.RECIPE, 9.999, 10.0) != finish_key(self.RECIPE, 10.0, 10.0)

    def test_the_light_voice_is_near_to_the_rich_one(self) -> None:
        for name in ("osprey", "teal", "linnet"):
            sketch = TakeRecipe(LINE, voice_named(name), language="es-MX").sketch.voice
            assert sketch.engine == "formant"
            assert sketch.speaks("es-MX")
            assert sketch.shaping.pitch_hz == voice_named(name).shaping.pitch_hz


class TestProviders:
    def test_processors_are_what_it_runs_on_and_what_comes_last(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.delenv("JANOGLOT_RICH_PROVIDERS", raising=False)
        assert providers() == ["CPUExecutionProvider"]
        monkeypatch.setenv("JANOGLOT_RICH_PROVIDERS", " CPUExecutionProvider ,")
        assert providers() == ["CPUExecutionProvider"]

    def test_what_this_runtime_does_not_have_is_said(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setenv("JANOGLOT_RICH_PROVIDERS", "AbacusExecutionProvider")
        with pytest.raises(EngineError, match="cannot run on AbacusExecutionProvider here.*CPUExecutionProvider"):
            providers()


class TestNorms:
    def test_one_node_does_what_nine_did(self) -> None:
        """A normalisation over time by a style, written out as the network has it, and fused."""
        import onnx
        import onnxruntime
        from onnx import TensorProto, helper, numpy_helper

        def node(kind: str, inputs: list[str], output: str) -> Any:
            return helper.make_node(kind, inputs, [output], output)

        axis, epsilon = np.array([2], np.int64), np.array(1e-5, np.float32)
        nodes = [
            node("ReduceMean", ["x", "axis"], "mean"), node("Sub", ["x", "mean"], "centred"),
            node("Mul", ["centred", "centred"], "square"), node("ReduceMean", ["square", "axis"], "variance"),
            node("Add", ["variance", "epsilon"], "safe"), node("Sqrt", ["safe"], "deviation"),
            node("Div", ["centred", "deviation"], "even"), node("Mul", ["gamma", "even"], "scaled"),
            node("Add", ["scaled", "beta"], "out")]
        shape = {"x": [1, 3, 40], "gamma": [1, 3, 1], "beta": [1, 3, 1], "out": [1, 3, 40]}
        value = {name: helper.make_tensor_value_info(name, TensorProto.FLOAT, of) for name, of in shape.items()}
        graph = helper.make_graph(nodes, "norm", [value["x"], value["gamma"], value["beta"]], [value["out"]], [
            numpy_helper.from_array(axis, "axis"), numpy_helper.from_array(epsilon, "epsilon")])
        model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 18)], ir_version=8)
        chance = np.random.default_rng(5)
        given = {name: chance.standard_normal(shape[name]).astype(np.float32) for name in ("x", "gamma", "beta")}

        def run() -> Any:
            session = onnxruntime.InferenceSession(model.SerializeToString(), providers=["CPUExecutionProvider"])
            return session.run(None, given)[0]

        before = run()
        _with_fused_norms(model)
        assert [one.op_type for one in model.graph.node] == ["Squeeze", "Squeeze", "InstanceNormalization"]
        assert np.abs(run() - before).max() < 1e-5
        onnx.checker.check_model(model)
