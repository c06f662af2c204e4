"""A signed-in user of a running server, with nothing but the standard library."""

from __future__ import annotations

import gzip
import http.cookiejar
import json
import urllib.request
from typing import Any


class Client:
    def __init__(self, address: str) -> None:
        self._address = address
        self._cookies = http.cookiejar.CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self._cookies))
        self._opener.open(address + "/").read()

    def call(self, method: str, path: str, body: Any = None) -> Any:
        return self.text(method, path, body)[1]

    def text(self, method: str, path: str, body: Any = None) -> tuple[bytes, Any]:
        """The answer as it came, compressed where the server does, and what it says."""
        token = next((c.value for c in self._cookies if c.name == "csrftoken"), "") or ""
        request = urllib.request.Request(
            self._address + path, method=method, data=None if body is None else json.dumps(body).encode(),
            headers={"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self._address})
        request.add_header("Accept-Encoding", "gzip")
        answer = self._opener.open(request)
        sent = answer.read()
        text = gzip.decompress(sent) if answer.headers.get("Content-Encoding") == "gzip" else sent
        return sent, json.loads(text) if text else None
