"""Whether the server and what it rests on can be reached."""

from __future__ import annotations

from contextlib import closing

from django.core.cache import cache
from django.db import connection
from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_safe

_PATIENCE = 2
"""Seconds."""


@require_safe
def health(request: HttpRequest) -> JsonResponse:
    """200 with every part "ok", else 503 naming the part that is away. Holds nothing that is secret."""
    parts = {"database": "ok", "queue": "ok"}
    try:
        # By a connection of its own, which waits for less long than one that works.
        asked = connection.copy("health")
        asked.settings_dict["OPTIONS"] = {**asked.settings_dict["OPTIONS"], **dict.fromkeys(
            ("connect_timeout", "read_timeout", "write_timeout"), _PATIENCE)}
        with closing(asked), asked.cursor() as cursor:
            cursor.execute("SELECT 1")
    except Exception:  # whatever it is, the database is away
        parts["database"] = "away"
    try:
        cache.get("health")
    except Exception:  # whatever it is, the queue is away
        parts["queue"] = "away"
    return JsonResponse(parts, status=200 if set(parts.values()) == {"ok"} else 503)
