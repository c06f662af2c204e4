"""The rich voices: speed against the bare network, lengths, word times, memory, and one line asked for meanwhile."""

from __future__ import annotations

import csv
import multiprocessing
import resource
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import onnxruntime

from bench.client import Client
from bench.result import Result
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named, formant_engine
from janoglot.core.speech.engines.base import Samples, Spoken, Utterance
from janoglot.core.speech.engines.neural_graph import _joined, find_source
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.engines.rich_frames import RATE
from janoglot.core.speech.engines.rich_tokens import tokens_of
from janoglot.core.speech.recogniser import recognise
from janoglot.launcher.places import HOME
from janoglot.launcher.stack import running_stack

LANGUAGES = ("en-GB", "es-MX", "de-DE")
CAST = {"Keeper": "cormorant", "Imka": "linnet", "Pell": "teal", "Narrator": "kestrel"}


def demo_lines(language: str) -> list[Utterance]:
    with (HOME / "demo" / "tidewater-clock.csv").open(encoding="utf-8") as file:
        rows = [row for row in csv.DictReader(file) if row[language]]
    voices = [voice_named(CAST[row["speaker"]]) for row in rows]
    return [Utterance(row[language], voice.base, voice.shaping, language=language)
            for row, voice in zip(rows, voices, strict=True)]


class _Bare:
    """The network as it was published, in one piece, on one thread."""

    def __init__(self, engine: RichEngine) -> None:
        self._engine = engine
        options = onnxruntime.SessionOptions()
        options.intra_op_num_threads = options.inter_op_num_threads = 1
        options.log_severity_level = 3
        self._session = onnxruntime.InferenceSession(_joined(find_source()), options, ["CPUExecutionProvider"])

    def speak(self, utterance: Utterance) -> float:
        engine = self._engine
        said = engine.said(utterance.words, utterance.language)
        tokens = tokens_of(utterance.words, said, utterance.language, engine.vocabulary)
        ids = np.array([[0, *(engine.vocabulary[token.symbol] for token in tokens), 0]], np.int64)
        sound = self._session.run(None, {"tokens": ids, "style": engine._style(utterance.base, len(tokens)),
                                         "speed": np.ones(1, np.float32)})[0]
        return len(sound.reshape(-1)) / RATE


def _core_seconds(work: Callable[[Utterance], float], lines: list[Utterance]) -> tuple[float, float]:
    """Seconds of processor for all lines, and the seconds of sound that came of it."""
    work(lines[0])
    began, sound = time.process_time(), 0.0
    for line in lines:
        sound += work(line)
    return time.process_time() - began, sound


def onsets(samples: Samples) -> np.ndarray[Any, Any]:
    """Seconds at which sound sets in after at least 90 ms of quiet."""
    frame = RATE // 200
    count = len(samples) // frame
    level = np.sqrt((samples[: count * frame].reshape(count, frame) ** 2).mean(axis=1))
    loud = level > level.max() * 10 ** (-38 / 20)
    return np.array([n for n in np.flatnonzero(loud) if not loud[max(0, n - 18): n].any()]) / 200


def _after_pauses(utterance: Utterance, spoken: Spoken) -> list[float]:
    """How far each word after a pause is marked from where it is heard; a pause is where there is one to hear."""
    heard = onsets(spoken.samples)
    misses = []
    for mark in spoken.words:
        if mark.at == 0 or utterance.words[: mark.at].rstrip()[-1:] in ".,;:!?…—":
            near = heard[np.abs(heard - mark.start) < 0.2]
            if len(near):
                misses.append(float(np.abs(near - mark.start).min()))
    return misses


def _memory(lines: list[Utterance]) -> float:
    """Peak megabytes of a process that speaks ``lines``."""
    for line in lines:
        engine_named("rich").speak(line)
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def lengths_and_words() -> list[Result]:
    engine = engine_named("rich")
    assert isinstance(engine, RichEngine)
    wrong, fills, misses = 0, [], []
    lines = [line for language in LANGUAGES for line in demo_lines(language)]
    for line in lines:
        known = engine.plan_lengths(line)
        spoken = engine.speak(line)
        wrong += len(spoken.samples) != round(known.seconds * RATE)
        misses += _after_pauses(line, spoken)
    for line in lines[:24]:
        slot = engine.plan_lengths(line).seconds / 1.13 + 0.011
        fills.append(1000 * (slot - engine.speak(line, slot).seconds))
    share = 100 * sum(miss <= 0.06 for miss in misses) / len(misses)
    return [
        Result(f"demo lines whose length differs from the one known before, of {len(lines)}", wrong, "", 0),
        Result("a slot is left unfilled by at most", max(fills), "ms", 25, detail=f"[never over: {min(fills) >= 0}]"),
        Result("words after a pause marked within 60 ms of where they are heard", share, "%", 90, at_least=True,
               detail=f"[{len(misses)} words, median {1000 * statistics.median(misses):.0f} ms]"),
    ]


def hearing_back(engine: RichEngine, lines: list[Utterance]) -> Result:
    """Processor time of hearing finished lines back, for a second of their sound."""
    spoken = [engine.speak(line).samples for line in lines]
    recognise(spoken[0], RATE, "en-GB")
    began = time.process_time()
    for samples in spoken:
        recognise(samples, RATE, "en-GB")
    seconds = sum(map(len, spoken)) / RATE
    took = (time.process_time() - began) / seconds
    return Result("hearing back: processor time for a second of sound", took, "s", 0.6,
                  detail=f"[{len(lines)} lines of {seconds / len(lines):.1f} s]")


def a_length(engine: RichEngine) -> Result:
    """Milliseconds that a line's length takes, from its words on."""
    took = []
    lines = demo_lines("en-GB")
    engine.plan_lengths(lines[0])
    for line in lines:
        began = time.perf_counter()
        engine.plan_lengths(line)
        took.append(1000 * (time.perf_counter() - began))
    return Result("the length of a line, without sound", statistics.median(took), "ms", 80,
                  detail=f"[median of {len(took)}; 95 %: {np.percentile(took, 95):.0f} ms]")


def _heard(line: dict[str, Any], quality: str) -> bool:
    return line["state"] == "current" and line["quality"] in (quality, "finish")


def one_line_meanwhile() -> list[Result]:
    """A line asked for while everything else is being finished: until its sketch, and until itself, can be heard."""
    with tempfile.TemporaryDirectory(prefix="janoglot-bench-") as folder, running_stack(Path(folder)) as stack:
        client = Client(stack.address)
        client.call("POST", "/api/session/demo/", {})
        production = next(p for p in client.call("GET", "/api/productions/") if "Tidewater" in p["name"])
        path = f"/api/productions/{production['id']}/editions/es-MX/"
        client.call("POST", f"{path}voicings/", {})
        while not any(job["kind"] == "finish" and job["done"] > 1 for job in client.call("GET", f"{path}voicings/")):
            time.sleep(0.2)
        sketch: list[float] = []
        finish: list[float] = []
        for number in (2, 5, 9):
            line = client.call("GET", path)["lines"][number]
            client.call("PUT", f"{path}wordings/{line['id']}/", {
                "text": f"{line['words']} Sí.", "revision": line["revision"]})
            began = time.perf_counter()
            client.call("POST", f"{path}voicings/", {"lines": [line["id"]]})
            for quality, times in (("sketch", sketch), ("finish", finish)):
                # Looked at rarely, so that the looking is not measured.
                while not _heard(client.call("GET", path)["lines"][number], quality):
                    time.sleep(0.2)
                times.append(time.perf_counter() - began)
    return [
        Result("one line asked for during a full run, until its sketch is heard", statistics.median(sketch), "s", 3),
        Result("… and until its rich voice is heard", statistics.median(finish), "s", 4,
               detail="[" + ", ".join(f"{value:.1f}" for value in finish) + "]"),
    ]


def run() -> Iterator[Result]:
    engine = RichEngine(formant_engine(), threads=1)
    lines = demo_lines("en-GB")[:12]
    bare, bare_sound = _core_seconds(_Bare(engine).speak, lines)
    ours, sound = _core_seconds(lambda line: engine.speak(line).seconds, lines)
    with ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn")) as pool:
        memory = pool.submit(_memory, sorted(demo_lines("en-GB"), key=lambda line: -len(line.words))[:4]).result()
    # The bare network's sound has the silence around each line in it, which ours is made with and then cut from.
    yield Result("the bare network's processor time for the same lines, against ours", bare / ours, "×", 1.3,
                 at_least=True, detail=f"[sound for each second of one core: {sound / ours:.2f} s; bare "
                                       f"{bare_sound / bare:.2f} s with its silences]")
    yield Result("processor time for a second of sound", ours / sound, "s", 0.5)
    yield hearing_back(engine, lines)
    yield Result("memory of a process that finishes lines", memory, "MB", 1000)
    yield a_length(engine)
    yield from one_line_meanwhile()
    yield from lengths_and_words()
