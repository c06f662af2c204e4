"""What stands in the way of an edition: what cannot be handed over at all, and what a person should know of first."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from django.utils import timezone

from janoglot.adapt.doubts import Ground, doubts
from janoglot.core.adapt.drafting import drafting_engine
from janoglot.core.deliver.contents import Right, rights_of
from janoglot.core.deliver.quality import LineQuality
from janoglot.core.errors import EngineError
from janoglot.deliver.handing_over import ready_mix, stops, unread
from janoglot.deliver.models import RightNote
from janoglot.editions.state import EditionState
from janoglot.productions.models import HeardBack, LibrarySound, LineRecording, Media
from janoglot.productions.writing import source_words
from janoglot.review.reviewing import lines_approved, open_remarks, said_of_lines

HARD = ("uncast", "unvoiced", "out_of_date", "unrecorded", "no_words")
SOFT = ("sketch", "draft", "over", "doubtful", "not_heard", "unclear", "not_approved", "no_right", "review_open")
_BACK = 12
"""Lines whose meaning back is worked out."""


@dataclass(frozen=True, slots=True)
class OpenPoint:
    """A code with the ids of the lines that are to blame. What is ``hard`` cannot be handed over; for the rest a
    producer gives a reason."""

    code: str
    lines: list[int]

    @property
    def hard(self) -> bool:
        return self.code in HARD


def open_points(state: EditionState, commercial: bool = False) -> list[OpenPoint]:
    """Everything that stands in the way. ``commercial``: every right has to be there."""
    found = [OpenPoint(code, lines) for code, lines in stops(state)]
    if any(one.code == "no_words" for one in found):
        return found
    worded = [one for one in state.lines if one.words.strip() and not one.line.on_screen]

    def say(code: str, lines: list[int]) -> None:
        if lines:
            found.append(OpenPoint(code, lines))

    say("sketch", [one.id for one in state.sketches()])
    say("draft", unread(state))
    heard = {one.id for one in worded if one.take}
    say("over", [one.id for one, place in zip(state.lines, state.placements, strict=True)
                 if one.id in heard and place.over > 0.001])
    doubtful = doubts(state, Ground.of(state.row))
    say("doubtful", [row["line"] for row in doubtful if row["findings"] or row["misspelt"] or row["rude"] or any(
        not term["kept"] for term in row["terms"])])
    say("not_heard", [row["line"] for row in doubtful if row["heard"]])
    mix = ready_mix(state.row, state.mix_recipe)
    if mix:
        say("unclear", [int(line) for line in mix.report.get("unclear", {})])
    if not state.row.is_source:
        reviewed = lines_approved(state.row, state)
        say("not_approved", [one.id for one in worded
                             if one.line.state not in ("approved", "draft") and one.id not in reviewed])
    if commercial and any(one.missing for one in rights(state)):
        found.append(OpenPoint("no_right", []))
    remarks = open_remarks(state.row)
    if remarks:
        found.append(OpenPoint("review_open", sorted({one.line_id for one in remarks if one.line_id})))
    return found


def rights(state: EditionState) -> list[Right]:
    """Everything that an edition uses, and by what right; what people have noted lies over what is known."""
    kept = {row.pk: Right("sound", row.name, "", row.licence, "brought in", True if _is_free(row.licence) else None)
            for row in LibrarySound.objects.filter(pk__in=[
                placed.cue.source["kept"] for placed in state.placed_cues[0]
                if isinstance(placed.cue.source.get("kept"), int)])}
    recording = Media.objects.filter(production=state.row.production_id, purpose=Media.Purpose.SOURCE,
                                     played=True).first()
    people = {}
    for row in LineRecording.objects.filter(edition=state.row).select_related("line__speaker", "by"):
        name = row.line.speaker.name
        people[name] = Right("recording", name, "", "", f"brought in by {row.by.username}" if row.by else "", None)
    found = rights_of(state, state.placed_cues[0], kept, recording.name if recording else "", people)
    notes = {(one.what, one.name): one for one in RightNote.objects.filter(production=state.row.production_id)}
    return [_noted(one, notes.get((one.what, one.name))) for one in found]


def _noted(right: Right, note: RightNote | None) -> Right:
    """A right with what was noted of it. A consent that has run out counts for nothing."""
    if note is None:
        return right
    commercial = right.commercial if note.commercial is None else note.commercial
    over = note.until is not None and note.until < timezone.localdate()
    return replace(right, licence=note.licence or right.licence, source=note.source or right.source,
                   commercial=False if over else commercial, consent=note.consent,
                   until=note.until.isoformat() if note.until else "")


def _is_free(licence: str) -> bool:
    plain = licence.lower()
    return any(word in plain for word in ("cc0", "public domain", "cc-by", "cc by", "own", "free to use")) \
        and "nc" not in plain.replace("-", " ").split()


def quality_lines(state: EditionState, meaning_back: bool = True) -> list[LineQuality]:
    """What is known of how right each spoken line is."""
    edition = state.row
    sources = {} if edition.is_source else source_words(edition.production)
    doubtful = {row["line"]: row for row in doubts(state, Ground.of(edition))}
    keys = {key: line for line, key in state.finish_keys.items()}
    heard = {keys[row.key]: row for row in HeardBack.objects.filter(key__in=keys).select_related("right_by")}
    mix = ready_mix(edition, state.mix_recipe)
    unclear: dict[str, float] = mix.report.get("unclear", {}) if mix else {}
    drafts, said = set(unread(state)), said_of_lines(edition)
    found = []
    for one, place in zip(state.lines, state.placements, strict=True):
        if not one.words.strip() or one.line.on_screen or one.line.clips is not None:
            continue
        row, back = doubtful.get(one.id), heard.get(one.id)
        right = back.right_by.username if back and back.right_by else ""
        found.append(LineQuality(
            one.id, one.line.number, one.line.speaker_name, sources.get(one.id, ""), one.words,
            round(place.start, 3) if one.take else None, round(place.seconds, 3), back.text if back else "",
            None if back is None else 1.0 if right else round(max(0.0, 1 - back.error), 3), "",
            round(place.rate, 3), round(max(0.0, place.over), 3), bool(one.take and one.take.lufs < -60),
            unclear.get(str(one.id)), _doubts(row), tuple(said.get(one.id, ())), one.id not in drafts,
            right))
    return _with_meaning(state, found) if meaning_back and not edition.is_source else found


def _doubts(row: dict[str, Any] | None) -> tuple[str, ...]:
    if row is None:
        return ()
    terms = [f"{one['original']} → {one['text']}" for one in row["terms"] if not one["kept"]]
    return (*(one["message"] for one in row["findings"]), *terms, *(["spelling"] if row["misspelt"] else []),
            *(["rude"] if row["rude"] else []))


def _with_meaning(state: EditionState, lines: list[LineQuality]) -> list[LineQuality]:
    """Of the lines that deserve it most what they mean in the source's language, where a pair for that is here."""
    engine = drafting_engine()
    language, source = state.row.language, state.row.production.source_language
    if not engine.route(language, source):
        return lines
    first = sorted(lines, key=lambda one: -one.worry)[:_BACK]
    try:
        back = {one.id: draft.text for one, draft in zip(
            first, engine.draft([one.words for one in first], language, source), strict=True)}
    except EngineError:
        return lines
    return [replace(one, back=back.get(one.id, "")) for one in lines]
