from __future__ import annotations

from django.urls import path

from janoglot.adapt import api, board_api, drafts_api, exchange_api, replace_api, terms_api

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path(f"{_EDITION}wordings/", api.WordingsView.as_view()),
    path(f"{_EDITION}wordings/<int:line_id>/", api.WordingView.as_view()),
    path(f"{_EDITION}wordings/<int:line_id>/gauge/", api.GaugeView.as_view()),
    path(f"{_EDITION}doubts/", api.DoubtsView.as_view()),
    path(f"{_EDITION}brief/", api.BriefView.as_view()),
    path(f"{_EDITION}captions/", api.CaptionsView.as_view()),
    path(f"{_EDITION}drafts/", drafts_api.DraftsView.as_view()),
    path(f"{_EDITION}memory/", drafts_api.MemoryView.as_view()),
    path(f"{_EDITION}memory.tmx", drafts_api.MemoryFileView.as_view()),
    path(f"{_EDITION}meaning/", drafts_api.MeaningView.as_view()),
    path(f"{_EDITION}terms/", terms_api.TermsView.as_view()),
    path(f"{_EDITION}terms/<int:term_id>/", terms_api.TermView.as_view()),
    path(f"{_EDITION}terms/brought/", terms_api.TermsBroughtView.as_view()),
    path(f"{_EDITION}terms.<str:layout>", terms_api.TermsFileView.as_view()),
    path(f"{_EDITION}wordings.<str:layout>", exchange_api.OutgoingView.as_view()),
    path(f"{_EDITION}returned/", exchange_api.ReturnedView.as_view()),
    path(f"{_EDITION}replace/", replace_api.ReplaceView.as_view()),
    path("productions/<int:production_id>/board/", board_api.BoardView.as_view()),
    path(f"{_EDITION}board-lines/", board_api.BoardLinesView.as_view()),
]
