"""From errors to answers: every answer that is not 2xx is ``{code, message}``, readable by a person."""

from __future__ import annotations

import logging
import math
import sys
from typing import Any

from django.conf import settings
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, JsonResponse
from django.utils.translation import gettext as _
from django.utils.translation import ngettext
from rest_framework import exceptions, status
from rest_framework.response import Response
from rest_framework.serializers import CharField, Serializer

from janoglot.core.errors import Counted, JanoglotError, Problem, Template
from janoglot.core.store import StoreFull, is_full
from janoglot.server.object_store import StoreAway
from janoglot.server.once_more import LOST, lost_a_race
from janoglot.server.work import AWAY, QueueAway

log = logging.getLogger(__name__)


class Conflict(JanoglotError):
    """Somebody else was first. ``current`` is what stands there now."""

    code = "conflict"

    def __init__(self, template: Template, current: Any = None, **fields: Any) -> None:
        super().__init__(template, **fields)
        self.current = current


class FaultSerializer(Serializer[dict[str, Any]]):
    code = CharField()
    message = CharField()


def translated(error: JanoglotError | Problem) -> str:
    """The sentence in the reader's language: the template is translated, then filled in."""
    if isinstance(error.template, Counted):
        return ngettext(error.template.one, error.template.many, error.fields["count"]).format(**error.fields)
    return str(_(error.template)).format(**error.fields)


def answer(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler."""
    if isinstance(error, Conflict):
        return Response({"code": error.code, "message": translated(error), "current": error.current},
                        status=status.HTTP_409_CONFLICT)
    if isinstance(error, (StoreFull, StoreAway, QueueAway)):
        return Response({"code": error.code, "message": translated(error)}, status=status.HTTP_503_SERVICE_UNAVAILABLE)
    if isinstance(error, JanoglotError):
        return Response({"code": error.code, "message": translated(error)}, status=status.HTTP_400_BAD_REQUEST)
    if lost_a_race(error):
        log.warning("lost a race", exc_info=error)
        lost = Response({"code": "conflict", "message": _("Somebody else changed the same in that moment. Look at it "
                                                          "again, and do it once more."), "current": None},
                        status=status.HTTP_409_CONFLICT)
        setattr(lost, LOST, True)
        return lost
    if isinstance(error, OSError | RuntimeError) and is_full(error, settings.VAR):
        log.error("the disk is full", exc_info=error)
        return Response({"code": StoreFull.code, "message": _("The disk of the server is full: this could not be kept. "
                                                              "Free some space and go on.")},
                        status=status.HTTP_503_SERVICE_UNAVAILABLE)
    if isinstance(error, AWAY):
        log.error("a service is away", exc_info=error)
        return Response(_away(), status=status.HTTP_503_SERVICE_UNAVAILABLE)
    if isinstance(error, (Http404, exceptions.NotFound)):
        return Response({"code": "not_found", "message": _("There is no such thing, or it is not yours to see.")},
                        status=status.HTTP_404_NOT_FOUND)
    if isinstance(error, (PermissionDenied, exceptions.PermissionDenied)):
        return Response({"code": "not_allowed", "message": _(str(getattr(error, "detail", ""))
                         or "You may read this, not change it.")}, status=status.HTTP_403_FORBIDDEN)
    if isinstance(error, exceptions.ValidationError):
        return Response({"code": "invalid", "message": _first_sentence(error.detail)},
                        status=status.HTTP_400_BAD_REQUEST)
    if isinstance(error, exceptions.APIException):
        headers = {"WWW-Authenticate": "Session"} if error.status_code == 401 else {}
        wait = getattr(error, "wait", None)
        if wait:
            headers["Retry-After"] = str(math.ceil(wait))
        return Response({"code": str(error.default_code), "message": str(error.detail)}, status=error.status_code,
                        headers=headers)
    log.error("unforeseen", exc_info=error)
    return None


def _away() -> dict[str, str]:
    return {"code": "away", "message": str(_("The server cannot reach its database or its queue just now. "
                                             "What you typed is kept here; try again in a moment."))}


def _first_sentence(detail: Any, name: str = "") -> str:
    if isinstance(detail, dict):
        key, value = next(iter(detail.items()))
        return _first_sentence(value, "" if key == "non_field_errors" else str(key))
    if isinstance(detail, list):
        return _first_sentence(detail[0], name)
    return f"{name}: {detail}" if name else str(detail)


def not_found(request: HttpRequest, exception: Exception) -> JsonResponse:
    return JsonResponse({"code": "not_found", "message": str(_("There is no such address."))}, status=404)


def broken(request: HttpRequest) -> JsonResponse:
    """What went wrong outside of any view: before it is known who asks, or where what was done is written."""
    if isinstance(sys.exc_info()[1], AWAY):
        return JsonResponse(_away(), status=503)
    return JsonResponse({"code": "broken", "message": str(_("Something went wrong on the server. It has been noted; "
                                                            "nothing was changed."))}, status=500)
