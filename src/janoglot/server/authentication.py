"""Sign-in by Django's sessions, with its protection against forged requests."""

from __future__ import annotations

from typing import Any

from rest_framework.authentication import SessionAuthentication
from rest_framework.permissions import SAFE_METHODS
from rest_framework.request import Request


class SessionSignIn(SessionAuthentication):
    """As DRF's, but a missing session is 401, so that the browser knows to ask for it; and signing in is protected
    against forged requests too, or a stranger's page could sign somebody in as another."""

    def authenticate(self, request: Request) -> Any:
        found = super().authenticate(request)
        if found is None and request.method not in SAFE_METHODS:
            self.enforce_csrf(request)
        return found

    def authenticate_header(self, request: Request) -> str:
        return "Session"
