from __future__ import annotations

from django.urls import path

from janoglot.review import links_api, page_api

_PRODUCTION = "productions/<int:production_id>/"
_LINK = "review/<str:token>/"

urlpatterns = [
    path(f"{_PRODUCTION}links/", links_api.ReviewLinksView.as_view()),
    path(f"{_PRODUCTION}links/<int:link_id>/", links_api.ReviewLinkView.as_view()),
    path(f"{_PRODUCTION}links/<int:link_id>/code.svg", links_api.ReviewLinkCodeView.as_view()),
    path(f"{_PRODUCTION}remarks/", links_api.RemarksView.as_view()),
    path(f"{_PRODUCTION}remarks.csv", links_api.RemarksFileView.as_view()),
    path(f"{_PRODUCTION}remarks/<int:remark_id>/", links_api.RemarkView.as_view()),
    path(f"{_PRODUCTION}remarks/<int:remark_id>/taking/", links_api.RemarkTakingView.as_view()),
    path(f"{_PRODUCTION}remarks/<int:remark_id>/spoken.flac", links_api.RemarkSoundView.as_view()),
    path(_LINK, page_api.OpenedLinkView.as_view()),
    path(f"{_LINK}remarks/", page_api.ReviewersRemarksView.as_view()),
    path(f"{_LINK}remarks/<int:remark_id>/", page_api.ReviewersRemarkView.as_view()),
    path(f"{_LINK}source/<str:file>", page_api.ReviewedSourceView.as_view()),
    path(f"{_LINK}editions/<str:language>/", page_api.ReviewedEditionView.as_view()),
    path(f"{_LINK}editions/<str:language>/approval/", page_api.ApprovingView.as_view()),
    path(f"{_LINK}editions/<str:language>/lines/<int:line>.aac", page_api.ReviewedLineSoundView.as_view()),
    path(f"{_LINK}editions/<str:language>/<str:file>", page_api.ReviewedSoundView.as_view()),
]
