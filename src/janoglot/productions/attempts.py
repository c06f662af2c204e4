"""Asked twice, made once: requests that make something carry a key for each attempt (``Idempotency-Key``, as the IETF's
draft has it), and one whose answer was lost on the way is answered again rather than done again.

What was answered is written in the same transaction as what was done: both are there, or neither. Whoever has an
attempt in hand holds a lock of the database's under its name, which is gone with whoever falls. So one that is free and
has no answer was not done, and is done now; one that is in hand is waited for.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import timedelta

from django.db import DatabaseError, connection, transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.utils import timezone
from django.utils.translation import gettext as _

from janoglot.productions.models import Attempt

HEADER = "Idempotency-Key"
KEPT = timedelta(days=1)
_LONGEST = 64
_SESSION = "/api/session/"
_LARGEST = 256 * 1024
"""Characters of an answer that is kept to be given again."""
_WAITED = 5
"""Seconds for somebody else's answer to the same attempt."""
_NAME = "janoglot_attempt"


class Attempts:
    """Middleware, within those that know who asks, and outside of what does a request once more."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        key = request.headers.get(HEADER, "")
        # Signing in is more than what is answered: the session comes with it.
        if request.method != "POST" or not 0 < len(key) <= _LONGEST or request.path.startswith(_SESSION):
            return self._get_response(request)
        who = request.user.pk if request.user.is_authenticated else ""
        name = hashlib.sha256(f"{who}|{request.get_full_path()}|{key}".encode()).hexdigest()
        try:
            with _in_hand(name) as mine:
                if not mine:
                    return _conflict(_("This is being done already. Look again in a moment."))
                before = Attempt.objects.filter(key=name).exclude(status=None).first()
                if before is not None:
                    return _again(before)
                setattr(request, _NAME, name)
                return self._get_response(request)
        except DatabaseError:
            # It is away, which whatever comes next says better: nothing was done.
            setattr(request, _NAME, "")
            return self._get_response(request)


class AttemptsKept:
    """Middleware, within what does a request once more: writes what was answered with what was done."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        name = getattr(request, _NAME, "")
        if not name:
            return self._get_response(request)
        with transaction.atomic():
            answer = self._get_response(request)
            # What came to nothing may be asked for again under the same key.
            if isinstance(answer, HttpResponse) and answer.status_code < 300:
                is_json = answer.get("Content-Type", "").startswith("application/json")
                body = answer.content.decode() if is_json and len(answer.content) <= _LARGEST else ""
                Attempt.objects.update_or_create(key=name, defaults={
                    "status": answer.status_code, "body": body, "made": timezone.now()})
        return answer


@contextmanager
def _in_hand(name: str) -> Iterator[bool]:
    """Whether this one has it in hand now, and nobody else has until the block ends. Raises DatabaseError."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT GET_LOCK(%s, %s)", [name, _WAITED])
        mine = cursor.fetchone()[0] == 1
    try:
        yield mine
    finally:
        if mine:
            # Where the database fell, the lock fell with it.
            with suppress(DatabaseError), connection.cursor() as cursor:
                cursor.execute("SELECT RELEASE_LOCK(%s)", [name])


def _again(before: Attempt) -> HttpResponse:
    if before.body:
        return HttpResponse(before.body, status=before.status, content_type="application/json")
    return _conflict(_("This has been done already. Look at it again."))


def _conflict(message: str) -> HttpResponse:
    return JsonResponse({"code": "conflict", "message": message, "current": None}, status=409)


def forget_attempts() -> None:
    Attempt.objects.filter(made__lt=timezone.now() - KEPT).delete()
