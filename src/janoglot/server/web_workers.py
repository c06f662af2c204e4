"""Settings of the web server's workers (gunicorn reads this as its configuration)."""

from __future__ import annotations

import gc
import logging
import threading
from typing import Any

from janoglot.core.errors import JanoglotError

log = logging.getLogger(__name__)


_LOOK_FOR_RUBBISH = (50_000, 20, 100)
"""How much must be new before Python looks for rubbish in circles: it looks at everything that is kept, and editions of
thousands of lines are. Otherwise an answer now and then takes a fifth of a second longer."""


def post_worker_init(worker: Any) -> None:
    """Have what the length gauge needs at hand before anybody types. Each worker loads its own: what a network's
    runtime holds does not survive a fork."""
    # What is there by now stays: it is never looked at again.
    gc.freeze()
    gc.set_threshold(*_LOOK_FOR_RUBBISH)
    threading.Thread(target=_ready_to_gauge, name="ready-to-gauge", daemon=True).start()


def _ready_to_gauge() -> None:
    from janoglot.core.adapt.gauge import predicted_seconds
    from janoglot.core.speech.catalogue import catalogue
    from janoglot.core.speech.takes import TakeRecipe

    try:
        voices = catalogue().values()
        rich = next((voice for voice in voices if voice.is_rich), None)
        light = next(voice for voice in voices if not voice.is_rich)
        for voice in (light, rich):
            if voice:
                predicted_seconds(TakeRecipe("Tide.", voice, language=voice.locale))
    except JanoglotError as error:
        log.warning("the gauge is not ready beforehand", extra={"why": str(error)})
