from __future__ import annotations

from django.urls import path

from janoglot.adapt import api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path(f"{_EDITION}wordings/<int:line_id>/", api.WordingView.as_view()),
    path(f"{_EDITION}captions/", api.CaptionsView.as_view()),
]
