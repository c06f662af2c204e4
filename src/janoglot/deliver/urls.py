from __future__ import annotations

from django.urls import path

from janoglot.deliver import api

_PRODUCTION = "productions/<int:production_id>/"

urlpatterns = [
    path(f"{_PRODUCTION}deliveries/", api.DeliveriesView.as_view()),
    path(f"{_PRODUCTION}editions/<str:language>/files/", api.EditionFilesView.as_view()),
    path(f"{_PRODUCTION}files/", api.FilesView.as_view()),
    path(f"{_PRODUCTION}unheld/", api.UnheldView.as_view()),
    path(f"{_PRODUCTION}files/<int:file_id>/", api.FileView.as_view()),
    path(f"{_PRODUCTION}files/<int:file_id>/content", api.FileContentView.as_view()),
]
