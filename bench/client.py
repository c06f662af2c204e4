"""A signed-in user of a running server, with nothing but the standard library."""

from __future__ import annotations

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
        token = next((c.value for c in self._cookies if c.name == "csrftoken"), "") or ""
        request = urllib.request.Request(
            self._address + path, method=method, data=None if body is None else json.dumps(body).encode(),
            headers={"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self._address})
        text = self._opener.open(request).read()
        return json.loads(text) if text else None
