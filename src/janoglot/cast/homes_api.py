"""Who is cast in a language that no rich voice is at home in: its light natives, or rich voices with an accent."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.cast.actions.cast_the_rest import chosen_from
from janoglot.cast.actions.choose_cast_from import choose_cast_from
from janoglot.core.languages import english_name, primary
from janoglot.core.speech.casting import no_rich_natives
from janoglot.core.speech.understanding import Heard, heard_speaking
from janoglot.core.speech.voices import Voice
from janoglot.productions.models import Casting, Edition
from janoglot.productions.permissions import edition_for
from janoglot.productions.voices import voice_cast

Data = dict[str, Any]
_CHOICES = ["natives", "rich"]


class HeardSerializer(serializers.Serializer[Data]):
    understood = serializers.FloatField(help_text="Of the sounds, by a recogniser, 0 to 1.")
    taken_for_it = serializers.FloatField(help_text="How surely what they say is taken for the language, 0 to 1.")


class StrangersSerializer(serializers.Serializer[Data]):
    count = serializers.IntegerField()
    homes = serializers.ListField(child=serializers.CharField(), help_text="Whose accent they have, in English.")
    heard = HeardSerializer(allow_null=True, help_text="How the worst of them was understood; null: not measured.")


class HomesSerializer(serializers.Serializer[Data]):
    asked = serializers.BooleanField(help_text="Whether there is anything to choose: rich voices speak the language, "
                                               "none is at home in it, and light ones are.")
    natives = serializers.IntegerField(help_text="Light voices that are at home in it.")
    natives_heard = HeardSerializer(allow_null=True)
    rich = serializers.IntegerField(help_text="Rich voices that are understood about as well as the best of them.")
    rich_heard = HeardSerializer(allow_null=True, help_text="How the best of them was understood.")
    strangers = StrangersSerializer(help_text="The rich voices from elsewhere that are cast.")
    light = serializers.IntegerField(help_text="Speakers who are cast with its light natives.")
    cast_from = serializers.ChoiceField(_CHOICES, help_text="Who is cast: as was chosen, or as was measured.")
    chosen = serializers.BooleanField(help_text="Whether somebody has chosen.")


class CastFromSerializer(serializers.Serializer[Data]):
    cast_from = serializers.ChoiceField(_CHOICES)


def _heard_data(heard: Heard | None) -> Data | None:
    return {"understood": heard.understood, "taken_for_it": heard.native} if heard else None


def homes_data(edition: Edition) -> Data:
    language = edition.language
    voices = [voice for casting in Casting.objects.filter(edition=edition) if (voice := voice_cast(casting.voice))]
    strangers = [voice for voice in voices if voice.is_rich and not voice.is_native(language)]
    choice = no_rich_natives(language)
    chosen = chosen_from(edition.production)
    return {
        "asked": choice is not None and choice.natives > 0,
        "natives": choice.natives if choice else 0, "rich": choice.rich if choice else 0,
        "natives_heard": _heard_data(choice.natives_heard if choice else None),
        "rich_heard": _heard_data(choice.rich_heard if choice else None),
        "strangers": _strangers_data(strangers, language),
        "light": sum(not voice.is_rich and voice.is_native(language) for voice in voices),
        "cast_from": chosen or (choice.usual if choice else "") or "rich", "chosen": bool(chosen),
    }


def _strangers_data(strangers: list[Voice], language: str) -> Data:
    heard = [heard_speaking(voice.base, language) for voice in strangers]
    known = [one for one in heard if one]
    worst = Heard(max(one.error for one in known), max(one.sounds for one in known),
                  min(one.native for one in known)) if known and len(known) == len(heard) else None
    return {"count": len(strangers), "heard": _heard_data(worst),
            "homes": list(dict.fromkeys(english_name(primary(voice.locale)) for voice in strangers))}


class HomesView(APIView):
    @extend_schema(responses=HomesSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Whether the voices of an edition are at home in its language, and what there is to choose from."""
        return Response(homes_data(edition_for(request.user, production_id, language)))

    @extend_schema(request=CastFromSerializer, responses=HomesSerializer)
    def put(self, request: Request, production_id: int, language: str) -> Response:
        """Choose light natives or rich voices with an accent: for the whole production from now on, and for whoever is
        cast otherwise in this edition at once."""
        edition = edition_for(request.user, production_id, language, change=True)
        given = CastFromSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        choose_cast_from(request.user, edition, given.validated_data["cast_from"])
        return Response(homes_data(edition))
