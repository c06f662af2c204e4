"""Castings: the voice and the settings of one speaker in one edition."""

from __future__ import annotations

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from janoglot.core.speech.engines.base import Delivery
from janoglot.productions.models import Edition
from janoglot.script.models import Speaker


class Casting(models.Model):
    """``pace`` multiplies the voice's speed, ``pitch`` is in semitones, ``level_db`` in dB.

    ``accent_meant`` says that a voice of another language is on purpose.
    """

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="castings")
    speaker = models.ForeignKey(Speaker, models.CASCADE, related_name="castings")
    voice = models.CharField(max_length=80)
    pace = models.FloatField(default=1.0, validators=[MinValueValidator(0.7), MaxValueValidator(1.4)])
    pitch = models.FloatField(default=0.0, validators=[MinValueValidator(-6), MaxValueValidator(6)])
    level_db = models.FloatField(default=0.0, validators=[MinValueValidator(-12), MaxValueValidator(12)])
    accent_meant = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["edition", "speaker"], name="one_casting_each")]

    @property
    def delivery(self) -> Delivery:
        return Delivery(pace=round(self.pace, 3), pitch=round(self.pitch, 3))
