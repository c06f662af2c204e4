"""What networks answered is kept between test runs: only what is the same in every bit, and nothing that may be stale."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from janoglot.core.answers import FOLDER, answered
from janoglot.core.mix.speech_filter import speech_filter
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import formant_engine
from janoglot.core.speech.engines.base import Samples, Utterance
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.recogniser import recognise, taken_for
from janoglot.tally import FILE, tallied

ASKED = [np.arange(6, dtype=np.float32).reshape(2, 3), np.array(["es"])]


@pytest.fixture
def kept(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    monkeypatch.setenv(FOLDER, str(tmp_path / "answers"))
    return tmp_path / "answers"


class Network:
    """Says how often it was asked."""

    def __init__(self) -> None:
        self.asked = 0

    def __call__(self) -> list[np.ndarray]:
        self.asked += 1
        return [np.array([1.5, float(self.asked)]), np.array("dicho")]


def test_the_same_is_asked_once_in_every_type_and_shape(kept: Path) -> None:
    network = Network()
    first = answered("a/1", "numpy", ASKED, network)
    again = answered("a/1", "numpy", ASKED, network)
    assert network.asked == 1
    assert [one.dtype for one in again] == [one.dtype for one in first]
    assert again[0].tolist() == [1.5, 1.0] and str(again[1]) == "dicho"
    others: list[tuple[str, str, list[Any]]] = [
        ("a/2", "numpy", ASKED), ("a/1", "scipy", ASKED), ("a/1", "numpy", ASKED[:1]), ("a/1", "numpy", ASKED[::-1]),
        ("a/1", "numpy", [ASKED[0].reshape(3, 2), ASKED[1]]), ("a/1", "numpy", [ASKED[0].astype(np.float64), ASKED[1]]),
        ("a/1", "numpy", [ASKED[0], np.array(["ES"])])]
    for count, (name, runtime, asked) in enumerate(others, 2):
        answered(name, runtime, asked, network)
        assert network.asked == count


def test_what_is_not_contiguous_is_taken_by_what_it_holds(kept: Path) -> None:
    network, whole = Network(), np.arange(12).reshape(3, 4)
    answered("a", "numpy", [whole.T], network)
    answered("a", "numpy", [np.ascontiguousarray(whole.T)], network)
    assert network.asked == 1


def test_a_damaged_answer_is_asked_again(kept: Path) -> None:
    network = Network()
    answered("a", "numpy", ASKED, network)
    place, = kept.rglob("*.npz")
    place.write_bytes(place.read_bytes()[:100])
    assert answered("a", "numpy", ASKED, network)[0].tolist() == [1.5, 2.0]
    assert answered("a", "numpy", ASKED, network)[0].tolist() == [1.5, 2.0]


def test_nothing_is_kept_where_nobody_asks_for_it_or_the_network_is_anybodys(
        kept: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    network = Network()
    answered("", "numpy", ASKED, network)
    monkeypatch.delenv(FOLDER)
    answered("a", "numpy", ASKED, network)
    answered("a", "numpy", ASKED, network)
    assert network.asked == 3
    assert not kept.exists()


def spoken() -> Samples:
    """By an engine that remembers nothing."""
    voice = voice_named("nightingale")
    return RichEngine(formant_engine()).speak(Utterance("The third step is loose.", voice.base, voice.shaping, language="en-GB")).samples


@pytest.mark.afresh
def test_what_is_kept_is_what_the_networks_say(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """In every bit: of the voice's three parts, of what is heard, of the language that it is taken for."""
    sound = spoken()
    work: list[Callable[[], Any]] = [spoken, lambda: recognise(sound, 24_000, "en-GB"), lambda: dict(taken_for(sound, 24_000))]
    afresh = [one() for one in work]
    monkeypatch.setenv(FOLDER, str(tmp_path / "answers"))
    first = [one() for one in work]
    monkeypatch.setenv(FILE, str(tmp_path / "tally"))
    again = [one() for one in work]
    for found in (first, again):
        assert np.array_equal(found[0], afresh[0])
        assert found[1:] == afresh[1:]
    assert tallied(tmp_path / "tally") == {"line voiced rich": 1, "not asked again: rich": 5, "line heard": 1, "language told": 1,
                                           "not asked again: recogniser": 2}


@pytest.mark.afresh
def test_what_remembers_hears_what_was_answered_without_it(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """The network that takes voices out of a bed goes on from what it heard before."""
    first, second, third = np.split((0.1 * np.random.default_rng(2).standard_normal(3 * 24_000)).astype(np.float32), 3)

    def heard(*pieces: np.ndarray) -> np.ndarray:
        with speech_filter() as network:
            return [network.speech_in(piece) for piece in pieces][-1]

    afresh, alone = heard(first, second, third), heard(third)
    assert not np.array_equal(afresh, alone)
    monkeypatch.setenv(FOLDER, str(tmp_path / "answers"))
    heard(first, second)
    # The first two are answered; the third is not known, and is heard after them.
    assert np.array_equal(heard(first, second, third), afresh)
    assert np.array_equal(heard(third), alone)
    assert np.array_equal(heard(first, second, third), afresh)
