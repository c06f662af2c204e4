from __future__ import annotations

from django.urls import path

from janoglot.direct import (
    api,
    audition_api,
    clips_api,
    direction_api,
    guide_api,
    lexicon_api,
    moods_api,
    recordings_api,
    source_acting_api,
    ssml_api,
    stave_api,
)

_EDITION = "productions/<int:production_id>/editions/<str:language>/"

urlpatterns = [
    path(f"{_EDITION}peaks/", api.PeaksView.as_view()),
    path(f"{_EDITION}voicings/", api.VoicingsView.as_view()),
    path("moods/", moods_api.UnderstandingView.as_view()),
    path(f"{_EDITION}moods/", moods_api.MoodsView.as_view()),
    path(f"{_EDITION}parts/<int:part_id>/speakers/<int:speaker_id>/direction/", moods_api.PartDirectionView.as_view()),
    path(f"{_EDITION}lexicon/", lexicon_api.LexiconView.as_view()),
    path(f"{_EDITION}lexicon/brought/", lexicon_api.LexiconBroughtView.as_view()),
    path(f"{_EDITION}lexicon/<int:entry_id>/", lexicon_api.LexiconEntryView.as_view()),
    path(f"{_EDITION}lexicon.<str:layout>", lexicon_api.LexiconFileView.as_view()),
    path(f"{_EDITION}ssml/", ssml_api.SsmlView.as_view()),
    path(f"{_EDITION}source-acting/", source_acting_api.SourceActingView.as_view()),
    path("productions/<int:production_id>/lines/<int:line_id>/table/", clips_api.ClipTableView.as_view()),
    path("productions/<int:production_id>/lines/<int:line_id>/table/brought/",
         clips_api.ClipTableBroughtView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/clips/", clips_api.ClipsView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/clips/<str:name>.wav", clips_api.ClipSoundView.as_view()),
    path(f"{_EDITION}recordings/", recordings_api.RecordingsView.as_view()),
    path(f"{_EDITION}recordings/<int:recording_id>.flac", recordings_api.WaitingSoundView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/recording/", recordings_api.LineRecordingView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/recording/recording.flac", recordings_api.LineRecordingSoundView.as_view()),
    path(f"{_EDITION}sounds/", lexicon_api.SoundsView.as_view()),
    path(f"{_EDITION}sounds/check/", audition_api.IpaCheckView.as_view()),
    path(f"{_EDITION}heard/<str:sound>", audition_api.LineAuditionSoundView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/guide/", guide_api.GuideView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/guide/recording.flac", guide_api.GuideSoundView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/audition/", audition_api.LineAuditionView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/stave/trial/", audition_api.TrialStaveView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/direction/", direction_api.DirectionView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/heard/", api.HeardView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/stave/", stave_api.StaveView.as_view()),
    path(f"{_EDITION}lines/<int:line_id>/take.wav", api.TakeView.as_view()),
]
