"""What lies under the voices of a production; and sounds from a description, understood and heard."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.errors import BadInput
from janoglot.core.graph import recipe_hash
from janoglot.core.guarded import check_value, read_json, whole_number
from janoglot.core.mix.cues import BED_USES, ENDS, FADE_CURVES, LAYER_KINDS, SoundPlan, plan_as_json, sound_plan_of
from janoglot.core.mix.recut import MOST_JOINS
from janoglot.core.mix.rooms import ROOM_NAMES
from janoglot.core.mix.sides import RATE
from janoglot.core.mix.synthesis.composing import MUSIC_MOODS, composition_of
from janoglot.core.mix.synthesis.describing import Described, described
from janoglot.core.mix.synthesis.library import generator_named
from janoglot.core.mix.under import Sound
from janoglot.core.speech.peaks import kept_peaks
from janoglot.core.store import Store
from janoglot.mix.actions.set_sounds import set_sounds
from janoglot.mix.library import sound_library
from janoglot.productions.models import Production, SoundWorld
from janoglot.productions.permissions import production_for, signed_in
from janoglot.productions.sound_names import with_ids, with_names
from janoglot.productions.sounds_in_plans import known_sounds, require_own_sounds
from janoglot.server.faults import Conflict
from janoglot.server.storage import media, serve, takes

Data = dict[str, Any]
_LONGEST_TEXT = 200
_HEARD_SECONDS = 8.0
LAYER_CHOICES = [(kind, kind) for kind in LAYER_KINDS]
EDGES = [("start", "start"), ("end", "end")]


class DuckSerializer(serializers.Serializer[Data]):
    amount_db = serializers.FloatField()
    lead = serializers.FloatField(help_text="Seconds before a voice sets in.")
    hold = serializers.FloatField(help_text="Gaps shorter than this do not bring it back.")
    release = serializers.FloatField()


class LayerSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(max_length=60)
    kind = serializers.ChoiceField(LAYER_CHOICES)
    level_db = serializers.FloatField(help_text="Against the voices' own loudness.")
    pan = serializers.FloatField()
    mute = serializers.BooleanField()
    solo = serializers.BooleanField(required=False)
    duck = DuckSerializer()


class PlaceSerializer(serializers.Serializer[Data]):
    seconds = serializers.FloatField(help_text="Of the programme, or from what it is tied to.")
    line = serializers.CharField(required=False, allow_blank=True, help_text="“#” and its id, or its number.")
    part = serializers.CharField(required=False, allow_blank=True, help_text="“#” and its id, or its name.")
    edge = serializers.ChoiceField(EDGES, required=False)


class ComposedSerializer(serializers.Serializer[Data]):
    mood = serializers.ChoiceField([(mood, mood) for mood in MUSIC_MOODS])
    tempo = serializers.FloatField(required=False, help_text="Beats a minute.")
    key = serializers.CharField(required=False, help_text="As “D minor”.")
    instruments = serializers.ListField(child=serializers.CharField(), required=False)
    seconds = serializers.FloatField(required=False)


class CueSourceSerializer(serializers.Serializer[Data]):
    """One of “made”, “composed” and “kept”."""

    made = serializers.CharField(max_length=_LONGEST_TEXT, required=False, help_text="A description of the sound.")
    parts = serializers.ListField(
        child=serializers.DictField(),
        required=False,
        help_text="What was made of the description, with settings of its own.",
    )
    composed = ComposedSerializer(required=False)
    kept = serializers.IntegerField(required=False, help_text="The number of a sound of the library.")
    number = serializers.IntegerField(required=False, min_value=0, max_value=9_999)
    seconds = serializers.FloatField(required=False)
    cut = serializers.IntegerField(
        required=False, min_value=0, help_text="Of music that is cut to a length: by which way."
    )


class CueSerializer(serializers.Serializer[Data]):
    layer = serializers.CharField(max_length=60)
    sound = CueSourceSerializer()
    at = PlaceSerializer()
    until = PlaceSerializer(required=False, allow_null=True)
    seconds = serializers.FloatField(required=False)
    loop = serializers.BooleanField(required=False)
    fade_in = serializers.FloatField(required=False)
    fade_out = serializers.FloatField(required=False)
    curve = serializers.ChoiceField([(curve, curve) for curve in FADE_CURVES], required=False)
    gain_db = serializers.FloatField(required=False)
    pan = serializers.FloatField(required=False)
    id = serializers.CharField(required=False, max_length=12)
    off = serializers.BooleanField(required=False)
    fit = serializers.BooleanField(required=False, help_text="Music that is cut anew to end where the cue does.")
    trim = serializers.FloatField(required=False)
    points = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()), required=False)


class StripSerializer(serializers.Serializer[Data]):
    level_db = serializers.FloatField(required=False)
    pan = serializers.FloatField(required=False)
    mute = serializers.BooleanField(required=False)
    solo = serializers.BooleanField(required=False)


class SpeakerStripSerializer(StripSerializer):
    speaker = serializers.CharField(help_text="“#” and its id, or its name.")


class VoicePlaceSerializer(serializers.Serializer[Data]):
    room = serializers.ChoiceField([(room, room) for room in ROOM_NAMES])
    amount = serializers.FloatField(required=False)
    speaker = serializers.CharField(required=False, allow_blank=True)
    part = serializers.CharField(required=False, allow_blank=True)
    line = serializers.CharField(required=False, allow_blank=True)


class LineFadeSerializer(serializers.Serializer[Data]):
    line = serializers.CharField()
    seconds = serializers.FloatField()


class DeeperSerializer(serializers.Serializer[Data]):
    line = serializers.CharField()
    db = serializers.FloatField()


class BedSerializer(serializers.Serializer[Data]):
    use = serializers.ChoiceField([(use, use) for use in BED_USES])
    level_db = serializers.FloatField(required=False)
    parts = serializers.DictField(child=serializers.ChoiceField([(use, use) for use in BED_USES]), required=False)


class SoundWorldSerializer(serializers.Serializer[Data]):
    layers = LayerSerializer(many=True)
    cues = CueSerializer(many=True)
    voices = StripSerializer(required=False)
    speakers = SpeakerStripSerializer(many=True, required=False)
    places = VoicePlaceSerializer(many=True, required=False, help_text="Where voices are heard from.")
    fades = LineFadeSerializer(many=True, required=False, help_text="Lines that fade out at their end.")
    deeper = DeeperSerializer(many=True, required=False, help_text="Lines that all else gives more way to.")
    bed = BedSerializer(required=False)
    mono = serializers.BooleanField(required=False)
    dialogue = serializers.BooleanField(required=False, help_text="The loudness that is wanted is the voices' alone.")
    ceiling_db = serializers.FloatField(required=False)
    clear_lu = serializers.FloatField(required=False)
    ends = serializers.ChoiceField([(end, end) for end in ENDS], required=False,
                                   help_text="Whether a track is at least as long as the recording that it is for, or "
                                             "ends with the last word.")
    editions = serializers.DictField(
        child=serializers.DictField(), required=False, help_text="What is otherwise in one edition, by language."
    )
    revision = serializers.CharField(
        required=False, help_text="Names it as it is now. Sent back, nothing is written where it is otherwise by then."
    )


class SoundDialSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    usual = serializers.FloatField()
    what = serializers.CharField(help_text="Which way it goes.")


class SoundPartSerializer(serializers.Serializer[Data]):
    sound = serializers.CharField()
    settings = serializers.DictField(child=serializers.FloatField())
    level_db = serializers.FloatField()
    dials = SoundDialSerializer(many=True, help_text="Everything that can be set of it.")


class DescribedSerializer(serializers.Serializer[Data]):
    parts = SoundPartSerializer(many=True, help_text="What was understood.")
    missed = serializers.ListField(child=serializers.CharField(), help_text="What was not.")
    near = serializers.ListField(child=serializers.CharField(), help_text="Sounds whose names come near that.")
    goes_on = serializers.BooleanField(help_text="Whether it goes on, rather than happens.")


class CutSerializer(serializers.Serializer[Data]):
    pieces = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField()),
        help_text="From where to where of the music, seconds.",
    )
    joins = serializers.ListField(child=serializers.FloatField(), help_text="When they are heard.")
    speed = serializers.FloatField()
    seconds = serializers.FloatField()
    cost = serializers.FloatField(help_text="How much they are likely to be noticed; 0: not at all.")


class SoundPeaksSerializer(serializers.Serializer[Data]):
    peaks = serializers.CharField(help_text="Base64: a byte for each fiftieth of a second.")
    seconds = serializers.FloatField()
    lufs = serializers.FloatField()
    goes_round = serializers.BooleanField(help_text="Its end meets its beginning.")


def plan_of_production(production: Production) -> SoundPlan:
    row = SoundWorld.objects.filter(production=production).first()
    return row.core if row else SoundPlan()


_NAMES = OpenApiParameter(
    "names",
    bool,
    description="Lines by their numbers, parts and speakers by their names: as another production can take it.",
)


class SoundWorldView(APIView):
    @extend_schema(parameters=[_NAMES], responses=SoundWorldSerializer)
    def get(self, request: Request, production_id: int) -> Response:
        """Layers and cues under the voices, strips and rooms of voices: the same in every edition but for what is told
        of some."""
        production = production_for(request.user, production_id)
        told = plan_as_json(plan_of_production(production))
        # By names it is for another production, of which it is no revision.
        return Response(with_names(told, production) if request.query_params.get("names") == "true"
                        else _with_revision(told))

    @extend_schema(request=SoundWorldSerializer, responses=SoundWorldSerializer)
    def put(self, request: Request, production_id: int) -> Response:
        """All of them anew; lines, parts and speakers by ids, or by numbers and names."""
        production = production_for(request.user, production_id, change=True)
        check_value(request.data)
        if not isinstance(request.data, dict):
            raise BadInput("Cues are an object with “layers” and “cues”.")
        sent = dict(request.data)
        revision = str(sent.pop("revision", "") or "")
        plan = sound_plan_of(with_ids(sent, production))
        for tag in plan.editions:
            plan.in_edition(tag)
        told = plan_as_json(plan)
        require_own_sounds(request.user, told)
        for number, cue in enumerate(plan.cues, 1):
            check_sound(cue.source, number, request.user)
        for tag in plan.editions:
            for number, cue in enumerate(plan.in_edition(tag).cues, 1):
                check_sound(cue.source, number, request.user)

        def check(now: SoundPlan) -> None:
            current = _with_revision(plan_as_json(now))
            if revision and revision != current["revision"]:
                raise Conflict("Somebody else has changed the sounds in that moment.", current)

        return Response(_with_revision(plan_as_json(set_sounds(request.user, production, plan, check).core)))


def _with_revision(told: Data) -> Data:
    return {**told, "revision": recipe_hash("sound world", plan=told)[:16]}


def check_sound(source: Mapping[str, Any], number: int, user: Any) -> None:
    """Raises BadInput for a sound that cannot be had here."""
    if source.get("composed"):
        composition_of(source["composed"])
    elif source.get("kept"):
        kept = source["kept"]
        if not isinstance(kept, int) or isinstance(kept, bool) or not known_sounds(user).filter(pk=kept).exists():
            raise BadInput("Cue {number}: that sound is not in the library any more.", number=number)
    elif not described(str(source.get("made") or "")[:_LONGEST_TEXT]).parts:
        raise BadInput("Cue {number}: nothing of “{what}” is a sound that can be made here.", number=number,
                       what=str(source.get("made") or source.get("file"))[:60])


_TOLD = OpenApiParameter("told", str, required=True, description="What is to be heard, in plain English.")


def _described(request: Request) -> Described:
    signed_in(request.user)
    return described(str(request.query_params.get("told") or "")[:_LONGEST_TEXT])


class DescribedSoundView(APIView):
    @extend_schema(parameters=[_TOLD], responses=DescribedSerializer)
    def get(self, request: Request) -> Response:
        """What was understood of a sound's description."""
        told = _described(request)
        parts = [{"sound": part.sound, "settings": dict(part.settings), "level_db": part.level_db,
                  "dials": [asdict(dial) for dial in generator_named(part.sound).parameters]} for part in told.parts]
        return Response({"parts": parts, "missed": list(told.missed), "near": list(told.near),
                         "goes_on": any(not generator_named(part.sound).once for part in told.parts)})


class MadeSoundView(APIView):
    @extend_schema(parameters=[_TOLD, OpenApiParameter("number", int)],
                   responses={(200, "audio/flac"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> HttpResponseBase:
        """Some seconds of a sound that is made from a description: made once, and kept."""
        told = _described(request)
        if not told.parts:
            raise BadInput("Nothing of this description is a sound that can be made here.")
        number = whole_number(str(request.query_params.get("number") or "0")) or 0
        seconds = min(_HEARD_SECONDS, max(generator_named(part.sound).seconds for part in told.parts))
        return _heard(request, {"made": request.query_params["told"], "number": number, "seconds": seconds})


class SoundView(APIView):
    @extend_schema(parameters=[OpenApiParameter("source", str, required=True, description="JSON: as a cue names it."),
                               OpenApiParameter("seconds", float, description="Music: cut to so many."),
                               OpenApiParameter("which", int, description="… by which of the ways to.")],
                   responses={(200, "audio/flac"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> HttpResponseBase:
        """A sound as a cue would have it, whole: made, composed, or of the library."""
        source = _source(request)
        wanted = _seconds_of(request)
        if wanted is None:
            return _heard(request, source)
        which = whole_number(str(request.query_params.get("which") or "0")) or 0
        return _served_sound(request, sound_library().cut(source, round(wanted, 2), which))


class SoundCutsView(APIView):
    @extend_schema(
        parameters=[
            OpenApiParameter("source", str, required=True),
            OpenApiParameter("seconds", float, required=True),
            OpenApiParameter("joins", int, description="At most so many."),
        ],
        responses=CutSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        """Ways to bring music to a length, the least noticed first."""
        source, wanted = _source(request), _seconds_of(request)
        if wanted is None:
            raise BadInput("How long shall it be?")
        most = whole_number(str(request.query_params.get("joins") or "0")) or MOST_JOINS
        found = sound_library().cuts(source, round(wanted, 2), min(most, 8))
        return Response([{"pieces": [list(one) for one in way.pieces], "joins": list(way.joins), "speed": way.speed,
                          "seconds": way.seconds, "cost": way.cost} for way in found])


class SoundPeaksView(APIView):
    @extend_schema(parameters=[OpenApiParameter("source", str, required=True)], responses=SoundPeaksSerializer)
    def get(self, request: Request) -> Response:
        """What a sound looks like, and how long and loud it is."""
        sound = sound_library().named(_source(request))
        return Response(
            {
                "peaks": base64.b64encode(kept_peaks(f"{sound.key}.flac", _store_of(sound))).decode(),
                "seconds": round(sound.frames / RATE, 3),
                "lufs": round(sound.lufs, 2),
                "goes_round": sound.round_,
            }
        )


def _source(request: Request) -> Data:
    user = signed_in(request.user)
    source = read_json(str(request.query_params.get("source") or "").encode(), "sound")
    if not isinstance(source, dict):
        raise BadInput("A sound is an object that says what is “made”, “composed” or “kept”.")
    check_sound(source, 1, user)
    return source


def _seconds_of(request: Request) -> float | None:
    try:
        wanted = float(str(request.query_params.get("seconds") or ""))
    except ValueError:
        return None
    return wanted if 0.2 <= wanted <= 3_600 else None


def _heard(request: Request, source: Mapping[str, Any]) -> HttpResponseBase:
    return _served_sound(request, sound_library().named(source))


def _served_sound(request: Request, sound: Sound) -> HttpResponseBase:
    return serve(request._request, _store_of(sound), f"{sound.key}.flac", "sound.flac", "audio/flac")


def _store_of(sound: Sound) -> Store:
    """What is made lies with the takes, what was brought in with the recordings."""
    return takes() if takes().has(f"{sound.key}.flac") else media()
