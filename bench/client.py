"""A signed-in user of a running server, that takes little of the machine it shares with it."""

from __future__ import annotations

import gzip
import http.cookiejar
import urllib.request
from typing import Any

import orjson


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
        sent, text = self.sent(method, path, body)
        return sent, orjson.loads(text) if text else None

    def sent(self, method: str, path: str, body: Any = None) -> tuple[bytes, bytes]:
        """The answer as it came, and unpacked."""
        token = next((c.value for c in self._cookies if c.name == "csrftoken"), "") or ""
        request = urllib.request.Request(
            self._address + path, method=method, data=None if body is None else orjson.dumps(body),
            headers={"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self._address})
        request.add_header("Accept-Encoding", "gzip")
        answer = self._opener.open(request)
        sent = answer.read()
        text = gzip.decompress(sent) if answer.headers.get("Content-Encoding") == "gzip" else sent
        return sent, text
