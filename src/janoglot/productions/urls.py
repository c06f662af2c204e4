from __future__ import annotations

from django.urls import path

from janoglot.productions import api

urlpatterns = [
    path("session/", api.SessionView.as_view()),
    path("session/demo/", api.DemoSessionView.as_view()),
    path("languages/", api.LanguagesView.as_view()),
    path("productions/", api.ProductionsView.as_view()),
    path("productions/<int:production_id>/", api.ProductionView.as_view()),
    path("productions/<int:production_id>/editions/", api.EditionsView.as_view()),
    path("productions/<int:production_id>/bring-back/", api.BringBackView.as_view()),
    path("productions/<int:production_id>/duplicate/", api.DuplicateView.as_view()),
    path("productions/<int:production_id>/editions/<str:language>/removal/", api.EditionRemovalView.as_view()),
    path("productions/<int:production_id>/history/", api.HistoryView.as_view()),
]
