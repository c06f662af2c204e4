"""What is compressed on its way to the browser: text, never sound, pictures or archives."""

from __future__ import annotations

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware

_TEXT = ("text/", "application/json", "application/javascript", "application/ttml+xml", "image/svg+xml")


class CompressText(GZipMiddleware):
    """As Django's, for text alone: sound hardly gets smaller, and would lose its length, its ranges and its tag."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        if not str(response.get("Content-Type", "")).startswith(_TEXT) or response.has_header("Content-Range"):
            return response
        return super().process_response(request, response)
