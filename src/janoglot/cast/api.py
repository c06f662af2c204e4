"""Voices, castings and auditions."""

from __future__ import annotations

from functools import partial
from typing import Any

from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.cast.actions.bring_castings import WHAT, bring_castings, coming_castings, rows_of
from janoglot.cast.actions.cast_all import cast_all
from janoglot.cast.actions.cast_the_rest import cast_the_rest
from janoglot.cast.actions.set_casting import set_casting
from janoglot.cast.actions.set_line_casting import set_line_casting
from janoglot.cast.casting_sheet import read_sheet, write_sheet
from janoglot.cast.recorded_speakers import recorded_measure, unmeasured_speakers
from janoglot.cast.tasks import audition_recipe
from janoglot.cast.voices_api import VoiceSerializer, voice_data
from janoglot.core.deliver.names import file_name
from janoglot.core.errors import BadInput, Problem
from janoglot.core.guarded import whole_number, whole_numbers
from janoglot.core.speech.acoustics import VoiceMeasure
from janoglot.core.speech.catalogue import catalogue, voice_named, voices_for
from janoglot.core.speech.match import ALIKE, NEAR, Pair, contrast, far, set_as
from janoglot.core.speech.measures import known_measure, measure_or_estimate
from janoglot.core.speech.moods import moods_of
from janoglot.core.speech.settings import SETTINGS, VoiceSettings, checked_voice_settings
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.voices import Voice
from janoglot.editions.jobs_api import JobSerializer, job_data
from janoglot.editions.line_api import LineCastingSerializer, line_casting_data
from janoglot.editions.mood_serializers import MoodSerializer, moods_data
from janoglot.editions.state import own_casting
from janoglot.editions.tasks import ask_for, auditions
from janoglot.productions.jobs import running, start
from janoglot.productions.models import Casting, Edition, Line, Speaker, kept_among
from janoglot.productions.permissions import edition_for, production_for, signed_in
from janoglot.productions.together import who_is_together
from janoglot.productions.voices import kept_for, newest, offered_voice, voice_cast
from janoglot.server.fields import number_fields
from janoglot.server.storage import content_disposition, serve, takes
from janoglot.server.uploads import ProblemSerializer, problem_data, uploaded
from janoglot.server.work import BULK

Data = dict[str, Any]


class MeasureSerializer(serializers.Serializer[Data]):
    pitch_hz = serializers.FloatField()
    brightness_hz = serializers.FloatField()
    tract_cm = serializers.FloatField()
    tilt_db = serializers.FloatField()
    pace = serializers.FloatField(help_text="Syllables a second.")
    range_lu = serializers.FloatField()
    estimated = serializers.BooleanField(help_text="Worked out from the voice's shaping; it is not measured yet.")


class SettingsSerializer(serializers.Serializer[Data]):
    def get_fields(self) -> dict[str, serializers.Field]:  # type: ignore[type-arg]
        return number_fields(VoiceSettings)


class CastingSerializer(serializers.Serializer[Data]):
    speaker = serializers.IntegerField()
    language = serializers.CharField()
    voice = VoiceSerializer()
    settings = SettingsSerializer()
    moods = MoodSerializer(many=True)
    accent_meant = serializers.BooleanField()
    by_person = serializers.BooleanField(help_text="Whether a person records the lines.")
    note = serializers.CharField()
    wrong_language = serializers.BooleanField()
    alike = serializers.ListField(child=serializers.CharField(), help_text="Other speakers of the edition whose "
                                  "voice is the same one, or hard to tell apart.")


class CastingChangeSerializer(serializers.Serializer[Data]):
    voice = serializers.CharField(required=False, allow_blank=True, max_length=80)
    accent_meant = serializers.BooleanField(required=False)
    by_person = serializers.BooleanField(required=False)
    note = serializers.CharField(required=False, allow_blank=True, max_length=300)
    moods = MoodSerializer(many=True, required=False, help_text="All of them anew.")

    def get_fields(self) -> dict[str, serializers.Field]:  # type: ignore[type-arg]
        return {**super().get_fields(), **number_fields(VoiceSettings, required=False)}


class MatchSerializer(serializers.Serializer[Data]):
    voice = serializers.CharField()
    distance = serializers.FloatField(allow_null=True, help_text="From the speaker in the source; null without one.")
    nearest_to = serializers.ChoiceField(["recording", "voice", ""], help_text="What the distance is from: how the "
                                         "speaker sounds in the source recording, or the voice cast in the source.")
    alike = serializers.ListField(child=serializers.CharField(), help_text="Speakers of shared parts whom it would be "
                                  "hard to tell from.")
    measure = MeasureSerializer()


class PointSerializer(serializers.Serializer[Data]):
    speaker = serializers.IntegerField()
    voice = serializers.CharField()
    measure = MeasureSerializer()


class BetterSerializer(serializers.Serializer[Data]):
    speaker = serializers.IntegerField()
    voice = serializers.CharField()
    name = serializers.CharField()


class PairSerializer(serializers.Serializer[Data]):
    one = serializers.IntegerField()
    other = serializers.IntegerField()
    distance = serializers.FloatField(help_text="About in semitones of pitch.")
    together = serializers.BooleanField(help_text="Whether they share a part.")
    alike = serializers.BooleanField()
    better = BetterSerializer(allow_null=True, help_text="Another voice for one of the two.")


class ContrastSerializer(serializers.Serializer[Data]):
    points = PointSerializer(many=True)
    pairs = PairSerializer(many=True)


class BringCastingsSerializer(serializers.Serializer[Data]):
    file = serializers.FileField(required=False)
    text = serializers.CharField(required=False, trim_whitespace=False)
    production = serializers.IntegerField(required=False, help_text="Copy from this production instead.")
    apply = serializers.BooleanField(default=True, help_text="Without it, what would change is only told.")
    take = serializers.CharField(required=False, allow_blank=True, help_text="The rows to take, by comma; without it, "
                                 "what is new or was changed in the sheet alone.")


class ComingCastingSerializer(serializers.Serializer[Data]):
    row = serializers.IntegerField()
    speaker = serializers.CharField()
    language = serializers.CharField()
    what = serializers.ChoiceField(WHAT)
    voice = serializers.CharField(help_text="In the sheet, by name.")
    now = serializers.CharField(help_text="Here; empty where nobody is cast.")


class BroughtSerializer(serializers.Serializer[Data]):
    count = serializers.IntegerField()
    rows = ComingCastingSerializer(many=True)
    problems = ProblemSerializer(many=True)


class SampleSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(help_text="This speaker's own line for hearing a voice say it.")


def measure_data(voice: Voice, measure: VoiceMeasure) -> Data:
    return {"pitch_hz": round(measure.pitch_hz, 1), "brightness_hz": round(measure.brightness_hz),
            "tract_cm": round(measure.tract_cm, 1), "tilt_db": round(measure.tilt_db, 1),
            "pace": round(measure.pace, 1), "range_lu": round(measure.range_lu, 1),
            "estimated": known_measure(voice, takes()) is None}


def measure_of(casting: Casting, voice: Voice) -> VoiceMeasure:
    """What a casting sounds like, its settings with it."""
    return set_as(measure_or_estimate(voice, takes()), casting.settings)


def cast_of(edition: Edition) -> list[tuple[Casting, Voice]]:
    castings = list(Casting.objects.filter(edition=edition).select_related("speaker").order_by("speaker__position"))
    voices = {**catalogue(), **kept_among([casting.voice for casting in castings])}
    return [(casting, voices[casting.voice]) for casting in castings if casting.voice in voices]


def castings_data(edition: Edition) -> list[Data]:
    known = cast_of(edition)
    pairs = contrast({c.speaker.name: measure_of(c, voice) for c, voice in known}, who_is_together(edition.production))
    alike: dict[str, list[str]] = {}
    for pair in pairs:
        if pair.alike:
            alike.setdefault(pair.one, []).append(pair.other)
            alike.setdefault(pair.other, []).append(pair.one)
    return [
        {
            "speaker": casting.speaker_id, "language": edition.language, "voice": voice_data(voice, edition.language),
            "settings": {name: getattr(casting, name) for name in SETTINGS},
            "moods": moods_data(moods_of(casting.moods)),
            "accent_meant": casting.accent_meant, "by_person": casting.by_person, "note": casting.note,
            "wrong_language": not casting.accent_meant and not voice.speaks(edition.language),
            "alike": alike.get(casting.speaker.name, []),
        }
        for casting, voice in known
    ]


class CastingsView(APIView):
    @extend_schema(responses=CastingSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Who speaks whom in an edition."""
        return Response(castings_data(edition_for(request.user, production_id, language)))

    @extend_schema(request=None, responses=CastingSerializer(many=True))
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Give every speaker without a voice one that suits."""
        edition = edition_for(request.user, production_id, language, change=True)
        cast_the_rest(request.user, edition)
        return Response(castings_data(edition))


class CastAllSerializer(serializers.Serializer[Data]):
    cast = serializers.DictField(child=serializers.IntegerField(), help_text="How many speakers, by language.")


class CastAllView(APIView):
    @extend_schema(request=None, responses=CastAllSerializer)
    def post(self, request: Request, production_id: int) -> Response:
        """Give everybody a voice in every edition who has none there, near the one in the source."""
        production = production_for(request.user, production_id, change=True)
        return Response({"cast": cast_all(request.user, production)})


class CastingView(APIView):
    @extend_schema(request=CastingChangeSerializer, responses=CastingSerializer(many=True))
    def put(self, request: Request, production_id: int, language: str, speaker_id: int) -> Response:
        """Cast a speaker, change how the voice is set, or (voice empty) take it away."""
        edition = edition_for(request.user, production_id, language, change=True)
        speaker = _speaker(edition, speaker_id)
        given = CastingChangeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        set_casting(request.user, edition, speaker, dict(given.validated_data))
        return Response(castings_data(edition))


def _speaker(edition: Edition, speaker_id: int) -> Speaker:
    speaker = Speaker.objects.filter(production_id=edition.production_id, pk=speaker_id).first()
    if speaker is None:
        raise Http404
    return speaker


def own_line(edition: Edition, speaker: Speaker) -> str:
    """The speaker's line to hear a voice by: the longest of the short ones, in the edition or in the source."""
    for language in (edition.language, edition.production.source_language):
        spoken = edition.production.editions.get(language=language).wordings.filter(line__speaker=speaker)
        texts = list(spoken.exclude(text="").values_list("text", flat=True))
        short = [text for text in texts if len(text) <= 90] or sorted(texts, key=len)[:1]
        if short:
            return str(max(short, key=len))
    return ""


class SampleView(APIView):
    @extend_schema(responses=SampleSerializer)
    def get(self, request: Request, production_id: int, language: str, speaker_id: int) -> Response:
        """The line that auditions say."""
        edition = edition_for(request.user, production_id, language)
        return Response({"text": own_line(edition, _speaker(edition, speaker_id))})


class AuditionSerializer(serializers.Serializer[Data]):
    finished = serializers.BooleanField(help_text="Whether the voice itself can be heard.")
    sketched = serializers.BooleanField(help_text="Whether a light voice can be heard in its place.")
    fault = serializers.CharField(help_text="Why it cannot say this; empty where it can.")


_AUDITION = [OpenApiParameter("voice", str, required=True), *(OpenApiParameter(name, float) for name in SETTINGS)]


class AuditionView(APIView):
    @extend_schema(parameters=_AUDITION, request=None, responses=AuditionSerializer)
    def post(self, request: Request, production_id: int, language: str, speaker_id: int) -> Response:
        """Have a voice say this speaker's own line, and what can be heard of it already: ask again until it is there.

        A rich voice is heard as a sketch first, at just the length that it will have.
        """
        recipe = _auditioned(request, production_id, language, speaker_id)
        there, fault = ask_for(recipe)
        return Response({"finished": "finish" in there, "sketched": "sketch" in there, "fault": fault})

    @extend_schema(parameters=[*_AUDITION, OpenApiParameter("sketch", bool)],
                   responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, speaker_id: int) -> HttpResponseBase:
        """The sound of a voice saying this speaker's own line, once it is there: the sketch where that is asked for."""
        recipe = _auditioned(request, production_id, language, speaker_id)
        key = auditions(recipe).get("sketch" if request.query_params.get("sketch") == "true" else "finish")
        if key is None:
            raise Http404
        plain: HttpRequest = request._request
        return serve(plain, takes(), key, f"{recipe.voice.name}.wav")


def _auditioned(request: Request, production_id: int, language: str, speaker_id: int) -> TakeRecipe:
    edition = edition_for(request.user, production_id, language)
    words = own_line(edition, _speaker(edition, speaker_id))
    if not words:
        raise BadInput("This speaker has no words yet.")
    voice = offered_voice(request.user, edition.production, request.query_params.get("voice", ""))
    return audition_recipe(words, voice.id, checked_voice_settings(request.query_params), language)


class MatchView(APIView):
    @extend_schema(responses=MatchSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str, speaker_id: int) -> Response:
        """The voices that speak the language, the nearest to this speaker in the source first: as the recording has
        them, or else by the voice they are cast in there."""
        edition = edition_for(request.user, production_id, language)
        speaker = _speaker(edition, speaker_id)
        kept = [voice for voice in newest(kept_for(request.user, edition.production)) if voice.speaks(language)]
        voices = [*kept, *voices_for(language)]
        together = who_is_together(edition.production)
        others = {c.speaker.name: measure_of(c, voice) for c, voice in cast_of(edition)
                  if c.speaker_id != speaker.pk and frozenset((c.speaker.name, speaker.name)) in together}
        source = edition.production.editions.get(language=edition.production.source_language)
        recorded = recorded_measure(speaker)
        model = recorded or next(
            (measure_of(c, voice) for c, voice in cast_of(source) if c.speaker_id == speaker.pk), None)
        nearest_to = "recording" if recorded else "voice" if model else ""
        rows: list[Data] = []
        for voice in voices:
            measure = measure_or_estimate(voice, takes())
            rows.append({
                "voice": voice.id, "distance": None if model is None else round(far(measure, model), 2),
                "alike": [name for name, other in others.items() if far(measure, other) < ALIKE],
                "measure": measure_data(voice, measure), "nearest_to": nearest_to,
            })
        # What would be taken for somebody else comes behind what would not.
        rows.sort(key=lambda row: (len(row["alike"]) > 0, row["distance"] or 0.0, row["voice"]))
        return Response(rows)


_MEASURED_AT_ONCE = 40


class MeasuresView(APIView):
    @extend_schema(request=None, responses={202: JobSerializer, 204: None})
    def post(self, request: Request, production_id: int, language: str) -> Response:
        """Have voices that speak the language measured which nobody has measured yet: until then they are guessed at.

        Who may listen may ask: it changes nothing of the production.
        """
        edition = edition_for(request.user, production_id, language)
        cast = [voice for _, voice in cast_of(edition)]
        speakers = [speaker.pk for speaker in unmeasured_speakers(edition.production)]
        missing: list[str | int] = [*speakers, *[voice.id for voice in dict.fromkeys([*cast, *voices_for(language)])
                   if known_measure(voice, takes()) is None][:_MEASURED_AT_ONCE]]
        if not missing:
            return Response(status=status.HTTP_204_NO_CONTENT)
        user = signed_in(request.user)
        job = running("measure", user=user) or start("measure", BULK, missing, user=user, piece_size=8)
        return Response(job_data(job), status=status.HTTP_202_ACCEPTED)


class ContrastView(APIView):
    @extend_schema(responses=ContrastSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """How far apart the voices of an edition sound; for pairs hard to tell apart, a better choice."""
        edition = edition_for(request.user, production_id, language)
        known = cast_of(edition)
        cast = {c.speaker.name: measure_of(c, voice) for c, voice in known}
        ids = {c.speaker.name: c.speaker_id for c, _ in known}
        together = who_is_together(edition.production)
        pairs = contrast(cast, together)
        lines = dict(Speaker.objects.filter(production=edition.production).annotate(count=Count("lines"))
                     .values_list("name", "count"))
        return Response({
            "points": [{"speaker": c.speaker_id, "voice": voice.name,
                        "measure": measure_data(voice, cast[c.speaker.name])} for c, voice in known],
            "pairs": [{"one": ids[p.one], "other": ids[p.other], "distance": round(p.distance, 2),
                       "together": p.together, "alike": p.alike,
                       "better": _better(edition, p, cast, ids, together, lines) if p.alike else None}
                      for p in pairs[:_MOST_PAIRS]],
        })


def _better(edition: Edition, pair: Pair, cast: dict[str, VoiceMeasure], ids: dict[str, int],
            together: set[frozenset[str]], lines: dict[str, int]) -> Data | None:
    """For whoever of two says less: the voice that is like theirs and can be told from everybody they share a part
    with; None where there is none."""
    name = min((pair.one, pair.other), key=lambda one: (lines.get(one, 0), one))
    others = [m for other, m in cast.items() if other != name and frozenset((name, other)) in together]
    used = {c.voice for c, _ in cast_of(edition)}
    found = []
    for voice in voices_for(edition.language):
        measure = measure_or_estimate(voice, takes())
        if voice.id not in used and all(far(measure, other) >= NEAR for other in others):
            found.append((not voice.is_rich, far(measure, cast[name]), voice.id))
    if not found:
        return None
    best = voice_named(min(found)[2])
    return {"speaker": ids[name], "voice": best.id, "name": best.name}


class LineCastingView(APIView):
    @extend_schema(request=LineCastingSerializer, responses=LineCastingSerializer)
    def put(self, request: Request, production_id: int, language: str, line_id: int) -> Response:
        """Give one line a voice, a language or settings of its own; null or empty puts back to the casting."""
        edition = edition_for(request.user, production_id, language, change=True)
        line = Line.objects.filter(production_id=production_id, pk=line_id).first()
        if line is None:
            raise Http404
        given = LineCastingSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        row = set_line_casting(request.user, edition, line, dict(given.validated_data))
        return Response(line_casting_data(own_casting(row) if row else None) or {})


class CastingSheetView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, ending: str) -> HttpResponse:
        """Every casting as castings.csv, .xlsx or .json."""
        production = production_for(request.user, production_id)
        if ending not in _SHEET_KINDS:
            raise Http404
        response = HttpResponse(write_sheet(production, ending), content_type=_SHEET_KINDS[ending])
        response.headers["Content-Disposition"] = content_disposition(
            "attachment", f"{file_name(production.name, 'production')}_castings.{ending}")
        return response


class BringCastingsView(APIView):
    @extend_schema(request=BringCastingsSerializer, responses=BroughtSerializer)
    def post(self, request: Request, production_id: int) -> Response:
        """Bring castings in from a sheet, or copy them from another production, by speaker name."""
        production = production_for(request.user, production_id, change=True)
        problems: list[Problem] = []
        other = request.data.get("production") if isinstance(request.data, dict) else None
        if other is not None:
            chosen = whole_number(str(other))
            if chosen is None:
                raise BadInput("Say which production to copy from.")
            rows = rows_of(production_for(request.user, chosen))
        else:
            content, _ = uploaded(request)
            rows = read_sheet(content, problems, partial(offered_voice, request.user, production))
        coming = coming_castings(production, rows, problems)
        given = BringCastingsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        take = given.validated_data.get("take")
        count = bring_castings(request.user, production, coming, None if take is None else whole_numbers(
            take.split(","))) if given.validated_data["apply"] else 0

        def name_of(voice: str) -> str:
            found = voice_cast(voice)
            return found.name if found else voice

        return Response({
            "count": count, "problems": [problem_data(p) for p in problems[:200]],
            "rows": [{"row": one.row.row, "speaker": one.speaker.name, "language": one.edition.language,
                      "what": one.what, "voice": name_of(one.row.voice),
                      "now": name_of(one.now.voice) if one.now else ""} for one in coming if one.what != "same"],
        })


_SHEET_KINDS = {
    "csv": "text/csv; charset=utf-8", "json": "application/json",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
_MOST_PAIRS = 400
