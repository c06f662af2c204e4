"""Editions loaded from the tables: the core's standing of one, with the row that it is of."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from janoglot.core.edition.model import (
    Edition as CoreEdition,
)
from janoglot.core.edition.model import EditionCasting, EditionLine, EditionPart, OwnCasting, SourceSound
from janoglot.core.edition.standing import TAKE_STATES as STATES
from janoglot.core.edition.standing import EditionStanding, LineStanding
from janoglot.core.mix.cues import SoundPlan
from janoglot.core.speech.directing import carried
from janoglot.core.speech.engines.base import Guide
from janoglot.core.speech.lexicon import Lexicon
from janoglot.core.speech.moods import moods_of
from janoglot.core.speech.settings import SETTINGS
from janoglot.core.speech.takes import Take as CoreTake
from janoglot.core.speech.templates import ClipTable as CoreTable
from janoglot.core.speech.voices import Voice
from janoglot.core.timing.settings import OwnTiming, Rates, rates_over, timing_of
from janoglot.productions.models import (
    Casting,
    ClipTable,
    Edition,
    GuideRead,
    Line,
    LineCasting,
    LineDirection,
    LineRecording,
    LineTiming,
    Media,
    Part,
    PartDirection,
    Sound,
    SoundWorld,
    Speaker,
    Take,
    Wording,
    kept_among,
    lexicon_for,
)

TAKE_STATES = [(state, state) for state in STATES]
__all__ = ["TAKE_STATES", "EditionState", "LineStanding", "lines_from_rows", "takes_there"]


class EditionState(EditionStanding):
    """How the edition in ``row`` stands."""

    row: Edition

    @classmethod
    def load(cls, row: Edition, only: Collection[int] | None = None) -> EditionState:
        """The whole edition, as it is kept; or ``only`` the lines with these ids, whose numbers and places then mean
        nothing."""
        if only is not None:
            return cls.of(row, lines_from_rows(row, only))
        from janoglot.editions.keeping import current

        return current(row).state

    @classmethod
    def load_afresh(cls, row: Edition, script: ScriptRows | None = None) -> EditionState:
        """The whole edition from the tables, whatever is kept; ``script`` where that is known."""
        return cls.of(row, lines_from_rows(row, script=script))

    @classmethod
    def of(cls, row: Edition, lines: Iterable[EditionLine]) -> EditionState:
        """The edition with these lines, its cast and settings from the tables."""
        edition = CoreEdition(row.language, row.is_source, list(lines), **settings_from_row(row))
        state = cls.found(edition, takes_there, sounds_there)
        state.row = row
        return state


def settings_from_row(row: Edition) -> dict[str, Any]:
    """What an edition has beside its lines, by the names that the core's has them under; from the tables."""
    fresh = Edition.objects.select_related("production").get(pk=row.pk)
    return {"cast": cast_from_rows(fresh), "timing": timing_of(fresh.timing), "rates": rates_from_row(fresh),
            "part_directions": {(one.part_id, one.speaker_id): one.core
                                for one in PartDirection.objects.filter(edition=row)},
            "lexicon": Lexicon(one.core for one in lexicon_for(fresh)),
            "target": fresh.production.target_lufs, "fps": fresh.production.fps, "voices": voices_from_rows(fresh),
            "sounds": world.core if (world := SoundWorld.objects.filter(production=fresh.production_id).first())
            else SoundPlan(), "source_sound": source_sound_of(fresh), "source_seconds": source_seconds_of(fresh)}


def source_seconds_of(row: Edition) -> float:
    """How long the recording is that the production is of; 0.0 without one."""
    facts = Media.objects.filter(production=row.production_id, played=True, purpose=Media.Purpose.SOURCE).values_list(
        "facts", flat=True).first()
    return float(facts["seconds"]) if facts else 0.0


def source_sound_of(row: Edition) -> SourceSound | None:
    """What the source sounds like: its music and effects alone where they are there and lined up, else its
    recording."""
    played = Media.objects.filter(production=row.production_id, played=True)
    bed = played.filter(purpose=Media.Purpose.BED, offset__isnull=False).first()
    found = bed or played.filter(purpose=Media.Purpose.SOURCE).first()
    if found is None or not found.facts.get("has_sound"):
        return None
    return SourceSound(found.key, float(found.facts["seconds"]), bed is not None, found.offset or 0.0)


def voices_from_rows(row: Edition) -> dict[str, Voice]:
    """By id, the voices that people keep and that are cast in this edition, for whole parts or single lines."""
    cast = set(Casting.objects.filter(edition=row).values_list("voice", flat=True))
    return kept_among(cast | set(LineCasting.objects.filter(edition=row).values_list("voice", flat=True)))


def cast_from_rows(row: Edition) -> dict[int, EditionCasting]:
    return {casting.speaker_id: EditionCasting(casting.voice, casting.settings, casting.accent_meant,
                                                moods_of(casting.moods), casting.by_person)
            for casting in Casting.objects.filter(edition=row)}


def rates_from_row(row: Edition) -> dict[int, Rates]:
    of_all = timing_of(row.timing)
    return {int(speaker): rates_over(own, of_all) for speaker, own in row.timing.get("speakers", {}).items() if own}


@dataclass(frozen=True, slots=True)
class ScriptRows:
    """What all editions of a production have in common: the names of speakers, the parts, and what is of each line in
    the script's order (id, part, speaker, kind, in sight, start and end in ms, notes); ``tables`` by line."""

    names: dict[int, str]
    parts: dict[int, EditionPart]
    lines: Sequence[tuple[Any, ...]]
    tables: Mapping[int, CoreTable]

    @classmethod
    def of(cls, production: int, only: Collection[int] | None = None) -> ScriptRows:
        lines = Line.objects.filter(production=production)
        if only is not None:
            lines = lines.filter(pk__in=only)
        return cls(dict(Speaker.objects.filter(production=production).values_list("id", "name")),
                   {part.pk: _part(part) for part in Part.objects.filter(production=production)},
                   list(lines.values_list("id", "part_id", "speaker_id", "kind", "in_sight", "start_ms", "end_ms",
                                          "notes")),
                   {row.line_id: row.core for row in ClipTable.objects.filter(
                       line__production=production, **({} if only is None else {"line__in": only}))})


def lines_from_rows(row: Edition, only: Collection[int] | None = None, numbers: Mapping[int, int] | None = None,
                    script: ScriptRows | None = None) -> list[EditionLine]:
    """The lines of an edition in the script's order, or ``only`` those with these ids. ``numbers``: what is known of
    theirs."""
    wordings = Wording.objects.filter(edition=row)
    castings, timings = LineCasting.objects.filter(edition=row), LineTiming.objects.filter(edition=row)
    directed, guided = LineDirection.objects.filter(edition=row), GuideRead.objects.filter(edition=row)
    recorded = LineRecording.objects.filter(edition=row)
    if only is not None:
        wordings, castings, timings = (
            wordings.filter(line__in=only), castings.filter(line__in=only), timings.filter(line__in=only))
        directed, guided = directed.filter(line__in=only), guided.filter(line__in=only)
        recorded = recorded.filter(line__in=only)
    script = script or ScriptRows.of(row.production_id, only)
    names, parts = script.names, script.parts
    said: dict[int, tuple[Any, ...]] = {
        row[0]: row[1:] for row in wordings.values_list("line_id", "text", "state", "revision", "take_id")}
    own = {one.line_id: own_casting(one) for one in castings}
    timed = {one.line_id: one.core for one in timings}
    usual, no_guide = OwnTiming(), Guide()
    guides = {one.line_id: one for one in guided}
    directions = {one.line_id: one for one in directed}
    recordings = {one.line_id: one.core for one in recorded}
    found = []
    for number, (pk, part, speaker, kind, in_sight, start, end, notes) in enumerate(script.lines, 1):
        words, state, revision, chosen = said.get(pk, ("", "empty", 0, ""))
        direction = directions.get(pk)
        found.append(EditionLine(
            pk, numbers[pk] if numbers else number, speaker, names[speaker], words, parts.get(part),
            None if start is None or end is None else (start / 1000, end / 1000), in_sight,
            kind == Line.Kind.ON_SCREEN, notes, state, revision, chosen,
            direction.variant if direction else 0, own.get(pk), timed.get(pk, usual),
            carried(direction.core_marks, direction.said, words)[0] if direction else (),
            moods_of(direction.moods) if direction else (),
            guides[pk].core_for(words) if pk in guides else no_guide, recordings.get(pk),
            script.tables.get(pk)))
    return found


def _part(part: Part) -> EditionPart:
    return EditionPart(part.pk, part.name, None if part.start_ms is None else part.start_ms / 1000,
                       None if part.end_ms is None else part.end_ms / 1000, part.may_grow)


def own_casting(row: LineCasting) -> OwnCasting:
    settings = tuple((name, getattr(row, name)) for name in SETTINGS if getattr(row, name) is not None)
    return OwnCasting(row.voice, row.language, tuple((one["words"], one["language"]) for one in row.foreign), settings)


def takes_there(hashes: Collection[str]) -> dict[str, CoreTake]:
    """By hash, those of these takes that have been made."""
    return {pk: take.core() for pk, take in Take.objects.in_bulk(list(hashes)).items()}


def sounds_there(keys: Collection[str]) -> set[str]:
    """Those of these keys of which the sound has been made."""
    return set(Sound.objects.filter(pk__in=list(keys)).values_list("key", flat=True))
