"""How an edition stands: every line with its words, voice, take and place, worked out afresh.

*Current*, *out of date* and *unvoiced* are a comparison of hashes, made here and nowhere stored.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from janoglot.adapt.models import Wording
from janoglot.cast.models import Casting
from janoglot.core.graph import recipe_hash
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.takes import Quality, TakeRecipe, finish_key, rendition_key, sketch_key
from janoglot.core.speech.voices import Voice
from janoglot.core.timing.placing import Placement, TimedLine, TimingSettings, place, programme_seconds
from janoglot.direct.models import Sound, Take
from janoglot.productions.models import Edition
from janoglot.script.models import Line

TakeState = Literal["empty", "uncast", "unvoiced", "out_of_date", "current"]
TAKE_STATES = [(state, state) for state in ("empty", "uncast", "unvoiced", "out_of_date", "current")]


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

    @property
    def words(self) -> str:
        return self.wording.text if self.wording else ""

    @property
    def state(self) -> TakeState:
        if not self.words.strip():
            return "empty"
        if self.recipe is None:
            return "uncast"
        if self.take is None:
            return "unvoiced"
        return "current" if self.take.hash == self.wanted else "out_of_date"

    @property
    def wrong_language(self) -> bool:
        """Whether the voice is another language's and nobody has said that it is meant."""
        if not self.voice or not self.casting or not self.wording:
            return False
        return not self.casting.accent_meant and not self.voice.speaks(self.wording.edition.language)


class EditionState:
    """Every line of an edition in the script's order."""

    def __init__(self, edition: Edition, lines: Iterable[Line], wordings: Iterable[Wording],
                 castings: Iterable[Casting]) -> None:
        self.edition = edition
        by_line = {wording.line_id: wording for wording in wordings}
        by_speaker = {casting.speaker_id: casting for casting in castings}
        voices = catalogue()
        self.lines: list[LineState] = []
        for line in lines:
            wording, casting = by_line.get(line.pk), by_speaker.get(line.speaker_id)
            if wording:
                wording.edition = edition
            voice = voices.get(casting.voice) if casting else None
            recipe = None
            if wording and wording.text.strip() and voice and casting:
                recipe = TakeRecipe(wording.text, voice, casting.delivery, edition.language)
            self.lines.append(LineState(line, wording, casting, voice, recipe, recipe.hash if recipe else "", None))
        # The chosen take, or the very one that is wanted where it was made before.
        hashes = {s.wanted for s in self.lines} | {s.wording.take_id for s in self.lines if s.wording} - {""}
        takes = Take.objects.in_bulk(list(hashes - {""}))
        for state in self.lines:
            if state.wording and state.words.strip():
                state.take = takes.get(state.wanted) or takes.get(state.wording.take_id)

    @classmethod
    def load(cls, edition: Edition) -> EditionState:
        lines = Line.objects.filter(production_id=edition.production_id).select_related("speaker", "part")
        return cls(edition, lines, edition.wordings.all(), edition.castings.all())

    @cached_property
    def timed_lines(self) -> list[TimedLine]:
        return [
            TimedLine(s.line.pk, s.line.speaker.name, s.words, s.take.seconds if s.take else None, s.line.slot,
                      s.line.part.name if s.line.part else "")
            for s in self.lines
        ]

    @cached_property
    def placements(self) -> list[Placement]:
        return place(self.timed_lines, self.timing)

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
        return TimingSettings(comfortable_fast=self.edition.comfortable_fast, hard_fast=self.edition.hard_fast,
                              pace=self.edition.pace)

    @property
    def seconds(self) -> float:
        return programme_seconds(self.timed_lines, self.placements)

    @property
    def mix_recipe(self) -> str:
        """The hash of everything that the mix of this edition would be made from now; "" with no takes."""
        clips = [
            (round(p.start, 4), round(p.seconds, 4), self.sound_key(s, p), s.casting.level_db if s.casting else 0.0)
            for s, p in zip(self.lines, self.placements, strict=True) if s.take
        ]
        if not clips:
            return ""
        return recipe_hash("mix", clips=clips, target=self.edition.production.target_lufs, seconds=self.seconds,
                           version=3)

    def unfinished(self) -> list[LineState]:
        """Lines that voicing would make: unvoiced or out of date."""
        return [s for s in self.lines if s.state in ("unvoiced", "out_of_date")]

    def counts(self) -> dict[str, int]:
        found = dict.fromkeys(("empty", "uncast", "unvoiced", "out_of_date", "current"), 0)
        for state in self.lines:
            found[state.state] += 1
        found["lines"] = len(self.lines)
        found["sketch"] = len(self.sketches())
        found["over"] = sum(1 for p in self.placements if p.over > 0)
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
