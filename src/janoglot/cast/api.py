"""Voices, castings and auditions."""

from __future__ import annotations

from typing import Any

from celery.exceptions import TimeoutError as TaskTimeout
from django.http import Http404, HttpRequest
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.cast.actions.cast_the_rest import cast_the_rest
from janoglot.cast.actions.set_casting import set_casting
from janoglot.cast.models import Casting
from janoglot.cast.tasks import say
from janoglot.core.errors import BadInput
from janoglot.core.languages import distance, english_name, tag_of
from janoglot.core.speech.casting import apart
from janoglot.core.speech.catalogue import catalogue, voice_named
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.voices import AGES, REGISTERS, Voice
from janoglot.productions.models import Edition
from janoglot.productions.permissions import edition_for
from janoglot.script.models import Speaker
from janoglot.server.faults import Busy
from janoglot.server.storage import serve_sound, takes

Data = dict[str, Any]
_PATIENCE = 20
"""Seconds that an audition may take before the person is told that the workers are busy."""


class VoiceSerializer(serializers.Serializer[Data]):
    id = serializers.CharField()
    name = serializers.CharField()
    locale = serializers.CharField()
    language = serializers.CharField(help_text="In English.")
    accent = serializers.CharField()
    register = serializers.ChoiceField(REGISTERS)
    age = serializers.ChoiceField(AGES)
    engine = serializers.CharField()
    licence = serializers.CharField()
    native = serializers.BooleanField(help_text="Whether it speaks the language that was asked for.")
    from_home = serializers.BooleanField(help_text="Whether that language is its own, not one of its others.")
    pitch_hz = serializers.FloatField()


class CastingSerializer(serializers.Serializer[Data]):
    speaker = serializers.IntegerField()
    language = serializers.CharField()
    voice = VoiceSerializer()
    pace = serializers.FloatField()
    pitch = serializers.FloatField()
    level_db = serializers.FloatField()
    accent_meant = serializers.BooleanField()
    wrong_language = serializers.BooleanField()
    alike = serializers.ListField(child=serializers.CharField(), help_text="Other speakers of the edition whose "
                                  "voice is the same one, or hard to tell apart.")


class CastingChangeSerializer(serializers.Serializer[Data]):
    voice = serializers.CharField(required=False, allow_blank=True, max_length=80)
    pace = serializers.FloatField(required=False, min_value=0.7, max_value=1.4)
    pitch = serializers.FloatField(required=False, min_value=-6, max_value=6)
    level_db = serializers.FloatField(required=False, min_value=-12, max_value=12)
    accent_meant = serializers.BooleanField(required=False)


class SampleSerializer(serializers.Serializer[Data]):
    text = serializers.CharField(help_text="This speaker's own line for hearing a voice say it.")


ALIKE = 2.0
"""Voices nearer than this, in semitones of :func:`apart`, are hard to tell apart in one scene."""


def voice_data(voice: Voice, language: str | None = None) -> Data:
    return {
        "id": voice.id, "name": voice.name, "locale": voice.locale, "language": english_name(voice.locale),
        "accent": voice.accent, "register": voice.register, "age": voice.age, "engine": voice.engine,
        "licence": voice.licence, "native": voice.speaks(language) if language else True,
        "from_home": voice.is_native(language) if language else True,
        "pitch_hz": voice.shaping.pitch_hz,
    }


def castings_data(edition: Edition) -> list[Data]:
    voices = catalogue()
    castings = list(Casting.objects.filter(edition=edition).select_related("speaker"))
    known = [(c, voices[c.voice]) for c in castings if c.voice in voices]
    return [
        {
            "speaker": casting.speaker_id, "language": edition.language, "voice": voice_data(voice, edition.language),
            "pace": casting.pace, "pitch": casting.pitch, "level_db": casting.level_db,
            "accent_meant": casting.accent_meant,
            "wrong_language": not casting.accent_meant and not voice.speaks(edition.language),
            "alike": [other.speaker.name for other, v in known if other is not casting and apart(voice, v) < ALIKE],
        }
        for casting, voice in known
    ]


class VoicesView(APIView):
    @extend_schema(parameters=[OpenApiParameter("language", str), OpenApiParameter("all", bool)],
                   responses=VoiceSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The catalogue; with ``language``, its voices first those of its region, and with ``all`` the others too."""
        language = request.query_params.get("language")
        voices = list(catalogue().values())
        if language:
            tag = tag_of(language)
            everyone = request.query_params.get("all") == "true"
            voices = sorted((v for v in voices if everyone or v.speaks(tag)),
                            key=lambda v: (not v.speaks(tag), not v.is_rich, distance(tag, v.locale),
                                           v.shaping.pitch_hz))
            return Response([voice_data(voice, tag) for voice in voices])
        return Response([voice_data(voice) for voice in voices])


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


class AuditionView(APIView):
    @extend_schema(parameters=[OpenApiParameter("voice", str, required=True), OpenApiParameter("pace", float),
                               OpenApiParameter("pitch", float)],
                   responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, language: str, speaker_id: int) -> HttpResponseBase:
        """A voice saying this speaker's own line."""
        edition = edition_for(request.user, production_id, language)
        words = own_line(edition, _speaker(edition, speaker_id))
        if not words:
            raise BadInput("This speaker has no words yet.")
        voice = voice_named(request.query_params.get("voice", ""))
        try:
            pace = min(1.4, max(0.7, float(request.query_params.get("pace", 1))))
            pitch = min(6.0, max(-6.0, float(request.query_params.get("pitch", 0))))
        except ValueError:
            raise BadInput("Pace and pitch are numbers.") from None
        key = f"{TakeRecipe(words, voice, Delivery(pace=pace, pitch=pitch), language).hash}.wav"
        if not takes().has(key):
            try:
                key = say.apply_async((words, voice.id, pace, pitch, language), queue="now", expires=_PATIENCE).get(
                    timeout=_PATIENCE)
            except TaskTimeout:
                raise Busy("The voices are busy just now. Try again in a moment.") from None
        plain: HttpRequest = request._request
        return serve_sound(plain, takes().path(key), f"{voice.name}.wav")
