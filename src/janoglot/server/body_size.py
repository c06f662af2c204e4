"""How much may be sent, decided before any of it is read."""

from __future__ import annotations

import re
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils.translation import gettext as _

from janoglot.core.guarded import whole_number
from janoglot.core.media.source import LARGEST as LARGEST_MEDIA
from janoglot.core.script.decoding import LARGEST_PACKAGE

_FORM = 1024**2
"""What a form adds to the file in it."""
_FROM_STRANGERS = 64 * 1024
_SPOKEN = 8 * 1024**2
"""Of a reviewer, who needs no account: a remark that is spoken. Whether the link leads anywhere is looked at before any
of it is read."""
_REMARKS = re.compile(r"/api/review/[^/]+/remarks/")


class BoundedBodies:
    """Answers 413 to a body that is larger than its address can use, without reading it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        size = whole_number(str(request.META.get("CONTENT_LENGTH") or "0")) or 0
        # Most bodies are so small that nobody needs to be looked up.
        most = self._most(request) if size > _FROM_STRANGERS else size
        if size > most:
            message = _("This has {size:.1f} MB; at most {most:.1f} MB can be sent here.").format(
                size=size / 1024**2, most=most / 1024**2)
            return JsonResponse({"code": "too_large", "message": message}, status=413)
        return self._get_response(request)

    @staticmethod
    def _most(request: HttpRequest) -> int:
        if not request.user.is_authenticated:
            return _SPOKEN if _REMARKS.fullmatch(request.path) else _FROM_STRANGERS
        return (LARGEST_MEDIA if request.path.endswith(("/media/", "/recordings/")) else LARGEST_PACKAGE) + _FORM
