"""The catalogue of voices: those that come with it, and those that people keep."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import Q
from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.cast.actions.keep_voice import LONGEST_NAME, keep_voice, retire_voice
from janoglot.cast.models import Favourite
from janoglot.core.errors import BadInput
from janoglot.core.guarded import whole_number
from janoglot.core.languages import distance, english_name, tag_of
from janoglot.core.speech.catalogue import catalogue, voice_named
from janoglot.core.speech.understanding import heard_speaking
from janoglot.core.speech.voices import AGES, REGISTERS, Voice
from janoglot.productions.models import Casting, KeptVoice
from janoglot.productions.permissions import Anyone, edition_for, production_for, signed_in, visible_productions
from janoglot.productions.voices import kept_for, newest, voice_cast

Data = dict[str, Any]


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
    commercial = serializers.BooleanField(allow_null=True, help_text="May be used commercially; null: not known.")
    licence_at = serializers.CharField(help_text="Where the licence is written.")
    native = serializers.BooleanField(help_text="Whether it speaks the language that was asked for.")
    from_home = serializers.BooleanField(help_text="Whether that language is its own, not one of its others.")
    understood = serializers.FloatField(allow_null=True, help_text="How much of what it says in the language asked for "
                                        "was understood, 0 to 1, where that is not its own; null: not measured.")
    pitch_hz = serializers.FloatField()
    version = serializers.IntegerField(help_text="Of a voice that people keep, from 1 on; 0 of the catalogue's own.")


class UseSerializer(serializers.Serializer[Data]):
    production = serializers.IntegerField()
    name = serializers.CharField()
    language = serializers.CharField()
    speaker = serializers.CharField()


class FavouritesSerializer(serializers.Serializer[Data]):
    voices = serializers.ListField(child=serializers.CharField(max_length=80), max_length=2000)


class KeepVoiceSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(max_length=LONGEST_NAME)
    mine = serializers.BooleanField(required=False, default=False,
                                    help_text="Yours, in all your productions; else this production's.")


class KeptVoiceSerializer(VoiceSerializer):
    mine = serializers.BooleanField(help_text="Yours in all your productions, not one production's.")
    production = serializers.CharField(help_text="Whose it is; empty for yours.")


def voice_data(voice: Voice, language: str | None = None) -> Data:
    heard = heard_speaking(voice.base, language) if language and not voice.is_native(language) else None
    return {
        "id": voice.id, "name": voice.name, "locale": voice.locale, "language": english_name(voice.locale),
        "accent": voice.accent, "register": voice.register, "age": voice.age, "engine": voice.engine,
        "licence": voice.licence, "commercial": voice.commercial, "licence_at": voice.licence_at,
        "native": voice.speaks(language) if language else True,
        "from_home": voice.is_native(language) if language else True,
        "understood": heard.understood if heard else None, "pitch_hz": voice.shaping.pitch_hz,
        "version": voice.version,
    }


def kept_voice_data(row: KeptVoice) -> Data:
    return {**voice_data(row.core), "mine": row.production is None,
            "production": row.production.name if row.production else ""}


class VoicesView(APIView):
    @extend_schema(parameters=[OpenApiParameter("language", str), OpenApiParameter("all", bool),
                               OpenApiParameter("production", int)],
                   responses=VoiceSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The catalogue, with the voices that you keep and, of a ``production``, those that it keeps: these first.

        With ``language``, its voices, first those of its region, and with ``all`` the others too.
        """
        language = request.query_params.get("language")
        chosen = whole_number(request.query_params.get("production", ""))
        production = production_for(request.user, chosen) if chosen is not None else None
        voices = [*newest(kept_for(request.user, production)), *catalogue().values()]
        if language:
            tag = tag_of(language)
            everyone = request.query_params.get("all") == "true"
            voices = sorted((v for v in voices if everyone or v.speaks(tag)),
                            key=lambda v: (not v.speaks(tag), not v.is_kept, v.engine_rank, distance(tag, v.locale),
                                           v.shaping.pitch_hz))
            return Response([voice_data(voice, tag) for voice in voices])
        return Response([voice_data(voice) for voice in voices])


class KeepVoiceView(APIView):
    @extend_schema(request=KeepVoiceSerializer, responses={201: KeptVoiceSerializer})
    def post(self, request: Request, production_id: int, language: str, speaker_id: int) -> Response:
        """Keep how a speaker sounds as a voice of its own, timbre and pitch with it, and cast the speaker with that.

        The same name again is another version; whatever was cast with the one before sounds as it did.
        """
        edition = edition_for(request.user, production_id, language, change=True)
        casting = Casting.objects.select_related("speaker", "edition__production").filter(
            edition=edition, speaker=speaker_id).first()
        if casting is None:
            raise BadInput("Choose a voice first.")
        sent = KeepVoiceSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        row = keep_voice(request.user, casting, sent.validated_data["name"], sent.validated_data["mine"])
        return Response(kept_voice_data(row), status=status.HTTP_201_CREATED)


class KeptVoicesView(APIView):
    @extend_schema(responses=KeptVoiceSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The voices that you keep, and that productions of yours do."""
        return Response([kept_voice_data(row) for row in _kept(request.user)])


class KeptVoiceView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, voice: str) -> Response:
        """Offer a voice no more, in any version; where it is cast it stays."""
        row = next((one for one in _kept(request.user) if one.pk == voice), None)
        if row is None:
            raise Http404
        retire_voice(request.user, row)
        return Response(status=status.HTTP_204_NO_CONTENT)


def _kept(user: Anyone) -> list[KeptVoice]:
    rows = KeptVoice.objects.select_related("production").filter(
        Q(production__in=visible_productions(user)) | Q(production=None, owner=signed_in(user)), retired=False)
    return list(rows)


def _versions(user: Anyone, voice: str) -> list[str]:
    """The id of a voice, and of every version of one that is kept. Raises UnknownVoice."""
    row = KeptVoice.objects.filter(pk=voice).first()
    if row is None or row.pk not in {one.pk for one in _kept(user)}:
        return [voice_named(voice).id]
    return list(KeptVoice.objects.filter(name=row.name, production=row.production, owner=row.owner)
                .values_list("id", flat=True))


class UsesView(APIView):
    @extend_schema(responses=UseSerializer(many=True))
    def get(self, request: Request, voice: str) -> Response:
        """Where else a voice is cast, among the productions that you are a member of."""
        castings = Casting.objects.filter(
            voice__in=_versions(request.user, voice), edition__production__in=visible_productions(request.user))
        castings = castings.select_related("edition__production", "speaker").order_by("edition__production_id", "id")
        return Response([{"production": c.edition.production_id, "name": c.edition.production.name,
                          "language": c.edition.language, "speaker": c.speaker.name} for c in castings[:200]])


class FavouritesView(APIView):
    @extend_schema(responses=FavouritesSerializer)
    def get(self, request: Request) -> Response:
        """The voices that you keep at hand."""
        mine = Favourite.objects.filter(user=signed_in(request.user))
        return Response({"voices": sorted(mine.values_list("voice", flat=True))})

    @extend_schema(request=FavouritesSerializer, responses=FavouritesSerializer)
    def put(self, request: Request) -> Response:
        """Keep these voices at hand, and no others."""
        given = FavouritesSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        user = signed_in(request.user)
        wanted = {voice for voice in given.validated_data["voices"] if voice_cast(voice)}
        with transaction.atomic():
            Favourite.objects.filter(user=user).exclude(voice__in=wanted).delete()
            have = set(Favourite.objects.filter(user=user).values_list("voice", flat=True))
            Favourite.objects.bulk_create([Favourite(user=user, voice=voice) for voice in wanted - have],
                                          ignore_conflicts=True)
        return self.get(request)
