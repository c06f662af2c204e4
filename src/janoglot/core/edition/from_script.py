"""Editions of a script that was read from a file: of any script, or of a whole production in our own format."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from janoglot.core.edition.marked_up import SOURCE
from janoglot.core.edition.model import Edition, EditionCasting, EditionLine, EditionPart, OwnCasting, PartDirection
from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, tag_of
from janoglot.core.mix.cues import sound_plan_of
from janoglot.core.script.model import Script, ScriptEdition, ScriptLine
from janoglot.core.speech.casting import CastFrom, cast_rest
from janoglot.core.speech.catalogue import kept_voice, voice_named
from janoglot.core.speech.directing import DirectionMark, carried, marks_of
from janoglot.core.speech.engines.base import Guide
from janoglot.core.speech.lexicon import Lexicon, LexiconEntry, checked_entry
from janoglot.core.speech.mood_words import understood
from janoglot.core.speech.moods import Moods, checked_moods
from janoglot.core.speech.recipe_json import guide_from_json
from janoglot.core.speech.settings import SETTINGS, VoiceSettings, checked_voice_settings
from janoglot.core.speech.templates import table_of
from janoglot.core.speech.voices import Voice
from janoglot.core.timing.settings import (
    OwnTiming,
    checked_line_timing,
    checked_timing,
    rates_over,
    require_consistent,
    timing_of,
)

DEFAULT_TARGET, DEFAULT_FPS = -16.0, 25.0


def editions_of(script: Script, source: str, languages: list[str], cast: Mapping[str, Mapping[str, str]],
                target: float | None = None, lexicon: Sequence[LexiconEntry] = (),
                choose: CastFrom = "") -> list[Edition]:
    """An edition for each of ``languages``, the source (one of them) cast first, so that the others are cast near it.

    ``cast`` gives voice ids by language and speaker, over what the script itself says; who is missing is cast
    automatically, whoever has most lines first. ``lexicon``: entries over the script's own.
    ``choose``: who is cast where no rich voice is at home.
    Raises BadInput for a language without words, an unknown voice, a
    cast that names nobody, and settings outside their bounds.
    """
    settle_delivery(script, source)
    kept = {voice: kept_voice(voice, told) for voice, told in script.voices.items()}
    chosen: dict[str, dict[str, str]] = {}
    for language in sorted(languages, key=lambda tag: tag != source):
        chosen[language] = _cast(script, source, language, cast.get(language, {}), chosen.get(source, {}), kept,
                                 choose)
    return [_edition(script, source, language, chosen[language], target, kept, lexicon) for language in languages]


def _cast(script: Script, source: str, language: str, given: Mapping[str, str],
          like: Mapping[str, str], kept: Mapping[str, Voice], choose: CastFrom) -> dict[str, str]:
    """A voice id for everybody."""
    for speaker in given:
        if speaker not in script.speakers:
            raise BadInput("The cast names “{speaker}” for {tag}, who is not in the script. Its speakers: {all}.",
                           speaker=speaker, tag=language, all=", ".join(script.speakers))
    told = script.editions[language].cast if language in script.editions else {}
    taken = {speaker: _voice(row["voice"], kept) for speaker, row in told.items()
             if row.get("voice") and speaker in script.speakers}
    taken |= {speaker: voice_named(voice).id for speaker, voice in given.items()}
    lines = Counter(line.speaker for line in script.lines)
    order = sorted(script.speakers, key=lambda name: -lines[name])
    return {**taken, **cast_rest(order, language, taken, like if language != source else {},
                                 together=_together(script), kept=kept, choose=choose)}


def _voice(told: Any, kept: Mapping[str, Voice]) -> str:
    """The id of a voice that a file names. Raises UnknownVoice."""
    return str(told) if str(told) in kept else voice_named(str(told)).id


def _together(script: Script) -> set[frozenset[str]]:
    """Pairs of speakers who share a part: lines of no part share one."""
    by_part: dict[int, set[str]] = {}
    for number, (part, lines) in enumerate(script.runs(), 1):
        by_part.setdefault(number if part.name else 0, set()).update(line.speaker for line in lines)
    return {frozenset(pair) for some in by_part.values() for pair in itertools.combinations(sorted(some), 2)}


def _edition(script: Script, source: str, language: str, cast: Mapping[str, str], target: float | None,
             kept: Mapping[str, Voice], lexicon: Sequence[LexiconEntry]) -> Edition:
    if not any(script.wording(line, language, source) for line in script.lines if not line.on_screen):
        raise BadInput("The script has no words in {language} ({tag}). Add a column headed {tag}, or leave the "
                       "language out.", language=english_name(language), tag=language)
    told = script.editions.get(language, ScriptEdition())
    ids = {name: number for number, name in enumerate(script.speakers, 1)}
    timing = timing_of(checked_timing(told.timing))
    require_consistent(timing)
    rates = {ids[name]: rates_over(checked_timing(own), timing) for name, own in told.rates.items() if name in ids}
    castings = {}
    for name, voice in cast.items():
        row = told.cast.get(name, {})
        settings = VoiceSettings().over(checked_voice_settings(row))
        castings[ids[name]] = EditionCasting(voice, settings, row.get("accent_meant") is True,
                                             checked_moods(row.get("moods")), row.get("by_person") is True)
    lines = []
    for number, (part, line) in enumerate(_with_parts(script), 1):
        lines.append(_line(number, line, part, ids[line.speaker], script.wording(line, language, source), language,
                           kept))
    return Edition(language, language == source, lines, castings, timing, rates,
                   target if target is not None else script.target if script.target is not None else DEFAULT_TARGET,
                   script.fps or DEFAULT_FPS, part_directions_of(told, ids),
                   Lexicon([*lexicon, *lexicon_of(told, language)]), kept, sound_plan_of(script.sounds))


def part_directions_of(told: ScriptEdition, speakers: Mapping[str, int]) -> dict[tuple[int, int], PartDirection]:
    """By the part's number and the speaker's. Raises BadInput."""
    found = {}
    for row in told.directions:
        speaker, part = speakers.get(str(row.get("speaker"))), row.get("part")
        if speaker is not None and isinstance(part, int):
            settings = checked_voice_settings(row.get("settings") or {})
            found[part, speaker] = PartDirection(tuple(sorted(settings.items())), checked_moods(row.get("moods")))
    return found


def lexicon_of(told: ScriptEdition, language: str) -> list[LexiconEntry]:
    """Raises BadInput."""
    return [checked_entry(str(row.get("phrase", "")), str(row.get("kind", "alias")), str(row.get("said", "")),
                          str(row.get("language", language)), row.get("case_matters") is True,
                          row.get("exact") is True, str(row.get("note", ""))) for row in told.lexicon]


def _with_parts(script: Script) -> list[tuple[EditionPart | None, ScriptLine]]:
    found: list[tuple[EditionPart | None, ScriptLine]] = []
    numbers = itertools.count(1)
    for part, lines in script.runs():
        of_edition = EditionPart(next(numbers), part.name, part.start, part.end, part.may_grow) if part.name else None
        found += [(of_edition, line) for line in lines]
    return found


def _line(number: int, line: ScriptLine, part: EditionPart | None, speaker: int, words: str,
          language: str, kept: Mapping[str, Voice]) -> EditionLine:
    told = line.own.get(language, {})
    return EditionLine(number, number, speaker, line.speaker, words, part, line.slot, line.in_sight, line.on_screen,
                       line.notes, "edited" if words else "empty", variant=variant_of(told),
                       own=own_casting_of(told.get("casting"), kept), timing=line_timing_of(told.get("timing")),
                       marks=marks_told(told, words), moods=moods_told(told),
                       guide=guide_told(told, words), clips=table_of(line.clips))


def checked_edition(told: ScriptEdition, kept: Mapping[str, Voice]) -> tuple[
        dict[str, float], dict[str, dict[str, float]], dict[str, dict[str, Any]]]:
    """Timing, rates by speaker, and castings by speaker, as they are kept. Raises BadInput, UnknownVoice."""
    timing = checked_timing(told.timing)
    require_consistent(timing_of(timing))
    rates = {name: checked_timing(own) for name, own in told.rates.items()}
    castings = {name: {"voice": _voice(row["voice"], kept), **checked_voice_settings(row),
                       "accent_meant": row.get("accent_meant") is True, "note": str(row.get("note", ""))[:300],
                       "moods": [list(one) for one in checked_moods(row.get("moods"))],
                       "by_person": row.get("by_person") is True}
                for name, row in told.cast.items() if row.get("voice")}
    return timing, rates, castings


def variant_of(told: Mapping[str, Any]) -> int:
    """Which take was chosen. Raises BadInput."""
    directed = told.get("direction")
    variant = directed.get("variant", 0) if isinstance(directed, dict) else 0
    if not isinstance(variant, int) or isinstance(variant, bool) or not 0 <= variant <= 999:
        raise BadInput("Takes of a line are numbered from 0 to 999.")
    return variant


def marks_told(told: Mapping[str, Any], words: str) -> tuple[DirectionMark, ...]:
    """Marks on ``words``, wherever those that they were made on have gone to. Raises BadInput."""
    directed = told.get("direction")
    if not isinstance(directed, dict) or not isinstance(directed.get("marks"), list):
        return ()
    said = str(directed.get("said", words))
    return carried(marks_of(directed["marks"], said), said, words)[0]


def moods_told(told: Mapping[str, Any]) -> Moods:
    """Raises BadInput."""
    directed = told.get("direction")
    return checked_moods(directed.get("moods")) if isinstance(directed, dict) else ()


def guide_told(told: Mapping[str, Any], words: str) -> Guide:
    """The reading that a line follows, as long as it says what it did then. Raises BadInput."""
    row = told.get("guide")
    if not isinstance(row, dict) or " ".join(str(row.get("said", "")).split()) != " ".join(words.split()):
        return Guide()
    try:
        return guide_from_json({name: row[name] for name in ("words", "timing", "melody", "energy") if name in row})
    except (KeyError, TypeError, ValueError) as error:
        raise BadInput("The guide of a line cannot be read.") from error


_PAUSE = 0.7
"""Seconds that a pause is where a script says no more than that there is one."""


def settle_delivery(script: Script, source: str) -> None:
    """What lines say in plain words of how they should sound, as moods and marks of every language that they have words
    in, and the pauses that stood among their words; where something is directed of a line already, that holds. The
    rooms that they are heard from go with the sounds."""
    _settle_rooms(script)
    for line in script.lines:
        if SOURCE in line.own:
            line.own[source] = {**line.own.pop(SOURCE), **line.own.get(source, {})}
        told = understood(line.delivery) if line.delivery.strip() else None
        for language in [source, *line.wordings] if told or line.pauses else []:
            words = script.wording(line, language, source)
            among, pauses = line.pauses.get("" if language == source else language, ("", []))
            marks = [*(told.marks(words) if told else ()),
                     *(DirectionMark("pause", word, _PAUSE) for word in pauses if among == words)]
            own = line.own.setdefault(language, {})
            if (told or marks) and words.strip() and "direction" not in own:
                own["direction"] = {"moods": dict(told.moods) if told else {}, "said": words,
                                    "marks": [mark.as_json() for mark in marks]}


def _settle_rooms(script: Script) -> None:
    told = script.sounds.get("places")
    places = list(told) if isinstance(told, list) else []
    known = {str(place.get("line")) for place in places if isinstance(place, dict)}
    rooms = [{"room": line.room, "line": number} for number, line in enumerate(script.lines, 1)
             if line.room and not line.on_screen and str(number) not in known]
    if rooms:
        script.sounds = {**script.sounds, "places": [*places, *rooms]}


def own_casting_of(told: Any, kept: Mapping[str, Voice]) -> OwnCasting | None:
    """What a line has of its own; None where that is nothing. Raises UnknownVoice, UnknownLanguage, BadInput."""
    if not isinstance(told, dict) or not told:
        return None
    settings = checked_voice_settings(told)
    foreign = tuple((str(one["words"]), tag_of(str(one["language"]))) for one in told.get("foreign", ())
                    if isinstance(one, dict) and one.get("words") and one.get("language"))
    return OwnCasting(_voice(told["voice"], kept) if told.get("voice") else "",
                      tag_of(str(told["language"])) if told.get("language") else "", foreign,
                      tuple((name, settings[name]) for name in SETTINGS if name in settings))


def line_timing_of(told: Any) -> OwnTiming:
    """Raises BadInput."""
    return OwnTiming(**checked_line_timing(told)) if isinstance(told, dict) else OwnTiming()
