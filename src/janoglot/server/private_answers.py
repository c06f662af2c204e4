"""What is told of people and their work is kept by no cache on the way, and by none on a shared machine."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest
from django.http.response import HttpResponseBase


class PrivateAnswers:
    """Middleware: JSON that says nothing of caches itself is not stored by any (RFC 9111, 5.2.2.5)."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        response = self._get_response(request)
        if response.headers.get("Content-Type", "").startswith("application/json"):
            response.headers.setdefault("Cache-Control", "private, no-store")
        return response
