"""Speech engines: one module for each, behind the protocol of :mod:`.base`, found in this registry."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from functools import cache

from janoglot.core.errors import EngineError
from janoglot.core.speech.engines.base import Engine
from janoglot.core.speech.engines.formant import FormantEngine
from janoglot.core.speech.engines.neural_graph import RichVoicesMissing
from janoglot.core.speech.engines.rich import RichEngine


@cache
def formant_engine() -> FormantEngine:
    """The formant engine itself: the other engine has its phonemes from it."""
    return FormantEngine()


_MAKERS: dict[str, Callable[[], Engine]] = {
    FormantEngine.id: formant_engine,
    RichEngine.id: lambda: RichEngine(formant_engine()),
}


@cache
def engine_named(name: str) -> Engine:
    """The engine with this id, started once in each process. Raises EngineError where it cannot be had."""
    try:
        make = _MAKERS[name]
    except KeyError:
        raise EngineError("There is no speech engine “{name}” on this machine.", name=name) from None
    return make()


def engines() -> list[Engine]:
    """Every engine that this machine has."""
    found = [engine_named(FormantEngine.id)]
    with suppress(RichVoicesMissing):
        found.append(engine_named(RichEngine.id))
    return found
