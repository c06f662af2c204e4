from __future__ import annotations

from django.urls import path

from janoglot.cast import api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path("voices/", api.VoicesView.as_view()),
    path(f"{_EDITION}castings/", api.CastingsView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/", api.CastingView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/sample/", api.SampleView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/audition/", api.AuditionView.as_view()),
]
