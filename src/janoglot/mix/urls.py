from __future__ import annotations

from django.urls import path

from janoglot.mix import api, layers_api, library_api, sounds_api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path("sounds/", sounds_api.DescribedSoundView.as_view()),
    path("sounds/heard.flac", sounds_api.MadeSoundView.as_view()),
    path("sounds/whole.flac", sounds_api.SoundView.as_view()),
    path("sounds/cuts/", sounds_api.SoundCutsView.as_view()),
    path("sounds/peaks/", sounds_api.SoundPeaksView.as_view()),
    path("library/sounds/", library_api.LibraryView.as_view()),
    path("library/sounds/<int:sound_id>/", library_api.LibrarySoundView.as_view()),
    path("library/favourites/", library_api.FavouriteSoundsView.as_view()),
    path(f"{_EDITION}layers/", layers_api.LayersView.as_view()),
    path(f"{_EDITION}layers/piece.flac", layers_api.LayerPieceView.as_view()),
    path("productions/<int:production_id>/sounds/", sounds_api.SoundWorldView.as_view()),
    path(f"{_EDITION}mixes/", api.MixesView.as_view()),
    path(f"{_EDITION}mixes/<str:recipe>/", api.MixView.as_view()),
    path(f"{_EDITION}mixes/<str:recipe>/sound.wav", api.MixSoundView.as_view()),
]
