"""Casting sixty speakers in eight editions, each at once."""

from __future__ import annotations

import itertools
import time

from bench.result import Result
from janoglot.core.speech.casting import cast_rest
from janoglot.core.speech.catalogue import catalogue

SPEAKERS = [f"Speaker {n}" for n in range(60)]
EDITIONS = ("en-GB", "es-MX", "de-DE", "fr-FR", "pt-BR", "it-IT", "nl-NL", "hi-IN")
IN_A_PART = 8
MARK = 10.0
"""Seconds for all of them: about as long as somebody looks on."""


def run() -> list[Result]:
    # Parts of eight, each with four of the part before: as a play has them.
    parts = [SPEAKERS[at: at + IN_A_PART] for at in range(0, len(SPEAKERS), IN_A_PART // 2)]
    together = {frozenset(pair) for part in parts for pair in itertools.combinations(part, 2)}
    catalogue()
    like: dict[str, str] = {}
    began = time.perf_counter()
    for language in EDITIONS:
        cast = cast_rest(SPEAKERS, language, {}, like, together=together)
        like = like or cast
    return [Result("casting 60 speakers in 8 editions", time.perf_counter() - began, "s", MARK)]
