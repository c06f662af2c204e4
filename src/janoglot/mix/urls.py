from __future__ import annotations

from django.urls import path

from janoglot.mix import api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path(f"{_EDITION}mixes/", api.MixesView.as_view()),
    path(f"{_EDITION}mixes/<str:recipe>/", api.MixView.as_view()),
    path(f"{_EDITION}mixes/<str:recipe>/sound.wav", api.MixSoundView.as_view()),
]
