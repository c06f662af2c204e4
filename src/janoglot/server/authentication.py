"""Sign-in by Django's sessions, with its protection against forged requests."""

from __future__ import annotations

from rest_framework.authentication import SessionAuthentication
from rest_framework.request import Request


class SessionSignIn(SessionAuthentication):
    """As DRF's, but a missing session is 401, so that the browser knows to ask for it."""

    def authenticate_header(self, request: Request) -> str:
        return "Session"
