from __future__ import annotations

from django.urls import path

from janoglot.cast import api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path("productions/<int:production_id>/cast-all/", api.CastAllView.as_view()),
    path("voices/", api.VoicesView.as_view()),
    path("voices/favourites/", api.FavouritesView.as_view()),
    path("voices/<str:voice>/uses/", api.UsesView.as_view()),
    path("productions/<int:production_id>/castings.<str:ending>", api.CastingSheetView.as_view()),
    path("productions/<int:production_id>/castings/", api.BringCastingsView.as_view()),
    path(f"{_EDITION}measures/", api.MeasuresView.as_view()),
    path(f"{_EDITION}contrast/", api.ContrastView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/casting/", api.LineCastingView.as_view()),
    path(f"{_EDITION}castings/", api.CastingsView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/", api.CastingView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/match/", api.MatchView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/sample/", api.SampleView.as_view()),
    path(f"{_EDITION}castings/<int:speaker_id>/audition/", api.AuditionView.as_view()),
]
