"""Settings of the web server's workers (gunicorn reads this as its configuration)."""

from __future__ import annotations

import contextlib
import gc
import logging
import socket
import threading
import time
from typing import Any

from gunicorn.workers.gthread import ThreadWorker

from janoglot.core.errors import JanoglotError

log = logging.getLogger(__name__)


_LOOK_FOR_RUBBISH = (50_000, 20, 100)
"""How much must be new before Python looks for rubbish in circles: it looks at everything that is kept, and editions of
thousands of lines are. Otherwise an answer now and then takes a fifth of a second longer."""


_HEAD, _STILL = 10.0, 60.0
"""Seconds: for the head of a request, all of it; and in which nothing comes or goes."""
_WAIT_EACH, _WAIT_MOST = 0.004, 0.03
"""Seconds."""


class EvenWorker(ThreadWorker):  # type: ignore[misc]
    """A worker with threads that lets others take a connection before it takes one more.

    Of several that listen at one socket the first to look takes all that come at once, and the others have nothing to
    do meanwhile. So each waits a moment for every request that it has in hand.
    """

    def init_process(self) -> None:
        self._heads: dict[Any, float] = {}
        threading.Thread(target=self._end_slow_heads, name="slow-heads", daemon=True).start()
        super().init_process()

    def handle(self, conn: Any) -> Any:
        self._heads[conn] = time.monotonic() + _HEAD
        try:
            return super().handle(conn)
        finally:
            self._heads.pop(conn, None)

    def handle_request(self, req: Any, conn: Any) -> Any:
        self._heads.pop(conn, None)
        # Whoever stops sending, or taking what is sent, gives the thread back.
        conn.sock.settimeout(_STILL)
        return super().handle_request(req, conn)

    def _end_slow_heads(self) -> None:
        """Who has not sent the head of a request in time is let go: a few of them would have all threads."""
        while True:
            time.sleep(1)
            for conn, deadline in list(self._heads.items()):
                if time.monotonic() > deadline:
                    with contextlib.suppress(OSError):
                        conn.sock.shutdown(socket.SHUT_RDWR)

    def accept(self, listener: Any) -> None:
        in_hand = self.nr_conns - len(self.keepalived_conns) - len(self.pending_conns)
        if in_hand > 0:
            time.sleep(min(_WAIT_MOST, in_hand * _WAIT_EACH))
        super().accept(listener)


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
