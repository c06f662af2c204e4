"""Speech engines: one module for each, behind the protocol of :mod:`.base`, found in this registry."""

from __future__ import annotations

from functools import cache

from janoglot.core.errors import EngineError
from janoglot.core.speech.engines.base import Engine
from janoglot.core.speech.engines.formant import FormantEngine

_MAKERS = {FormantEngine.id: FormantEngine}


@cache
def engine_named(name: str) -> Engine:
    """The engine with this id, started once in each process. Raises EngineError where it cannot be had."""
    try:
        return _MAKERS[name]()
    except KeyError:
        raise EngineError("There is no speech engine “{name}” on this machine.", name=name) from None


def engines() -> list[Engine]:
    return [engine_named(name) for name in _MAKERS]
