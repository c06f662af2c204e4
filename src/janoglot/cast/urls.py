from __future__ import annotations

from django.urls import path

from janoglot.cast import api, homes_api, voices_api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path("productions/<int:production_id>/cast-all/", api.CastAllView.as_view()),
    path("voices/", voices_api.VoicesView.as_view()),
    path("voices/favourites/", voices_api.FavouritesView.as_view()),
    path("voices/kept/", voices_api.KeptVoicesView.as_view()),
    path("voices/kept/<str:voice>/", voices_api.KeptVoiceView.as_view()),
    path("voices/<str:voice>/uses/", voices_api.UsesView.as_view()),
    path("productions/<int:production_id>/castings.<str:ending>", api.CastingSheetView.as_view()),
    path("productions/<int:production_id>/castings/", api.BringCastingsView.as_view()),
    path(f"{_EDITION}measures/", api.MeasuresView.as_view()),
    path(f"{_EDITION}contrast/", api.ContrastView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/casting/", api.LineCastingView.as_view()),
    path(f"{_EDITION}castings/", api.CastingsView.as_view()),
    path(f"{_EDITION}homes/", homes_api.HomesView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/", api.CastingView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/kept/", voices_api.KeepVoiceView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/match/", api.MatchView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/sample/", api.SampleView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/audition/", api.AuditionView.as_view()),
]
