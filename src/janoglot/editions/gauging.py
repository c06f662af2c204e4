"""How long a line would be with other words, by its own voice and settings."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

from django.db.models import Min
from django.shortcuts import get_object_or_404

from janoglot.core.adapt.gauge import gauge, predicted_seconds
from janoglot.core.errors import EngineError
from janoglot.core.speech.directing import directed
from janoglot.core.speech.lexicon import Lexicon
from janoglot.core.speech.moods import Moods, laid_over, moods_of
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import TakeRecipe
from janoglot.core.speech.voices import Voice
from janoglot.core.timing.settings import rates_over, timing_of
from janoglot.productions.models import (
    Casting,
    Edition,
    Line,
    LineCasting,
    LineDirection,
    LineTiming,
    PartDirection,
    lexicon_for,
)
from janoglot.productions.voices import voice_cast

_FAR = 3600.0


@dataclass(frozen=True, slots=True)
class _Ground:
    """What a line's length goes by beside its words."""

    voice: Voice | None
    settings: VoiceSettings
    language: str
    foreign: tuple[tuple[str, str], ...]
    slot: float | None
    room: float | None
    comfortable: float
    hard: float
    moods: Moods
    lexicon: Lexicon

    def recipe(self, text: str) -> TakeRecipe | None:
        """What a take of ``text`` would be made from; None without a voice, or words."""
        if self.voice is None or not text.strip():
            return None
        foreign = tuple(one for one in self.foreign if one[0] in text)
        delivery = directed(self.settings.delivery_in(self.moods), (), text.strip(), self.lexicon, self.language)
        return TakeRecipe(text.strip(), self.settings.shaped(self.voice), delivery, self.language, foreign)


def ground_of(edition: Edition, line_id: int) -> _Ground:
    """Raises Http404 where the production has no such line."""
    return _ground(edition.pk, line_id, edition.production.stamp)


@lru_cache(maxsize=2_000)
def _ground(edition_id: int, line_id: int, stamp: int) -> _Ground:
    """Kept for the next key that is typed. It stays true until the production's stamp moves, as it does with every
    change to what is read here."""
    edition = Edition.objects.select_related("production").get(pk=edition_id)
    line = get_object_or_404(Line.objects.select_related("part"), production_id=edition.production_id, pk=line_id)
    casting = Casting.objects.filter(edition=edition, speaker=line.speaker_id).first()
    own = LineCasting.objects.filter(edition=edition, line=line).first()
    timing = LineTiming.objects.filter(edition=edition, line=line).first()
    spoken = line.kind == Line.Kind.SPOKEN
    voice = voice_cast(own.voice if own and own.voice else casting.voice if casting else "") if spoken else None
    settings = casting.settings if casting else VoiceSettings()
    here = PartDirection.objects.filter(edition=edition, part=line.part_id, speaker=line.speaker_id).first()
    settings = settings.over(here.settings) if here else settings
    directed_so = LineDirection.objects.filter(edition=edition, line=line).first()
    moods = laid_over([moods_of(row.moods) for row in (casting, here, directed_so) if row])
    of_all = timing_of(edition.timing)
    own_rates = edition.timing.get("speakers", {}).get(str(line.speaker_id))
    rates = rates_over(own_rates, of_all) if own_rates else None
    return _Ground(
        voice, settings.over(own.own) if own else settings, own.language if own and own.language else edition.language,
        tuple((one["words"], one["language"]) for one in own.foreign) if own else (),
        line.slot[1] - line.slot[0] if line.slot else None, room_for(edition, line, timing),
        rates[1] if rates else of_all.comfortable_fast,
        (timing.core.hard_fast if timing else None) or (rates[3] if rates else of_all.hard_fast), moods,
        Lexicon(one.core for one in lexicon_for(edition)))


def room_for(edition: Edition, line: Line, timing: LineTiming | None) -> float | None:
    """Seconds from the line's in-time that it may use: its slot, and the silence after it as far as that is allowed."""
    if line.slot is None or line.end_ms is None:
        return None
    settings = timing_of(edition.timing)
    run_on = timing.core.run_on if timing and timing.core.run_on is not None else settings.run_on
    if timing and timing.core.mode == "hold":
        run_on = 0.0
    later = Line.objects.filter(production_id=line.production_id, kind=Line.Kind.SPOKEN, start_ms__gte=line.end_ms)
    following = later.exclude(pk=line.pk).aggregate(first=Min("start_ms"))["first"]
    free = (following - line.end_ms) / 1000 - settings.breath if following is not None else _FAR
    end = line.part.end_ms / 1000 if line.part and line.part.end_ms else None
    room = line.slot[1] - line.slot[0] + max(0.0, min(run_on, free))
    return min(room, end - line.slot[0]) if end is not None and end > line.slot[0] else room


def gauge_for(edition: Edition, line_id: int, text: str) -> dict[str, Any]:
    """See :class:`janoglot.core.adapt.gauge.Gauge`. Without a voice, or for words on the screen, nothing is long.

    Raises Http404.
    """
    ground = ground_of(edition, line_id)
    recipe = ground.recipe(text)
    natural = 0.0
    if recipe:
        try:
            natural = predicted_seconds(recipe)
        except EngineError:
            natural = 0.0
    return asdict(gauge(text, edition.language, natural, ground.slot, ground.room, ground.comfortable, ground.hard))
