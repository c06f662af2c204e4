"""What the interface for programs says about productions."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from janoglot.productions.models import Part, Role
from janoglot.server.fields import FiniteField

Data = dict[str, Any]


class SessionSerializer(serializers.Serializer[Data]):
    username = serializers.CharField(allow_null=True)
    demo = serializers.BooleanField(help_text="Whether the demo user can be signed in with one click.")
    rich_missing = serializers.CharField(help_text="What rich voices lack here and what to do; empty with all there.")


class SignInSerializer(serializers.Serializer[Data]):
    username = serializers.CharField()
    password = serializers.CharField(trim_whitespace=False)


class LanguageSerializer(serializers.Serializer[Data]):
    tag = serializers.CharField()
    name = serializers.CharField(help_text="In English.")
    own_name = serializers.CharField()
    direction = serializers.ChoiceField(["ltr", "rtl"])
    voices = serializers.IntegerField()


class CountsSerializer(serializers.Serializer[Data]):
    lines = serializers.IntegerField()
    empty = serializers.IntegerField()
    on_screen = serializers.IntegerField(help_text="Lines that are read on the screen, and never voiced.")
    template = serializers.IntegerField(help_text="Lines of which every row of a table is a clip.")
    uncast = serializers.IntegerField()
    unvoiced = serializers.IntegerField()
    out_of_date = serializers.IntegerField()
    current = serializers.IntegerField()
    drafts = serializers.IntegerField(help_text="Lines whose words nobody has read yet.")
    approved = serializers.IntegerField()
    sketch = serializers.IntegerField(help_text="Current lines that are heard as sketches.")
    over = serializers.IntegerField(help_text="Lines that do not fit even at the hard limit.")
    unrecorded = serializers.IntegerField(help_text="Lines that a person is to record, or to record again.")
    wrong_language = serializers.IntegerField(help_text="Speakers whose voice is another language's, not marked.")


class EditionSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    name = serializers.CharField()
    own_name = serializers.CharField()
    direction = serializers.ChoiceField(["ltr", "rtl"])
    is_source = serializers.BooleanField()
    counts = CountsSerializer()


class SpeakerSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    position = serializers.IntegerField()
    lines = serializers.IntegerField()
    note = serializers.CharField(help_text="Who they are, for whoever casts them.")


class PartSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    start = serializers.FloatField(allow_null=True, help_text="Where it is fixed in the picture, seconds.")
    end = serializers.FloatField(allow_null=True)
    may_grow = serializers.BooleanField(help_text="Whether its picture may be held rather than its speech hurried.")


class StandsSerializer(LanguageSerializer):
    """An edition and how far it is, in lines."""

    worded = serializers.IntegerField(help_text="With words.")
    approved = serializers.IntegerField()
    drafts = serializers.IntegerField(help_text="That nobody has read yet.")
    voiced = serializers.IntegerField(help_text="With words and a take, current or not.")


class ProductionListedSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    lines = serializers.IntegerField()
    speakers = serializers.IntegerField()
    languages = StandsSerializer(many=True)
    created = serializers.DateTimeField()
    changed = serializers.DateTimeField(help_text="Last, by anybody.")
    by = serializers.CharField(allow_null=True, help_text="Who made it.")
    archived = serializers.BooleanField()
    deleted = serializers.DateTimeField(allow_null=True)
    role = serializers.ChoiceField(Role.choices)


class ProductionSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    source_language = serializers.CharField()
    target_lufs = serializers.FloatField()
    timed = serializers.BooleanField()
    commercial = serializers.BooleanField()
    archived = serializers.BooleanField()
    fps = serializers.FloatField(help_text="Frames a second of the picture.")
    brief = serializers.BooleanField(help_text="Whether the counts are still to be looked at.")
    role = serializers.ChoiceField(Role.choices)
    editions = EditionSerializer(many=True)
    speakers = SpeakerSerializer(many=True)
    parts = PartSerializer(many=True)
    undo = serializers.CharField(allow_null=True, help_text="The name of the action that undo would put back.")
    redo = serializers.CharField(allow_null=True, help_text="The name of the action that redo would do again.")


class ProductionChangeSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(required=False, max_length=200)
    target_lufs = FiniteField(required=False)
    commercial = serializers.BooleanField(required=False)
    archived = serializers.BooleanField(required=False)
    fps = FiniteField(required=False)


class EditionCreateSerializer(serializers.Serializer[Data]):
    language = serializers.CharField(max_length=60)
    like = serializers.CharField(max_length=35, required=False, help_text="The edition to copy.")


class DuplicateSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(max_length=200)
    with_takes = serializers.BooleanField(default=True)


class RecordSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    summary = serializers.CharField()
    details = serializers.JSONField(help_text="What fills the sentence that says what was done.")
    user = serializers.CharField(allow_null=True)
    at = serializers.DateTimeField()
    undone = serializers.DateTimeField(allow_null=True)


def part_data(part: Part) -> Data:
    return {"id": part.pk, "name": part.name, "start": None if part.start_ms is None else part.start_ms / 1000,
            "end": None if part.end_ms is None else part.end_ms / 1000, "may_grow": part.may_grow}
