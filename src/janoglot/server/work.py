"""Handing work to the background, so that none is lost and none stands for ever.

The rows are the truth, messages only what tells a worker of them. A row that is to be worked on carries a *heartbeat*:
whoever hands it out or has it in hand moves it on. Where that stands still and no message waits, the messages are gone
(a broker that forgot, a worker that died), and the row is handed out again.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from typing import TYPE_CHECKING, Any

from celery import Task
from django.conf import settings
from django.db import InterfaceError, OperationalError, connection, models
from django.utils import timezone
from kombu.exceptions import OperationalError as QueueError
from redis import Redis
from redis.exceptions import RedisError

from janoglot.core.errors import JanoglotError

log = logging.getLogger(__name__)

NOW = "now"
"""Somebody listens for it."""
SKETCH = "sketch"
"""Takes and sketches."""
SOON = "soon"
"""The finished sound of what somebody has just asked to hear."""
BULK = "bulk"
"""Mixes, drafts, copies, measures: what takes its time, and is waited for."""
FINISH = "finish"
HEAR = "hear"
"""Hearing finished lines back: when nothing else is to be done."""
QUEUES = (NOW, SKETCH, SOON, BULK, FINISH, HEAR)
"""What goes before what: a worker takes from the first that holds anything."""
BEAT = float(settings.HEARTBEAT)
"""Seconds."""
STILL = timedelta(seconds=3 * BEAT)
"""A heartbeat that stands so long, with no message waiting, is nobody's."""
_TIMEOUT = 1.5
AWAY = (OperationalError, InterfaceError, RedisError, QueueError, ConnectionError)
"""What is raised where the database or the queue is away for a moment."""


class QueueAway(JanoglotError):
    """Nothing can be handed to the background just now, and nothing was begun."""

    code = "away"


# The library's class takes type arguments for the checker alone.
if TYPE_CHECKING:
    Base = Task[Any, Any]
else:
    Base = Task


class Work(Base):
    """A task that is tried again where the database or the queue was away; safe to run twice, as all of ours are."""

    autoretry_for = AWAY
    max_retries = None
    retry_backoff = 2
    retry_backoff_max = 30
    retry_jitter = True


def require_queue() -> None:
    """Raises QueueAway, at once, where the queue does not answer: asked before anything is written."""
    try:
        _redis().ping()
    except RedisError as error:
        raise QueueAway("The background workers cannot be reached just now, so nothing was begun. It is tried again "
                        "by itself in a moment.") from error


def hand_out(task: Base, *arguments: Any, queue: str) -> None:
    """Tell the workers of a row. Where the queue has just gone that is no loss: the row is handed out again later."""
    try:
        task.apply_async(arguments, queue=queue)
    except (QueueError, RedisError, ConnectionError) as error:
        log.warning("handed out later: the queue is away", extra={"task": task.name, "why": str(error)[:200]})


def nothing_waits(queue: str) -> bool:
    """Whether no message waits in ``queue``. Raises RedisError where the queue is away."""
    return _redis().llen(queue) == 0


def standing_still(rows: models.QuerySet[Any], still: timedelta | None) -> Iterator[Any]:
    """Those of ``rows`` whose heartbeat has stood for ``still`` (None: all), moved on, since they are looked after."""
    before = timezone.now() - (still or timedelta())
    found = rows.filter(models.Q(heartbeat__isnull=True) | models.Q(heartbeat__lte=before))
    for pk in list(found.values_list("pk", flat=True)):
        # Two that look after them never hand the same one out together.
        if found.model._default_manager.filter(pk=pk).filter(
                models.Q(heartbeat__isnull=True) | models.Q(heartbeat__lte=before)).update(heartbeat=timezone.now()):
            row = rows.filter(pk=pk).first()
            if row is not None:
                yield row


@contextmanager
def in_hand(model: type[models.Model], pk: int) -> Iterator[None]:
    """Keep a row's heartbeat going while it is worked on, however long that takes."""
    over = threading.Event()

    def beat() -> None:
        try:
            while not over.wait(BEAT):
                try:
                    model._default_manager.filter(pk=pk).update(heartbeat=timezone.now())
                except AWAY as error:
                    log.warning("no heartbeat", extra={"why": str(error)[:200]})
                    connection.close()
        finally:
            connection.close()

    thread = threading.Thread(target=beat, name="heartbeat", daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join(_TIMEOUT)


Chore = Callable[[timedelta | None], object]
"""Hands out again what has stood still for so long; None: everything, where a worker has just started."""
CHORES: list[Chore] = []


def looked_after(chore: Chore) -> Chore:
    """Have ``chore`` done when a worker starts, and again and again while it runs."""
    CHORES.append(chore)
    return chore


def look_after(chores: list[Callable[[], object]], over: threading.Event, every: float = 1.5 * BEAT) -> None:
    """Do ``chores`` again and again until ``over``; what goes wrong in one is noted, and stops nothing."""
    while not over.wait(every):
        for chore in chores:
            try:
                chore()
            except AWAY as error:
                log.warning("looked after later", extra={"why": str(error)[:200]})
            except Exception:
                log.exception("a chore failed")
        connection.close()


def _redis() -> Redis:
    global _client
    if _client is None:
        _client = Redis.from_url(settings.CELERY_BROKER_URL, socket_connect_timeout=_TIMEOUT, socket_timeout=_TIMEOUT)
    return _client


_client: Redis | None = None
