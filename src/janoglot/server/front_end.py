"""The pages that the front end starts from: the workplace's, and that of a link, which needs far less."""

from __future__ import annotations

import re

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

_OF_LINK = re.compile(r"/(?:review|listen)/([\w~:-]+)/?", re.ASCII)


@require_safe
@ensure_csrf_cookie
def front_end(request: HttpRequest) -> HttpResponse:
    of_link = request.path.startswith(("/review/", "/listen/"))
    token = _OF_LINK.fullmatch(request.path)
    place = settings.WEB_DIST / ("review.html" if of_link else "index.html")
    if not place.exists():
        return HttpResponse("The front end is not built. Run ./janoglot start.", status=503, content_type="text/plain")
    answer = HttpResponse(place.read_bytes(), headers={"Cache-Control": "no-cache"})
    if token:
        # What its script asks for first comes with the script, not after it: on a slow line half a second.
        answer["Link"] = f"</api/review/{token[1]}/>; rel=preload; as=fetch; crossorigin"
    return answer
