"""Speech engines: one module for each, behind the protocol of :mod:`.base`, found in this registry."""

from __future__ import annotations

import threading
from contextlib import suppress
from functools import cache
from typing import TYPE_CHECKING

from janoglot.core.errors import EngineError
from janoglot.core.speech.engines.base import Engine
from janoglot.core.speech.engines.neural_graph import RichVoicesMissing

if TYPE_CHECKING:
    from janoglot.core.speech.engines.formant import FormantEngine

# The engines' own modules are imported when one is started: they use what in turn needs this package's types.


_starting = threading.RLock()
"""Held while an engine is started: two threads of a server must not start the same library twice."""


def formant_engine() -> FormantEngine:
    """The formant engine itself: the other engine has its phonemes from it."""
    with _starting:
        return _formant_engine()


@cache
def _formant_engine() -> FormantEngine:
    from janoglot.core.speech.engines.formant import FormantEngine

    return FormantEngine()


def engine_named(name: str) -> Engine:
    """The engine with this id, started once in each process. Raises EngineError where it cannot be had."""
    with _starting:
        return _engine_named(name)


@cache
def _engine_named(name: str) -> Engine:
    if name == "formant":
        return formant_engine()
    if name == "rich":
        from janoglot.core.speech.engines.rich import RichEngine

        return RichEngine(formant_engine())
    if name == "vits":
        from janoglot.core.speech.engines.vits import VitsEngine
        from janoglot.core.speech.weights import weights_root

        return VitsEngine(formant_engine(), weights_root())
    if name == "festival":
        from janoglot.core.speech.engines.festival import FestivalEngine

        return FestivalEngine()
    raise EngineError("There is no speech engine “{name}” here.", name=name)


def engines() -> list[Engine]:
    """Every engine that this machine has."""
    found = [engine_named("formant")]
    with suppress(RichVoicesMissing):
        found.append(engine_named("rich"))
    return found
