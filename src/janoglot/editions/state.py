"""How an edition stands: every line with its words, voice, take and place, worked out afresh.

*Current*, *out of date* and *unvoiced* are a comparison of hashes, made here and nowhere stored.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

from janoglot.core.graph import recipe_hash
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import Quality, TakeRecipe, finish_key, rendition_key, sketch_key
from janoglot.core.speech.voices import Voice
from janoglot.core.timing.holds import Grown, Hold, place_growing
from janoglot.core.timing.placing import Placement, TimedLine, TimingSettings, programme_seconds
from janoglot.editions.timing_settings import rates_of, settings_of
from janoglot.productions.models import Casting, Edition, Line, LineCasting, LineTiming, Sound, Take, Wording

TakeState = Literal["empty", "on_screen", "uncast", "unvoiced", "out_of_date", "current"]
TAKE_STATES = [(state, state) for state in ("empty", "on_screen", "uncast", "unvoiced", "out_of_date", "current")]


@dataclass(slots=True)
class LineState:
    """One line of one edition. ``recipe`` is what its take would be made from now, ``take`` what it has."""

    line: Line
    wording: Wording | None
    casting: Casting | None
    voice: Voice | None
    recipe: TakeRecipe | None
    wanted: str
    take: Take | None
    own: LineCasting | None = None
    """What the line has of its own; None follows its speaker's casting in all."""
    settings: VoiceSettings = field(default_factory=VoiceSettings)
    number: int = 0
    """Counted from 1 in the script's order."""
    timing: LineTiming | None = None
    """What has been decided of its timing; None follows the edition in all."""

    @property
    def words(self) -> str:
        return self.wording.text if self.wording else ""

    @property
    def state(self) -> TakeState:
        if not self.words.strip():
            return "empty"
        if self.line.kind == Line.Kind.ON_SCREEN:
            return "on_screen"
        if self.recipe is None:
            return "uncast"
        if self.take is None:
            return "unvoiced"
        return "current" if self.take.hash == self.wanted else "out_of_date"

    @property
    def wrong_language(self) -> bool:
        """Whether the voice is another language's and nobody has said that it is meant."""
        if not self.voice or not self.casting or not self.wording or self.line.kind == Line.Kind.ON_SCREEN:
            return False
        if self.own and (self.own.voice or self.own.language):
            return False  # chosen for this very line
        return not self.casting.accent_meant and not self.voice.speaks(self.wording.edition.language)


class EditionState:
    """Every line of an edition in the script's order."""

    def __init__(self, edition: Edition, lines: Iterable[Line], wordings: Iterable[Wording],
                 castings: Iterable[Casting], own: Iterable[LineCasting] = (),
                 timings: Iterable[LineTiming] = ()) -> None:
        self.edition = edition
        by_timing = {one.line_id: one for one in timings}
        by_own = {one.line_id: one for one in own}
        by_line = {wording.line_id: wording for wording in wordings}
        by_speaker = {casting.speaker_id: casting for casting in castings}
        voices = catalogue()
        self.lines: list[LineState] = []
        for number, line in enumerate(lines, 1):
            wording, casting = by_line.get(line.pk), by_speaker.get(line.speaker_id)
            if wording:
                wording.edition = edition
            alone = by_own.get(line.pk)
            voice = voices.get(alone.voice if alone and alone.voice else casting.voice if casting else "")
            settings = casting.settings if casting else VoiceSettings()
            settings = settings.over(alone.own) if alone else settings
            recipe = None
            if wording and wording.text.strip() and voice and line.kind == Line.Kind.SPOKEN:
                language = alone.language if alone and alone.language else edition.language
                foreign = tuple((one["words"], one["language"]) for one in alone.foreign) if alone else ()
                recipe = TakeRecipe(wording.text, settings.shaped(voice), settings.delivery, language, foreign)
            self.lines.append(LineState(line, wording, casting, voice, recipe, recipe.hash if recipe else "", None,
                                        alone, settings, number, by_timing.get(line.pk)))
        # The chosen take, or the very one that is wanted where it was made before.
        hashes = {s.wanted for s in self.lines} | {s.wording.take_id for s in self.lines if s.wording} - {""}
        takes = Take.objects.in_bulk(list(hashes - {""}))
        for state in self.lines:
            if state.wording and state.words.strip() and state.line.kind == Line.Kind.SPOKEN:
                state.take = takes.get(state.wanted) or takes.get(state.wording.take_id)

    @classmethod
    def load(cls, edition: Edition, only: Collection[int] | None = None) -> EditionState:
        """The whole edition; or ``only`` the lines with these ids, whose places then mean nothing."""
        lines = Line.objects.filter(production_id=edition.production_id).prefetch_related("speaker", "part")
        wordings, own, timings = edition.wordings.all(), edition.line_castings.all(), edition.line_timings.all()
        if only is not None:
            lines, wordings = lines.filter(pk__in=only), wordings.filter(line__in=only)
            own, timings = own.filter(line__in=only), timings.filter(line__in=only)
        return cls(edition, lines, wordings, edition.castings.all(), own, timings)

    def timed_anew(self) -> None:
        """Take in what was decided of the timing since this was loaded."""
        self.edition.refresh_from_db(fields=["timing"])
        decided = {one.line_id: one for one in self.edition.line_timings.all()}
        growing = set(self.edition.production.parts.filter(may_grow=True).values_list("id", flat=True))
        for state in self.lines:
            state.timing = decided.get(state.line.pk)
            if state.line.part:
                state.line.part.may_grow = state.line.part.pk in growing
        for name in ("timed_lines", "grown", "finish_keys", "finished"):
            self.__dict__.pop(name, None)

    @cached_property
    def timed_lines(self) -> list[TimedLine]:
        """As the picture is before any part grows."""
        found = []
        for s in self.lines:
            part = s.line.part
            start = part.start_ms / 1000 if part and part.start_ms is not None else None
            end = part.end_ms / 1000 if part and part.end_ms is not None else None
            line = TimedLine(s.line.pk, s.line.speaker.name, s.words, s.take.seconds if s.take else None, s.line.slot,
                             str(part.pk) if part else "", s.line.in_sight, start, end,
                             rates=rates_of(self.edition, s.line.speaker_id))
            found.append(replace(line, timing=s.timing.core) if s.timing else line)
        return found

    @cached_property
    def grown(self) -> Grown:
        """Where everything lies, with the pictures of parts that may grow held as long as they need."""
        growing = {str(s.line.part.pk) for s in self.lines if s.line.part and s.line.part.may_grow}
        # The source is what the picture belongs to.
        return place_growing(self.timed_lines, set() if self.edition.is_source else growing, self.timing,
                             self.edition.production.fps)

    @property
    def placements(self) -> list[Placement]:
        return self.grown.placements

    @property
    def holds(self) -> list[Hold]:
        return self.grown.holds

    @cached_property
    def finish_keys(self) -> dict[int, str]:
        """By line, for current lines of rich voices: the key of the finished sound at the line's place."""
        return {
            s.line.pk: finish_key(s.recipe, p.seconds, s.take.seconds)
            for s, p in zip(self.lines, self.placements, strict=True)
            if s.state == "current" and s.take and s.recipe and s.recipe.voice.is_rich
        }

    @cached_property
    def finished(self) -> set[int]:
        """Ids of the lines whose finished sound is made."""
        keys = self.finish_keys
        there = set(Sound.objects.filter(pk__in=list(keys.values())).values_list("key", flat=True)) if keys else set()
        return {line for line, key in keys.items() if key in there}

    def quality(self, state: LineState) -> Quality | None:
        """What is heard of a line; None while it has no take. A light voice has no sketch."""
        if state.take is None:
            return None
        return "sketch" if state.line.pk in self.finish_keys and state.line.pk not in self.finished else "finish"

    def sketches(self) -> list[LineState]:
        """Lines that are heard as sketches."""
        return [s for s in self.lines if self.quality(s) == "sketch"]

    @property
    def timing(self) -> TimingSettings:
        return settings_of(self.edition)

    @property
    def seconds(self) -> float:
        return programme_seconds(self.grown.lines, self.placements)

    @property
    def mix_recipe(self) -> str:
        """The hash of everything that the mix of this edition would be made from now; "" with no takes."""
        clips = [
            (round(p.start, 4), round(p.seconds, 4), self.sound_key(s, p), s.settings.level_db)
            for s, p in zip(self.lines, self.placements, strict=True) if s.take
        ]
        if not clips:
            return ""
        return recipe_hash("mix", clips=clips, target=self.edition.production.target_lufs, seconds=self.seconds,
                           version=4)

    def unfinished(self) -> list[LineState]:
        """Lines that voicing would make: unvoiced or out of date."""
        return [s for s in self.lines if s.state in ("unvoiced", "out_of_date")]

    def counts(self) -> dict[str, int]:
        found = dict.fromkeys(("empty", "on_screen", "uncast", "unvoiced", "out_of_date", "current"), 0)
        for state in self.lines:
            found[state.state] += 1
        found["lines"] = len(self.lines)
        states = Counter(s.wording.state for s in self.lines if s.wording and s.words.strip())
        found["drafts"], found["approved"] = states[Wording.State.DRAFT], states[Wording.State.APPROVED]
        found["sketch"] = len(self.sketches())
        found["over"] = sum(1 for p in self.placements if p.harm > 0)
        found["wrong_language"] = len({s.line.speaker_id for s in self.lines if s.wrong_language})
        return found

    def sound_key(self, state: LineState, placement: Placement) -> str:
        """Names what is heard of a line that has a take: by the store's key, or as a rich take that is out of date,
        of which whatever was kept is played."""
        assert state.take is not None
        finished = self.finish_keys.get(state.line.pk)
        if finished is None:
            key = rendition_key(state.take.hash, placement.seconds, state.take.seconds)
            return f"kept {key}" if state.take.lengths_only else key
        assert state.recipe is not None
        return finished if state.line.pk in self.finished else sketch_key(state.recipe, placement.seconds)
