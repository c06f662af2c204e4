from __future__ import annotations

from django.urls import path

from janoglot.deliver import api

urlpatterns = [
    path("productions/<int:production_id>/deliveries/", api.DeliveriesView.as_view()),
    path("productions/<int:production_id>/script.<str:ending>", api.ScriptView.as_view()),
    path("productions/<int:production_id>/editions/<str:language>/files/<str:file>", api.DownloadView.as_view()),
]
