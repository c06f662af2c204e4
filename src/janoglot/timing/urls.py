from __future__ import annotations

from django.urls import path

from janoglot.timing import api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path(f"{_EDITION}timing/", api.TimingView.as_view()),
    path(f"{_EDITION}timing/lines/", api.LineTimingsView.as_view()),
    path(f"{_EDITION}timing/lines/<int:line_id>/cures/", api.CuresView.as_view()),
    path(f"{_EDITION}timing/what-if/", api.WhatIfView.as_view()),
    path(f"{_EDITION}timing/lips/", api.LipsView.as_view()),
    path(f"{_EDITION}wordings/<int:line_id>/lips/", api.WordingLipsView.as_view()),
    path(f"{_EDITION}timing/aim/", api.AimView.as_view()),
]
