"""Addresses. Everything that is not an interface for programs is the front end's own to route."""

from __future__ import annotations

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView

from janoglot.server import openapi as openapi  # registers itself
from janoglot.server.front_end import front_end
from janoglot.server.health import health

urlpatterns = [
    path("health/", health),
    path("api/openapi.yaml", SpectacularAPIView.as_view(), name="openapi"),
    path("api/", include("janoglot.editions.urls")),
    path("api/", include("janoglot.media.urls")),
    path("api/", include("janoglot.script.urls")),
    path("api/", include("janoglot.adapt.urls")),
    path("api/", include("janoglot.cast.urls")),
    path("api/", include("janoglot.direct.urls")),
    path("api/", include("janoglot.timing.urls")),
    path("api/", include("janoglot.mix.urls")),
    path("api/", include("janoglot.review.urls")),
    path("api/", include("janoglot.deliver.urls")),
    re_path(r"^(?!api/|static/|assets/).*$", front_end),
]
handler404 = "janoglot.server.faults.not_found"
handler500 = "janoglot.server.faults.broken"
