"""Castings: the voice and the settings of one speaker in one edition, and what a line has of its own."""

from __future__ import annotations

from dataclasses import fields
from typing import Any, ClassVar

from django.db import models

from janoglot.core.edition.from_script import own_casting_of
from janoglot.core.speech.settings import SETTINGS, VoiceSettings
from janoglot.productions.belonging import belongs
from janoglot.productions.models.lines import Line, Speaker
from janoglot.productions.models.production import Edition
from janoglot.productions.models.voices import kept_among


@belongs("edition", "speaker", of_editions_whole=True)
class Casting(models.Model):
    """The settings are those of :class:`janoglot.core.speech.settings.VoiceSettings`.

    ``accent_meant`` says that a voice of another language is on purpose; ``note`` is what the casting is after
    ("dry, sixty, from the coast").
    """

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="castings")
    speaker = models.ForeignKey(Speaker, models.CASCADE, related_name="castings")
    voice = models.CharField(max_length=80)
    # A column for each setting of a voice, at its usual value.
    locals().update({one.name: models.FloatField(default=one.default) for one in fields(VoiceSettings)})
    accent_meant = models.BooleanField(default=False)
    note = models.CharField(max_length=300, blank=True, default="")
    moods = models.JSONField(default=list)
    """``[[name, strength], …]``: how the speaker sounds unless something else is directed."""
    by_person = models.BooleanField(default=False)
    """A person records this speaker's lines: the voice stands in where one is needed, and none of them is made."""

    class Meta:
        db_table = "cast_casting"
        constraints = [models.UniqueConstraint(fields=["edition", "speaker"], name="one_casting_each")]

    def script_json(self) -> dict[str, Any]:
        """As it is taken out with its production."""
        usual = VoiceSettings()
        own = {name: getattr(self, name) for name in SETTINGS if getattr(self, name) != getattr(usual, name)}
        return {"voice": self.voice, **own, **({"accent_meant": True} if self.accent_meant else {}),
                **({"note": self.note} if self.note else {}), **({"moods": dict(self.moods)} if self.moods else {}),
                **({"by_person": True} if self.by_person else {})}

    @property
    def settings(self) -> VoiceSettings:
        return VoiceSettings(**{name: getattr(self, name) for name in SETTINGS})


@belongs("line", "edition")
class LineCasting(models.Model):
    """What one line has of its own in one edition; null follows the speaker's casting.

    ``language`` is what all of the line's words are in, where that is not the edition's.
    """

    SCRIPT_JSON_KEY: ClassVar[str] = "casting"

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="line_castings")
    line = models.ForeignKey(Line, models.CASCADE, related_name="line_castings")
    voice = models.CharField(max_length=80, blank=True, default="")
    language = models.CharField(max_length=35, blank=True, default="")
    foreign = models.JSONField(default=list)
    """Words of the line in another language: ``[{"words", "language"}, …]``."""
    # The same settings; null where the line has none of its own.
    locals().update({name: models.FloatField(null=True) for name in SETTINGS})

    class Meta:
        db_table = "cast_linecasting"
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_line_casting_each")]

    @property
    def own(self) -> dict[str, float]:
        """The settings that are the line's own."""
        return {name: getattr(self, name) for name in SETTINGS if getattr(self, name) is not None}

    def script_json(self) -> dict[str, Any] | None:
        """As it is taken out with its production."""
        found = {"voice": self.voice, "language": self.language, "foreign": self.foreign, **self.own}
        return {name: value for name, value in found.items() if value not in ("", [])} or None

    @classmethod
    def from_script_json(cls, told: dict[str, Any]) -> LineCasting | None:
        """Raises BadInput, UnknownVoice, UnknownLanguage."""
        own = own_casting_of(told, kept_among([str(told.get("voice", ""))]))
        return None if own is None else cls(voice=own.voice, language=own.language, **dict(own.settings), foreign=[
            {"words": words, "language": language} for words, language in own.foreign])
