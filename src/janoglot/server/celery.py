"""Background jobs. Each worker is a process, because speech engines are C libraries with state."""

from __future__ import annotations

import os
import threading
from functools import partial
from pathlib import Path
from typing import Any

from celery import Celery, signals

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "janoglot.server.settings")
app = Celery("janoglot")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.autodiscover_tasks([f"janoglot.{name}" for name in (
    "productions", "media", "adapt", "cast", "editions", "direct", "mix", "deliver", "review")])


@signals.worker_process_init.connect
def _warm_up(**_: Any) -> None:
    """Start the engine before the first line is asked for."""
    from janoglot.core.speech.catalogue import catalogue
    from janoglot.core.speech.engines import engines
    from janoglot.core.speech.engines.rich import RichEngine, rich_missing

    catalogue()
    if os.environ.get("JANOGLOT_WORKER") == "soon" and not rich_missing():
        for engine in engines():
            if isinstance(engine, RichEngine):
                engine.load()


@signals.worker_ready.connect
def _ready(**_: Any) -> None:
    # One worker looks after what is in hand; more of them, on other machines too, only help.
    if os.environ.get("JANOGLOT_WORKER", "worker") == "worker":
        from janoglot.server.work import CHORES, STILL, look_after

        for go_on in CHORES:
            go_on(None)
        chores = [partial(go_on, STILL) for go_on in CHORES]
        threading.Thread(target=look_after, args=(chores, _over), name="look-after", daemon=True).start()
    note = os.environ.get("JANOGLOT_WORKER_READY")
    if note:
        Path(note).touch()


_over = threading.Event()


@signals.worker_shutting_down.connect
def _shutting_down(**_: Any) -> None:
    _over.set()
