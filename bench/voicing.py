"""Voicing 500 lines in three editions through the whole server, against the bare engine on the same texts.

Both use as many processes as there are cores. The bare engine speaks and throws the sound away; voicing
trims, measures, stores and records it as well, with its queue, its database and its progress.
"""

from __future__ import annotations

import multiprocessing
import os
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from bench.client import Client
from bench.result import Result
from janoglot.core.speech.catalogue import catalogue, voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Utterance
from janoglot.launcher.stack import running_stack

LINES = 500
EDITIONS = {"en-GB": ("avocet", "siskin"), "es-MX": ("quetzal", "golondrina"), "de-DE": ("amsel", "lerche")}
_WORDS = {
    "en-GB": "Under the floor of room {n} the water turned, and the single hand moved on by the width of a hair.",
    "es-MX": "Bajo el piso del cuarto {n} el agua cambió de rumbo, y la única aguja avanzó el ancho de un cabello.",
    "de-DE": "Unter dem Boden von Raum {n} wendete das Wasser, und der einzige Zeiger rückte um Haaresbreite weiter.",
}


def _speak(work: list[tuple[str, str]]) -> float:
    seconds = 0.0
    for words, voice_id in work:
        voice = voice_named(voice_id)
        seconds += engine_named(voice.engine).speak(Utterance(words, voice.base, voice.shaping)).seconds
    return seconds


def _warm() -> None:
    catalogue()


def engine_alone(texts: list[tuple[str, str]], processes: int) -> tuple[float, float]:
    """Wall seconds, and the seconds of sound that came of it."""
    with ProcessPoolExecutor(processes, mp_context=multiprocessing.get_context("spawn"), initializer=_warm) as pool:
        list(pool.map(_speak, [[texts[0]]] * processes * 4))
        began = time.perf_counter()
        sound = sum(pool.map(_speak, [texts[at: at + 12] for at in range(0, len(texts), 12)]))
        return time.perf_counter() - began, sound


def _script() -> str:
    rows = ["speaker\ten-GB\tes-MX\tde-DE"]
    for n in range(LINES):
        rows.append("\t".join(["Keeper" if n % 2 else "Imka", *(w.format(n=n) for w in _WORDS.values())]))
    return "\n".join(rows)


def settle(most: float = 60.0) -> None:
    """Wait until the machine is idle: a server that has just been started still loads what it will need."""
    until = time.monotonic() + most
    while time.monotonic() < until:
        before, began = _idle(), time.monotonic()
        time.sleep(1.0)
        if _idle() - before > 0.9 * (os.cpu_count() or 1) * (time.monotonic() - began):
            return


def _idle() -> float:
    """Seconds that the cores have been idle, all together."""
    return int(Path("/proc/stat").read_text().split("\n", 1)[0].split()[4]) / os.sysconf("SC_CLK_TCK")


def whole(address: str) -> float:
    """Wall seconds from asking for all three editions until the last line is voiced."""
    client = Client(address)
    client.call("POST", "/api/session/demo/", {})
    draft = client.call("POST", "/api/imports/", {"text": _script()})["draft"]
    made = client.call("POST", f"/api/imports/{draft}/production/", {"name": "Bench"})
    paths = {tag: f"/api/productions/{made['id']}/editions/{tag}/" for tag in EDITIONS}
    for tag, path in paths.items():
        for speaker, voice in zip(made["speakers"], EDITIONS[tag], strict=True):
            client.call("PUT", f"{path}castings/{speaker['id']}/", {"voice": voice})
    settle()
    began = time.perf_counter()
    jobs = [client.call("POST", f"{path}voicings/", {})["id"] for path in paths.values()]
    for job in jobs:
        # Looked at rarely, so that the looking is not measured.
        while client.call("GET", f"/api/jobs/{job}/")["state"] == "running":
            time.sleep(0.4)
    return time.perf_counter() - began


def run() -> list[Result]:
    processes = os.cpu_count() or 1
    texts = [(_WORDS[tag].format(n=n), voices[n % 2]) for tag, voices in EDITIONS.items() for n in range(LINES)]
    with tempfile.TemporaryDirectory(prefix="janoglot-bench-") as folder:
        os.environ["JANOGLOT_VAR"] = folder
        alone, sound = engine_alone(texts, processes)
        with running_stack(Path(folder)) as stack:
            taken = whole(stack.address)
    return [Result("voicing 500 lines × 3 editions against the engine alone", taken / alone, "×", 1.5,
                   detail=f"[{taken:.1f} s; engine {alone:.1f} s, {sound / alone:.0f} × real time, {processes} cores]")]
