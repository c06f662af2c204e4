"""A production as a script, with everything that people decided of it: taken out, and brought in again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from django.contrib.auth.models import AnonymousUser

from janoglot.core.edition.from_script import checked_edition, lexicon_of, part_directions_of
from janoglot.core.mix.cues import sound_plan_of
from janoglot.core.script.model import Script, ScriptEdition, ScriptLine, ScriptPart
from janoglot.core.speech.catalogue import kept_voice
from janoglot.core.speech.mood_words import in_words
from janoglot.core.speech.templates import table_as_json, table_of
from janoglot.core.speech.voices import Voice
from janoglot.productions.belonging import belongings
from janoglot.productions.models import (
    Casting,
    ClipTable,
    Edition,
    KeptVoice,
    LexiconEntry,
    Line,
    Part,
    PartDirection,
    Production,
    SoundWorld,
    Speaker,
    Wording,
    kept_among,
    lexicon_for,
)
from janoglot.productions.sound_names import with_ids, with_names
from janoglot.productions.sounds_in_plans import without_foreign_sounds


def production_script(production: Production, whole: bool = True) -> Script:
    """The script with every edition's wordings, as it could be brought in again. ``whole`` adds castings, timing and
    whatever else belongs to lines."""
    editions = {edition.pk: edition for edition in Edition.objects.filter(production=production)}
    script = Script(languages=[e.language for e in editions.values() if e.language != production.source_language])
    wordings: dict[int, dict[str, str]] = {}
    for line, edition, text in Wording.objects.filter(edition__in=editions).values_list("line", "edition", "text"):
        wordings.setdefault(line, {})[editions[edition].language] = text
    own = _own(production, editions) if whole else {}
    tables = {row.line_id: table_as_json(row.core)
              for row in ClipTable.objects.filter(line__production=production)} if whole else {}
    for row in Line.objects.filter(production=production).prefetch_related("speaker", "part"):
        texts = wordings.get(row.pk, {})
        slot = row.slot or (None, None)
        script.lines.append(ScriptLine(
            row.speaker.name, texts.get(production.source_language, ""), slot[0], slot[1], row.notes,
            row.part.name if row.part else "", None,
            {tag: text for tag, text in texts.items() if text and tag != production.source_language},
            row.kind == Line.Kind.ON_SCREEN, row.in_sight, own.get(row.pk, {}),
            _delivery(own.get(row.pk, {}).get(production.source_language, {})), tables.get(row.pk)))
    if whole:
        script.target, script.fps = production.target_lufs, production.fps
        script.parts = _parts(production)
        world = SoundWorld.objects.filter(production=production).first()
        script.sounds = with_names(world.plan, production) if world else {}
        script.editions = {edition.language: _edition(edition) for edition in editions.values()}
        script.voices = {voice: one.as_json() for voice, one in kept_among(
            {str(row["voice"]) for row in _castings(script) if row.get("voice")}).items()}
    return script


def _delivery(own: Mapping[str, Any]) -> str:
    """How a line of the source should sound, in plain words."""
    told = own.get("direction", {})
    return in_words(tuple(sorted(dict(told.get("moods", {})).items())))


def _own(production: Production, editions: Mapping[int, Edition]) -> dict[int, dict[str, dict[str, Any]]]:
    """By line and language, what belongs to the line there, by the name that its table tells it as."""
    found: dict[int, dict[str, dict[str, Any]]] = {}
    for one in belongings("line", "edition"):
        for row in one.rows(**{one.of_production: production}):
            told = row.script_json()
            if told:
                found.setdefault(row.line_id, {}).setdefault(editions[row.edition_id].language, {})[
                    one.model.SCRIPT_JSON_KEY] = told  # type: ignore[attr-defined]
    return found


def _parts(production: Production) -> list[ScriptPart]:
    """In the order in which they come in the script."""
    parts = Part.objects.in_bulk(list(production.parts.values_list("id", flat=True)))
    order = dict.fromkeys(Line.objects.filter(production=production, part__isnull=False).values_list("part", flat=True))
    return [ScriptPart(part.name, None if part.start_ms is None else part.start_ms / 1000,
                       None if part.end_ms is None else part.end_ms / 1000, part.may_grow)
            for part in (parts[pk] for pk in order if pk is not None)]


def _edition(edition: Edition) -> ScriptEdition:
    names = dict(Speaker.objects.filter(production=edition.production_id).values_list("id", "name"))
    cast = {names[one.speaker_id]: one.script_json() for one in Casting.objects.filter(edition=edition)}
    timing = {name: value for name, value in edition.timing.items() if name != "speakers"}
    rates = {names[int(pk)]: own for pk, own in edition.timing.get("speakers", {}).items() if int(pk) in names}
    numbers = _part_numbers(edition.production)
    directions = [{"part": numbers[one.part_id], "speaker": names[one.speaker_id], "settings": one.settings,
                   "moods": dict(one.moods)}
                  for one in PartDirection.objects.filter(edition=edition).order_by("id") if one.part_id in numbers]
    lexicon = [asdict(row.core) for row in lexicon_for(edition)]
    return ScriptEdition(cast, timing, rates, lexicon, directions)


def _part_numbers(production: Production) -> dict[int, int]:
    """By part, which it is of those with names, from 1, as a script that is brought in counts them."""
    found: dict[int, int] = {}
    rows = Line.objects.filter(production=production, part__isnull=False).values_list("part", flat=True)
    for pk in rows:
        if pk is not None:
            found.setdefault(pk, len(found) + 1)
    return found


def _castings(script: Script) -> list[dict[str, Any]]:
    """Everything in it that names a voice, of speakers and of single lines."""
    of_lines = [told["casting"] for line in script.lines for told in line.own.values()
                if isinstance(told.get("casting"), dict)]
    return [*(row for edition in script.editions.values() for row in edition.cast.values()), *of_lines]


def _keep_voices(script: Script, production: Production) -> dict[str, Voice]:
    """Keep the voices of a script that comes in as the production's, and name them so wherever it does. By id. Raises
    BadInput."""
    rows = {voice: KeptVoice(production=production, owner=production.created_by, name=(made := kept_voice(
        voice, told)).name, version=made.version, made_of=made.as_json()) for voice, told in script.voices.items()}
    KeptVoice.objects.bulk_create(rows.values())
    for casting in _castings(script):
        row = rows.get(str(casting.get("voice")))
        if row:
            casting["voice"] = row.pk
    return {row.pk: row.core for row in rows.values()}


def _bring_in_directions(told: ScriptEdition, edition: Edition, speakers: Mapping[str, Speaker]) -> None:
    """What is directed of speakers in parts, and the lexicon. Raises BadInput."""
    parts = {number: pk for pk, number in _part_numbers(edition.production).items()}
    of_parts = part_directions_of(told, {name: row.pk for name, row in speakers.items()})
    PartDirection.objects.bulk_create([
        PartDirection(edition=edition, part_id=parts[part], speaker_id=speaker, settings=dict(one.settings),
                      moods=[list(mood) for mood in one.moods])
        for (part, speaker), one in of_parts.items() if part in parts])
    there = {row.core for row in LexiconEntry.objects.filter(production=edition.production)}
    LexiconEntry.objects.bulk_create([
        LexiconEntry.of(entry, edition.production, edition.production.created_by)
        for entry in lexicon_of(told, edition.language) if entry not in there])


def bring_in_decisions(script: Script, editions: Mapping[str, Edition], speakers: Mapping[str, Speaker],
                       lines: list[Line]) -> None:
    """What a whole production says beside its words, for rows that were just made of it. Raises BadInput."""
    kept = _keep_voices(script, next(iter(editions.values())).production)
    for tag, told in script.editions.items():
        edition = editions.get(tag)
        if edition is None:
            continue
        timing, rates, castings = checked_edition(told, kept)
        of_speakers = {str(speakers[name].pk): own for name, own in rates.items() if name in speakers}
        edition.timing = {**timing, **({"speakers": of_speakers} if of_speakers else {})}
        edition.save(update_fields=["timing"])
        Casting.objects.bulk_create([Casting(edition=edition, speaker=speakers[name], **values)
                                     for name, values in castings.items() if name in speakers])
        _bring_in_directions(told, edition, speakers)
    for one in belongings("line", "edition"):
        rows = []
        for line, row in zip(script.lines, lines, strict=True):
            for tag, told_of in line.own.items():
                told_as = told_of.get(getattr(one.model, "SCRIPT_JSON_KEY", ""))
                made: Any = one.model.from_script_json(told_as) if isinstance(told_as, dict) and hasattr(
                    one.model, "from_script_json") else None
                if made is not None and tag in editions:
                    made.line, made.edition = row, editions[tag]
                    rows.append(made)
        one.model._default_manager.bulk_create(rows, batch_size=500)
    tables = [(row, table_of(line.clips)) for line, row in zip(script.lines, lines, strict=True)]
    if script.sounds:
        production = next(iter(editions.values())).production
        # Of a library only what is one's own: a number in a file is anybody's.
        sounds, _ = without_foreign_sounds(production.created_by or AnonymousUser(), script.sounds)
        SoundWorld.objects.create(production=production, **SoundWorld.columns(
            sound_plan_of(with_ids(sounds, production))))
    ClipTable.objects.bulk_create([ClipTable.of(row, table) for row, table in tables if table is not None])
