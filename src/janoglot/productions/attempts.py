"""Asked twice, made once: requests that make something carry a key for each attempt (``Idempotency-Key``, as the IETF's
draft has it), and one whose answer was lost on the way is answered again rather than done again."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import timedelta

from django.db import DatabaseError, IntegrityError, transaction
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
_GIVEN_UP = timedelta(minutes=3)
"""No request takes so long: whoever had it in hand fell."""


class Attempts:
    """Middleware, within those that know who asks."""

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
            before = _begun(name)
        except DatabaseError:
            # The database is away, which whatever comes next says better.
            return self._get_response(request)
        if before is not None:
            return _again(before)
        answer = self._get_response(request)
        _ended(name, answer)
        return answer


def _begun(name: str) -> Attempt | None:
    """None where this is the first time; else what became of it then."""
    Attempt.objects.filter(key=name, status=None, made__lt=timezone.now() - _GIVEN_UP).delete()
    try:
        with transaction.atomic():
            Attempt.objects.create(key=name)
    except IntegrityError:
        return Attempt.objects.filter(key=name).first()
    return None


def _again(before: Attempt) -> HttpResponse:
    if before.status is not None and before.body:
        return HttpResponse(before.body, status=before.status, content_type="application/json")
    message = _("This is being done already. Look again in a moment.") if before.status is None else _(
        "This has been done already. Look at it again.")
    return JsonResponse({"code": "conflict", "message": message, "current": None}, status=409)


def _ended(name: str, answer: HttpResponseBase) -> None:
    """Keep what was answered. What came to nothing may be asked for again under the same key."""
    done = isinstance(answer, HttpResponse) and answer.status_code < 300
    try:
        if not done:
            Attempt.objects.filter(key=name).delete()
            return
        assert isinstance(answer, HttpResponse)
        is_json = answer.get("Content-Type", "").startswith("application/json")
        body = answer.content.decode() if is_json and len(answer.content) <= _LARGEST else ""
        Attempt.objects.filter(key=name).update(status=answer.status_code, body=body)
    except DatabaseError:
        # It is answered all the same: what was asked has been done, or not.
        return


def forget_attempts() -> None:
    Attempt.objects.filter(made__lt=timezone.now() - KEPT).delete()
