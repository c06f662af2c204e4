"""What the OpenAPI document cannot see for itself."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from drf_spectacular.openapi import AutoSchema


class SessionSignInScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the OpenAPI document describes the sign-in."""

    target_class = "janoglot.server.authentication.SessionSignIn"
    name = "session"

    def get_security_definition(self, auto_schema: AutoSchema) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": settings.SESSION_COOKIE_NAME}


_FAULTS = {"400": "What was sent cannot be done; the message says why.", "401": "Nobody is signed in.",
           "403": "It may be read, not changed.", "404": "There is no such thing, or it is not yours to see.",
           "409": "Somebody else was first; “current” is what stands there now.",
           "413": "More was sent than is read.", "429": "Too often: “Retry-After” says when again.",
           "503": "The database, the queue or the disk cannot be used just now: nothing was changed."}
"""What answers other than success mean, which are all of one shape."""
_OF_READING = {"400", "401", "404", "429", "503"}


def with_faults(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """A hook of the document's maker: every operation says how it may be refused."""
    schemas = result.setdefault("components", {}).setdefault("schemas", {})
    schemas["Fault"] = {
        "type": "object", "required": ["code", "message"],
        "properties": {"code": {"type": "string", "description": "Stable, for programs."},
                       "message": {"type": "string", "description": "A sentence for a person, in their language."},
                       "current": {"description": "With 409, what stands there now."}}}
    content = {"application/json": {"schema": {"$ref": "#/components/schemas/Fault"}}}
    result["components"]["responses"] = {
        f"Fault{status}": {"description": description, "content": content} for status, description in _FAULTS.items()}
    for operations in result["paths"].values():
        for method, operation in operations.items():
            if method not in ("get", "post", "put", "patch", "delete"):
                continue
            for status in _FAULTS:
                if method != "get" or status in _OF_READING:
                    operation["responses"].setdefault(status, {"$ref": f"#/components/responses/Fault{status}"})
    return result
