from __future__ import annotations

from django.urls import path

from janoglot.script import api, editing

urlpatterns = [
    path("imports/", api.ImportsView.as_view()),
    path("imports/<int:draft_id>/", api.ImportView.as_view()),
    path("imports/<int:draft_id>/production/", api.NewProductionView.as_view()),
    path("lines/<int:line_id>/", api.LineView.as_view()),
    path("lines/<int:line_id>/split/", editing.SplitView.as_view()),
    path("lines/<int:line_id>/join/", editing.JoinView.as_view()),
    path("parts/<int:part_id>/", editing.PartView.as_view()),
    path("productions/<int:production_id>/script/", editing.ScriptView.as_view()),
    path("productions/<int:production_id>/script/move/", editing.MoveView.as_view()),
    path("productions/<int:production_id>/script/give/", editing.GiveView.as_view()),
    path("productions/<int:production_id>/script/add/", editing.AddView.as_view()),
    path("productions/<int:production_id>/script/remove/", editing.RemoveView.as_view()),
    path("productions/<int:production_id>/script/mark/", editing.MarkView.as_view()),
    path("productions/<int:production_id>/script/parts/", editing.BeginPartView.as_view()),
    path("productions/<int:production_id>/script/labels/", editing.LabelsView.as_view()),
    path("productions/<int:production_id>/script/labels/merge/", editing.MergeLabelsView.as_view()),
    path("productions/<int:production_id>/undo/", editing.UndoView.as_view()),
    path("productions/<int:production_id>/redo/", editing.RedoView.as_view()),
    path("productions/<int:production_id>/back/", editing.BackView.as_view()),
    path("productions/<int:production_id>/editions/<str:language>/checks/", editing.ChecksView.as_view()),
    path("speakers/<int:speaker_id>/", api.SpeakerView.as_view()),
    path("speakers/<int:speaker_id>/merge/", api.MergeView.as_view()),
]
