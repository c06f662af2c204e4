"""How long a line would be with other words, by its own voice and settings."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.db.models import Min

from janoglot.cast.models import Casting, LineCasting
from janoglot.core.adapt.gauge import gauge, predicted_seconds
from janoglot.core.errors import EngineError
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import TakeRecipe
from janoglot.productions.models import Edition
from janoglot.script.models import Line
from janoglot.timing.models import LineTiming
from janoglot.timing.settings import rates_of, settings_of

_FAR = 3600.0


def recipe_for(edition: Edition, line: Line, text: str) -> TakeRecipe | None:
    """What a take of ``text`` would be made from; None without a voice, or words."""
    casting = Casting.objects.filter(edition=edition, speaker=line.speaker_id).first()
    own = LineCasting.objects.filter(edition=edition, line=line).first()
    voice = catalogue().get(own.voice if own and own.voice else casting.voice if casting else "")
    words = " ".join(text.split())
    if voice is None or not words or line.kind != Line.Kind.SPOKEN:
        return None
    settings = casting.settings if casting else VoiceSettings()
    settings = settings.over(own.own) if own else settings
    language = own.language if own and own.language else edition.language
    foreign = tuple((one["words"], one["language"]) for one in own.foreign if one["words"] in text) if own else ()
    return TakeRecipe(text.strip(), settings.shaped(voice), settings.delivery, language, foreign)


def room_for(edition: Edition, line: Line, timing: LineTiming | None) -> float | None:
    """Seconds from the line's in-time that it may use: its slot, and the silence after it as far as that is allowed."""
    if line.slot is None or line.end_ms is None:
        return None
    settings = settings_of(edition)
    run_on = timing.core.run_on if timing and timing.core.run_on is not None else settings.run_on
    if timing and timing.core.mode == "hold":
        run_on = 0.0
    later = Line.objects.filter(production_id=line.production_id, kind=Line.Kind.SPOKEN, start_ms__gte=line.end_ms)
    following = later.exclude(pk=line.pk).aggregate(first=Min("start_ms"))["first"]
    free = (following - line.end_ms) / 1000 - settings.breath if following is not None else _FAR
    end = line.part.end_ms / 1000 if line.part and line.part.end_ms else None
    room = line.slot[1] - line.slot[0] + max(0.0, min(run_on, free))
    return min(room, end - line.slot[0]) if end is not None and end > line.slot[0] else room


def gauge_for(edition: Edition, line: Line, text: str) -> dict[str, Any]:
    """See :class:`janoglot.core.adapt.gauge.Gauge`. Without a voice, or for words on the screen, nothing is long."""
    recipe = recipe_for(edition, line, text)
    natural = 0.0
    if recipe:
        try:
            natural = predicted_seconds(recipe)
        except EngineError:
            natural = 0.0
    settings = settings_of(edition)
    rates = rates_of(edition, line.speaker_id)
    timing = LineTiming.objects.filter(edition=edition, line=line).first()
    hard = (timing.core.hard_fast if timing else None) or (rates[3] if rates else settings.hard_fast)
    slot = line.slot[1] - line.slot[0] if line.slot else None
    found = gauge(text, edition.language, natural, slot, room_for(edition, line, timing),
                  rates[1] if rates else settings.comfortable_fast, hard)
    return asdict(found)
