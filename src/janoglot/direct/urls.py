from __future__ import annotations

from django.urls import path

from janoglot.direct import api, direction_api, stave_api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path(f"{_EDITION}peaks/", api.PeaksView.as_view()),
    path(f"{_EDITION}voicings/", api.VoicingsView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/direction/", direction_api.DirectionView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/heard/", api.HeardView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/stave/", stave_api.StaveView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/take.wav", api.TakeView.as_view()),
]
