from __future__ import annotations

from django.urls import path

from janoglot.script import api

urlpatterns = [
    path("imports/", api.ImportsView.as_view()),
    path("imports/<int:draft_id>/", api.ImportView.as_view()),
    path("lines/<int:line_id>/", api.LineView.as_view()),
    path("speakers/<int:speaker_id>/", api.SpeakerView.as_view()),
    path("speakers/<int:speaker_id>/merge/", api.MergeView.as_view()),
]
