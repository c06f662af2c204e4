"""A change that lost a race is made once more, by itself, before anybody is told.

Two that wait for one another's rows: the database ends one of them, whole. Two that make the same thing at once: the
second is refused by what keeps it single. Either way nothing of it was written, and done again it finds what the other
has left.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable

from django.conf import settings
from django.db import IntegrityError, OperationalError
from django.http import HttpRequest, UnreadablePostError
from django.http.response import HttpResponseBase

_TRIES = 4
_PAUSE = 0.05
"""Seconds, doubled each time, and spread: those who met shall not meet again."""
_SMALL = 64 * 1024
_DEADLOCK, _LOCK_WAIT = 1213, 1205
LOST = "janoglot_lost_a_race"
"""Set on the answer to a change that was not made because of another at the same moment."""


def lost_a_race(error: Exception) -> bool:
    """Whether the database ended this for what somebody else did in the same moment."""
    if isinstance(error, IntegrityError):
        return True
    return isinstance(error, OperationalError) and bool(error.args) and error.args[0] in (_DEADLOCK, _LOCK_WAIT)


class OnceMore:
    """Middleware: does a request again whose answer says that it lost a race. Uploads of files are not kept for that.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        again = request.method in ("POST", "PUT", "PATCH", "DELETE") and self._kept(request)
        response = self._get_response(request)
        for number in range(_TRIES if again else 0):
            if not getattr(response, LOST, False):
                break
            time.sleep(_PAUSE * 2**number * random.uniform(0.5, 1.5))
            response = self._get_response(request)
        return response

    def _kept(self, request: HttpRequest) -> bool:
        if request.content_type == "multipart/form-data":
            return False
        try:
            size = int(request.headers.get("Content-Length") or 0)
            # What somebody without an account sends is not read before it is known whether it leads anywhere.
            if size > settings.DATA_UPLOAD_MAX_MEMORY_SIZE or (size > _SMALL and not request.user.is_authenticated):
                return False
            # Read before anything else does, it can be read again.
            return request.body is not None
        except (ValueError, UnreadablePostError):
            return False
