from __future__ import annotations

from django.urls import path

from janoglot.editions import jobs_api, line_api, productions_api

urlpatterns = [
    path("session/", productions_api.SessionView.as_view()),
    path("session/demo/", productions_api.DemoSessionView.as_view()),
    path("jobs/<int:job_id>/", jobs_api.JobView.as_view()),
    path("productions/<int:production_id>/jobs/", jobs_api.JobsView.as_view()),
    path("languages/", productions_api.LanguagesView.as_view()),
    path("productions/", productions_api.ProductionsView.as_view()),
    path("productions/<int:production_id>/", productions_api.ProductionView.as_view()),
    path("productions/<int:production_id>/editions/", productions_api.EditionsView.as_view()),
    path("productions/<int:production_id>/bring-back/", productions_api.BringBackView.as_view()),
    path("productions/<int:production_id>/duplicate/", productions_api.DuplicateView.as_view()),
    path("productions/<int:production_id>/history/", productions_api.HistoryView.as_view()),
    path("productions/<int:production_id>/editions/<str:language>/", line_api.EditionView.as_view()),
    path("productions/<int:production_id>/editions/<str:language>/removal/",
         productions_api.EditionRemovalView.as_view()),
]
