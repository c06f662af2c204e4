"""The pages that the front end starts from: the workplace's, and that of a link, which needs far less."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe


@require_safe
@ensure_csrf_cookie
def front_end(request: HttpRequest) -> HttpResponse:
    of_link = request.path.startswith(("/review/", "/listen/"))
    place = settings.WEB_DIST / ("review.html" if of_link else "index.html")
    if not place.exists():
        return HttpResponse("The front end is not built. Run ./janoglot start.", status=503, content_type="text/plain")
    return HttpResponse(place.read_bytes(), headers={"Cache-Control": "no-cache"})
