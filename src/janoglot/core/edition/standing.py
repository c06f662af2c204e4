"""How an edition stands: every line with its voice, what its take would be made from, what it has, and its place.

*Current*, *out of date* and *unvoiced* are a comparison of hashes, made here and nowhere stored. The command line and
the server both work by this.
"""

from __future__ import annotations

import copy
from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal, Self

from janoglot.core.edition.model import Edition, EditionLine
from janoglot.core.graph import recipe_hash
from janoglot.core.mix.bed import BED_VERSION, SOURCE_LAYER, PlannedBed, bed_pieces
from janoglot.core.mix.cues import (
    Bed,
    BedUse,
    Cue,
    Names,
    PlacedCue,
    SoundPlan,
    VoicePlace,
    of_line,
    part_spans,
    place_cues,
)
from janoglot.core.mix.rooms import ROOMS_VERSION, tail_of
from janoglot.core.mix.sides import Strip
from janoglot.core.mix.under import shape_of
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.directing import directed
from janoglot.core.speech.moods import Moods, laid_over
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.takes import Quality, Take, TakeRecipe, finish_key, rendition_key, sketch_key
from janoglot.core.speech.templates import Clip, clips_of
from janoglot.core.speech.voices import Voice
from janoglot.core.timing.holds import Grown, Hold, place_growing
from janoglot.core.timing.placing import UNSTRETCHED, Placement, TimedLine, programme_seconds

TakeState = Literal["empty", "on_screen", "template", "uncast", "unvoiced", "out_of_date", "current"]
TAKE_STATES: tuple[TakeState, ...] = (
    "empty", "on_screen", "template", "uncast", "unvoiced", "out_of_date", "current")
UNDER_VERSION = 2
"""Of the way that what lies under the voices is made."""
MIX_VERSION = 6
"""Of the way that a mix is made: part of its recipe."""
_NO_WORLD = SoundPlan()
_MOST_PAST_END = 60.0
"""Seconds."""


@dataclass(frozen=True, slots=True)
class LineStanding:
    """One line. ``recipe`` is what its take would be made from now, ``take`` what it has."""

    line: EditionLine
    voice: Voice | None
    settings: VoiceSettings
    recipe: TakeRecipe | None
    take: Take | None
    wrong_language: bool
    """Whether the voice is another language's and nobody has said that it is meant."""
    timed: TimedLine
    """As the picture is before any part grows."""
    moods: Moods = ()
    """All that lie over one another on it."""
    by_person: bool = False
    """Whether a person records it: there is no recipe then, and nothing makes a take but that person."""
    stand_in: TakeRecipe | None = None
    """What the cast voice would say of its words, whoever is heard."""

    @property
    def level_db(self) -> float:
        """How much louder than the voice's own it is in the mix."""
        return self.settings.level_in(self.moods)

    @property
    def id(self) -> int:
        return self.line.id

    @property
    def words(self) -> str:
        return self.line.words

    @property
    def wanted(self) -> str:
        """The hash of the take that would be made now, or of the one that a person has made."""
        if self.by_person:
            return self.line.recorded.take if self.line.recorded else ""
        return self.recipe.hash if self.recipe else ""

    @property
    def state(self) -> TakeState:
        if not self.line.words.strip():
            return "empty"
        if self.line.on_screen:
            return "on_screen"
        if self.line.clips is not None:
            return "template"
        if self.by_person:
            if self.take is None or self.line.recorded is None:
                return "unvoiced"
            return "current" if self.line.recorded.says(self.line.words) else "out_of_date"
        if self.recipe is None:
            return "uncast"
        if self.take is None:
            return "unvoiced"
        return "current" if self.take.hash == self.recipe.hash else "out_of_date"


def line_standing(edition: Edition, line: EditionLine, takes: Mapping[str, Take]) -> LineStanding:
    """Where the take that is wanted was made before, it is the line's again, whatever was chosen last."""
    casting, own = edition.cast.get(line.speaker), line.own
    cast = own.voice if own and own.voice else casting.voice if casting else ""
    voice = edition.voices.get(cast) or catalogue().get(cast)
    settings = casting.settings if casting else VoiceSettings()
    here = edition.part_directions.get((line.part.id if line.part else 0, line.speaker))
    settings = settings.over(dict(here.settings)) if here else settings
    settings = settings.over(dict(own.settings)) if own else settings
    moods = laid_over((casting.moods if casting else (), here.moods if here else (), line.moods))
    recipe = take = stand_in = None
    recorded = line.recorded
    by_person = recorded is not None or bool(casting and casting.by_person)
    if line.words.strip() and not line.on_screen:
        if voice:
            language = own.language if own and own.language else edition.language
            delivery = settings.delivery_in(moods)
            if line.clips is None:
                delivery = directed(delivery, line.marks, line.words, edition.lexicon, language)
                delivery = replace(delivery, guide=line.guide) if line.guide.words else delivery
            stand_in = TakeRecipe(line.words, settings.shaped(voice), delivery, language,
                                  own.foreign if own else (), line.variant)
        if line.clips is not None:
            take = None
        elif by_person:
            take = takes.get(recorded.take) if recorded else None
        else:
            recipe = stand_in
            take = (takes.get(recipe.hash) if recipe else None) or takes.get(line.chosen)
    wrong = bool(voice and casting and not line.on_screen and not (own and (own.voice or own.language))
                 and not casting.accent_meant and not voice.speaks(edition.language))
    part = line.part
    # What a person has said is played as it is, unless somebody asks for more.
    as_it_is = recorded is not None and not recorded.stretch
    timed = TimedLine(line.id, line.speaker_name, line.words, take.seconds if take else None, line.slot,
                      str(part.id) if part else "", line.in_sight, part.start if part else None,
                      part.end if part and not as_it_is else None, line.timing,
                      UNSTRETCHED if as_it_is else edition.rates.get(line.speaker))
    return LineStanding(line, voice, settings, recipe, take, wrong and not by_person, timed, moods, by_person, stand_in)


def clips_standing(edition: Edition, line: LineStanding) -> list[Clip]:
    """The clips of a template; none of what is no template, or has no voice."""
    if line.line.clips is None or line.stand_in is None:
        return []
    return clips_of(line.stand_in, line.words, line.line.clips, edition.lexicon, line.line.marks)


class EditionStanding:
    """An edition with what has been made of it.

    ``takes``: the takes there are, by hash, of those that its lines want or have chosen. ``made`` tells which of the
    store's keys it is asked about are there, of finished sounds.
    """

    def __init__(self, edition: Edition, takes: Mapping[str, Take],
                 made: Callable[[Collection[str]], Collection[str]] = lambda keys: ()) -> None:
        self.edition = edition
        self._takes = takes
        self._made = made
        self.lines: Sequence[LineStanding] = [line_standing(edition, line, takes) for line in edition.lines]

    @classmethod
    def found(cls, edition: Edition, find: Callable[[Collection[str]], Mapping[str, Take]],
              made: Callable[[Collection[str]], Collection[str]] = lambda keys: ()) -> Self:
        """As it stands with those takes that ``find`` finds of the ones that its lines want or have chosen."""
        bare = [line_standing(edition, line, {}) for line in edition.lines]
        takes = find(({one.wanted for one in bare} | {line.chosen for line in edition.lines}) - {""})
        new = cls.__new__(cls)
        new.edition, new._takes, new._made = edition, takes, made
        new.lines = [one if one.wanted not in takes and one.line.chosen not in takes
                     else line_standing(edition, one.line, takes) for one in bare]
        return new

    def with_settings(self, *, takes: Callable[[Collection[str]], Mapping[str, Take]], **changed: Any) -> Self:
        """The same edition with another cast, timing, rates, target or frame rate: those fields of Edition. Every line
        is looked at again; ``takes`` as of :meth:`with_lines`."""
        new = self._copied(replace(self.edition, **changed))
        unknown = takes_named(new.edition) - set(self._takes)
        new._takes = {**self._takes, **takes(unknown)} if unknown else self._takes
        again = [line_standing(new.edition, line, new._takes) for line in new.edition.lines]
        new.lines = [old if old == one else one for old, one in zip(self.lines, again, strict=True)]
        return new

    def _copied(self, edition: Edition) -> Self:
        new = copy.copy(self)
        for name in ("by_id", "timed_lines", "grown", "finish_keys", "finished", "placed_cues", "world", "bed",
                     "mix_seconds"):
            new.__dict__.pop(name, None)
        new.edition = edition
        return new

    def with_lines(self, changed: Mapping[int, EditionLine],
                   takes: Callable[[Collection[str]], Mapping[str, Take]]) -> Self:
        """The same edition with some lines as they are now, by id. ``takes`` finds those takes that were not known. All
        else is kept: it costs what has changed."""
        new = self._copied(replace(self.edition, lines=[changed.get(line.id, line) for line in self.edition.lines]))
        named = {line_standing(new.edition, line, {}).wanted for line in changed.values()}
        named |= {line.chosen for line in changed.values()}
        # Asked for anew, known or not: one that nothing had any more may have been let go of meanwhile.
        new._takes = {**{name: take for name, take in self._takes.items() if name not in named}, **takes(named - {""})}
        new.lines = [line_standing(new.edition, changed[one.id], new._takes) if one.id in changed else one
                     for one in self.lines]
        return new

    @cached_property
    def by_id(self) -> dict[int, tuple[LineStanding, Placement]]:
        return {line.id: (line, placement) for line, placement in zip(self.lines, self.placements, strict=True)}

    @cached_property
    def timed_lines(self) -> list[TimedLine]:
        """As the picture is before any part grows."""
        return [line.timed for line in self.lines]

    @property
    def growing(self) -> set[str]:
        """Parts whose picture may be held, as placing names them."""
        if self.edition.is_source:
            return set()
        return {str(line.part.id) for line in self.edition.lines if line.part and line.part.may_grow}

    @cached_property
    def grown(self) -> Grown:
        """Where everything lies, with the pictures of parts that may grow held as long as they need."""
        return place_growing(self.timed_lines, self.growing, self.edition.timing, self.edition.fps)

    @property
    def placements(self) -> list[Placement]:
        return self.grown.placements

    @property
    def holds(self) -> list[Hold]:
        return self.grown.holds

    @property
    def seconds(self) -> float:
        """Of the whole programme."""
        return programme_seconds(self.grown.lines, self.placements)

    @cached_property
    def finish_keys(self) -> dict[int, str]:
        """By line, for current lines of rich voices: the key of the finished sound at the line's place."""
        return {
            one.id: finish_key(one.recipe, p.seconds, one.take.seconds)
            for one, p in zip(self.lines, self.placements, strict=True)
            if one.take and one.recipe and one.recipe.voice.is_rich and one.state == "current"
        }

    @cached_property
    def finished(self) -> set[int]:
        """Ids of the lines whose finished sound is made."""
        keys = self.finish_keys
        there = set(self._made(list(keys.values()))) if keys else set()
        return {line for line, key in keys.items() if key in there}

    def quality(self, line: LineStanding) -> Quality | None:
        """What is heard of a line; None while it has no take. A light voice has no sketch."""
        if line.take is None:
            return None
        return "sketch" if line.id in self.finish_keys and line.id not in self.finished else "finish"

    def sketches(self) -> list[LineStanding]:
        """Lines that are heard as sketches."""
        return [one for one in self.lines if self.quality(one) == "sketch"]

    def unfinished(self) -> list[LineStanding]:
        """Lines that voicing would make: unvoiced or out of date, and no person's."""
        return [one for one in self.lines if one.state in ("unvoiced", "out_of_date") and not one.by_person]

    def unrecorded(self) -> list[LineStanding]:
        """Lines that a person is to record, or to record again."""
        return [one for one in self.lines if one.state in ("unvoiced", "out_of_date") and one.by_person]

    @cached_property
    def world(self) -> SoundPlan:
        """The production's sounds as they are in this edition."""
        return self.edition.sounds.in_edition(self.edition.language)

    @cached_property
    def placed_cues(self) -> tuple[list[PlacedCue], list[Cue]]:
        """What lies under the voices, where it lies; and the cues that are tied to what this edition does not have."""
        if not self.world.cues:
            return [], []
        spoken = [(one, p) for one, p in zip(self.lines, self.placements, strict=True) if one.take and p.seconds]
        lines = {name: (p.start, p.end) for one, p in spoken for name in one.line.names}
        rows = [(one.line.part.names if one.line.part else (), p.start, p.end) for one, p in spoken]
        return place_cues(self.world, lines, part_spans(rows), self.programme)

    @cached_property
    def bed(self) -> PlannedBed | None:
        """What lies under this edition of the source's own sound; None where that is nothing."""
        source, bed = self.edition.source_sound, self.world.bed
        if source is None or not bed.heard or self.edition.is_source:
            return None
        spoken = sorted((p.start, one.line.part.names if one.line.part else ())
                        for one, p in zip(self.lines, self.placements, strict=True) if p.seconds)
        regions: list[tuple[float, float, BedUse]] = []
        start = 0.0
        use = _use_of(bed, spoken[0][1]) if spoken else bed.use
        for moment, names in spoken:
            if (next_use := _use_of(bed, names)) != use:
                regions.append((start, moment, use))
                start, use = moment, next_use
        regions.append((start, max(self.programme, start), use))
        holds = [(hold.at, hold.seconds) for hold in self.holds]
        pieces = bed_pieces(regions, holds, source.offset)
        speech = [line.slot for line in self.edition.lines if line.slot and not line.on_screen]
        return PlannedBed(source.key, source.clean, bed.level_db, pieces, speech if not source.clean else [], holds)

    @property
    def programme(self) -> float:
        """Seconds to its end: of the last word, or of the picture with everything that it is held, where it is to be as
        long as that."""
        source = self.edition.source_seconds if self.world.ends == "picture" else 0.0
        return max(self.seconds, source + sum(hold.seconds for hold in self.holds) if source else 0.0)

    @cached_property
    def mix_seconds(self) -> float:
        """Of the track: as long as the programme, and on to the end of what is laid past it, and of the last room."""
        ends = [one.start + one.lasts for one in self.placed_cues[0] if one.lasts is not None]
        if self.world.places:
            ends += [p.end + tail_of(place.room) for one, p in zip(self.lines, self.placements, strict=True)
                     if one.take and p.seconds and (place := self.heard_from(one))]
        return max(self.programme, min(self.programme + _MOST_PAST_END, max(ends, default=0.0)))

    def heard_from(self, line: LineStanding) -> VoicePlace | None:
        """The room that a line is heard from."""
        if not self.world.places:
            return None
        one = line.line
        return self.world.place_of(one.speaker_names, one.part.names if one.part else (), one.names)

    @property
    def mix_recipe(self) -> str:
        """The hash of everything that the mix of this edition would be made from now; "" with no takes."""
        world = self.world
        clips = []
        for one, p in zip(self.lines, self.placements, strict=True):
            if one.take:
                clips.append((round(p.start, 4), round(p.seconds, 4), self.sound_key(one, p), one.level_db))
        if not clips:
            return ""
        # Where and how it sounds, whatever it is tied to and called by.
        under = [[one.cue.source, one.start, one.lasts, one.cue.fit, shape_of(one.cue), one.layer]
                 for one in self.placed_cues[0]]
        more: dict[str, Any] = {"under": under, "under_version": UNDER_VERSION} if under else {}
        heard = [one for one in self.lines if one.take]
        strips = [world.strip_of(one.line.speaker_names) for one in heard]
        if any(strip != Strip() for strip in strips):
            more["strips"] = strips
        if world.places:
            more["places"] = [[place.room, place.amount] if (place := self.heard_from(one)) else None for one in heard]
            more["rooms_version"] = ROOMS_VERSION
        for name in ("mono", "dialogue", "ceiling_db", "clear_lu"):
            if getattr(world, name) != getattr(_NO_WORLD, name):
                more[name] = getattr(world, name)
        if self.bed:
            layer = next((one for one in world.layers if one.name == SOURCE_LAYER), None)
            more["bed"] = [self.bed.as_json(), layer, BED_VERSION]
        for name, by_line in (("fades", world.fades), ("deeper", world.deeper if under else {})):
            if by_line:
                more[name] = [of_line(by_line, one.line.names) for one in heard]
        return recipe_hash(
            "mix", clips=clips, target=self.edition.target, seconds=self.mix_seconds, version=MIX_VERSION, **more
        )

    def sound_key(self, line: LineStanding, placement: Placement) -> str:
        """Names what is heard of a line that has a take: by the store's key, or as a rich take that is out of date,
        of which whatever was kept is played."""
        assert line.take is not None
        finished = self.finish_keys.get(line.id)
        if finished is None:
            key = rendition_key(line.take.hash, placement.seconds, line.take.seconds)
            return f"kept {key}" if line.take.lengths_only else key
        assert line.recipe is not None
        return finished if line.id in self.finished else sketch_key(line.recipe, placement.seconds)

    def counts(self) -> dict[str, int]:
        """Lines by how they stand, and what else is told of an edition at a glance."""
        found = Counter(one.state for one in self.lines)
        wrong = {one.line.speaker for one in self.lines if one.wrong_language}
        worded = [one for one in self.lines if one.words.strip()]
        return {
            "lines": len(self.lines), **{state: found[state] for state in TAKE_STATES},
            "drafts": sum(one.line.state == "draft" for one in worded),
            "approved": sum(one.line.state == "approved" for one in worded),
            "unrecorded": len(self.unrecorded()), "sketch": len(self.sketches()),
            "over": sum(p.harm > 0 for p in self.placements),
            "wrong_language": len(wrong),
        }


def _use_of(bed: Bed, part: Names) -> BedUse:
    told = dict(bed.parts)
    return next((told[name] for name in part if name in told), bed.use)


def takes_named(edition: Edition) -> set[str]:
    """Hashes of every take that lines of ``edition`` want or have chosen: which ones there are is for the caller to
    find out."""
    wanted = {line_standing(edition, line, {}).wanted for line in edition.lines}
    return (wanted | {line.chosen for line in edition.lines}) - {""}
