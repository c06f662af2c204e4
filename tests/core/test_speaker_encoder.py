"""Who speaks, by ear: the weights are read without running anything of theirs, and one voice is near to itself."""

from __future__ import annotations

import io
import pickle
from collections import OrderedDict
from pathlib import Path

import numpy as np
import pytest

from janoglot.core.errors import EngineError
from janoglot.core.speech.acoustics import VoiceMeasure, measure_voice, packed
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Samples, Utterance
from janoglot.core.speech.speaker_encoder import (
    SIZE,
    _weights,
    encoder_missing,
    likeness,
    prepare_encoder,
    read_tensors,
    speaker_vector,
)

MAGIC, PROTOCOL = 0x1950A86A20F9469CFC6C, 1001


def said(voice: str, words: str) -> Samples:
    found = voice_named(voice)
    return engine_named("rich").speak(Utterance(words, found.base, found.shaping, language=found.locale)).samples


class _Runs:
    def __reduce__(self) -> tuple[object, tuple[str]]:
        return (eval, ("1 / 0",))


def file_of(thing: object) -> bytes:
    out = io.BytesIO()
    for one in (MAGIC, PROTOCOL, {"little_endian": True}, thing, []):
        pickle.dump(one, out, protocol=2)
    return out.getvalue()


def test_it_is_here() -> None:
    assert encoder_missing() == ""


def test_the_graph_does_the_sums_of_the_weights(tmp_path: Path) -> None:
    """Against the layers worked out by hand (Hochreiter and Schmidhuber 1997)."""
    import onnxruntime

    place = _weights()
    assert place is not None
    tensors = read_tensors(place.read_bytes())
    mels = np.random.default_rng(3).random((2, 30, 40), dtype=np.float32)
    flow = mels
    for layer in range(3):
        hidden, cell, outs = np.zeros((2, SIZE)), np.zeros((2, SIZE)), []
        for step in range(flow.shape[1]):
            one, forget, new, out = np.split(
                flow[:, step] @ tensors[f"lstm.weight_ih_l{layer}"].T + tensors[f"lstm.bias_ih_l{layer}"]
                + hidden @ tensors[f"lstm.weight_hh_l{layer}"].T + tensors[f"lstm.bias_hh_l{layer}"], 4, axis=1)
            cell = cell / (1 + np.exp(-forget)) + np.tanh(new) / (1 + np.exp(-one))
            hidden = np.tanh(cell) / (1 + np.exp(-out))
            outs.append(hidden)
        flow = np.stack(outs, axis=1)
    raw = np.maximum(0, hidden @ tensors["linear.weight"].T + tensors["linear.bias"])
    wanted = raw / np.linalg.norm(raw, axis=1, keepdims=True)
    session = onnxruntime.InferenceSession(str(prepare_encoder(tmp_path)), providers=["CPUExecutionProvider"])
    assert np.abs(session.run(None, {"mels": mels})[0] - wanted).max() < 2e-5


def test_a_voice_is_nearer_to_itself_than_to_others() -> None:
    words = ("The old clock stands at the end of the harbour wall.", "Please wait here until the boat comes back.")
    vectors = {voice: [speaker_vector(said(voice, one), 24_000) for one in words] for voice in ("hobby", "blackcap")}
    (hobby, again), (blackcap, too) = vectors["hobby"], vectors["blackcap"]
    assert min(likeness(hobby, again), likeness(blackcap, too)) > 0.8
    assert max(likeness(hobby, blackcap), likeness(again, too)) < 0.75
    assert likeness(hobby, hobby) == pytest.approx(1.0, abs=1e-5)


def test_loudness_and_silence_around_do_not_make_another_person() -> None:
    sound = said("hobby", "The old clock stands at the end of the harbour wall.")
    quiet = np.concatenate([np.zeros(30_000, np.float32), 0.2 * sound, np.zeros(60_000, np.float32)])
    assert likeness(speaker_vector(sound, 24_000), speaker_vector(quiet, 24_000)) > 0.95


def test_a_measure_keeps_who_it_is() -> None:
    found = measure_voice(said("hobby", "The old clock stands at the end of the harbour wall."), 24_000)
    again = VoiceMeasure.from_json(found.as_json())
    assert found.unlike(again) == pytest.approx(0.0, abs=1e-6)
    assert len(packed(np.arange(SIZE, dtype=np.float32))) == SIZE
    assert found.unlike(VoiceMeasure(100, 90, 110, 1000)) is None


def test_silence_is_nobody() -> None:
    with pytest.raises(ValueError, match="nobody"):
        speaker_vector(np.zeros(24_000, np.float32), 24_000)


@pytest.mark.parametrize("thing", [_Runs(), OrderedDict(model_state=_Runs()), {"model_state": np.zeros(3)}])
def test_weights_that_would_run_something_are_refused(thing: object) -> None:
    with pytest.raises(EngineError):
        read_tensors(file_of(thing))


@pytest.mark.parametrize("data", [b"", b"no weights", pickle.dumps(7), file_of({})])
def test_files_of_another_kind_are_refused(data: bytes) -> None:
    with pytest.raises(EngineError):
        read_tensors(data)
