from __future__ import annotations

from django.urls import path

from janoglot.media import api

_MEDIA = "productions/<int:production_id>/media/"

urlpatterns = [
    path(_MEDIA, api.MediaView.as_view()),
    path(f"{_MEDIA}<int:media_id>/", api.OneMediaView.as_view()),
    path(f"{_MEDIA}<int:media_id>/copies/", api.MediaCopiesView.as_view()),
    path(f"{_MEDIA}<int:media_id>/peaks/", api.MediaPeaksView.as_view()),
    path(f"{_MEDIA}<int:media_id>/<str:file>", api.MediaFileView.as_view()),
]
