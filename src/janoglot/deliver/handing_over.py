"""What an edition can hand over now, and what stops the rest."""

from __future__ import annotations

import tempfile
import zipfile
from dataclasses import replace
from pathlib import Path

import soundfile

from janoglot.core.deliver.captions import caption_lines, captions
from janoglot.core.deliver.hold_list import hold_csv, hold_timeline
from janoglot.core.deliver.names import clip_name, file_name
from janoglot.core.edition.plan import MixPlan, PlannedLine, plan_of
from janoglot.core.errors import Counted, JanoglotError, Template
from janoglot.core.graph import recipe_hash
from janoglot.core.mix.programme import RATE, clip_samples, convert
from janoglot.core.script.formats.cues import Cue
from janoglot.core.script.model import Script, ScriptLine
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.mix.making import mix_progress
from janoglot.mix.models import Mix
from janoglot.productions.models import Edition, Line, Production
from janoglot.server.storage import mixes, takes


class NotReady(JanoglotError):
    """Something of the edition is out of date or missing."""

    code = "not_ready"


def stops(state: EditionState) -> list[tuple[str, list[int]]]:
    """What stops the hand-over: a code, with the ids of the lines that are to blame. Empty lines stop nothing."""
    found = []
    for code in ("uncast", "unvoiced", "out_of_date"):
        lines = [s.id for s in state.lines if s.state == code]
        if lines:
            found.append((code, lines))
    if not any(s.words for s in state.lines):
        found.append(("no_words", []))
    return found


def current_mix(state: EditionState) -> Mix | None:
    """The mix of the edition exactly as it stands, ready to hand over."""
    return ready_mix(state.row, state.mix_recipe)


def ready_mix(edition: Edition, recipe: str) -> Mix | None:
    found = mix_progress(edition, recipe)
    return found.mix if found.state == "ready" else None


def unread(state: EditionState) -> list[int]:
    """Ids of lines whose words are a draft that nobody has read. Of the source nothing is drafted."""
    if state.edition.is_source:
        return []
    return [s.id for s in state.lines if s.words.strip() and s.line.state == "draft"]


def require_read(state: EditionState) -> None:
    """Raises NotReady where words are handed over that nobody has read."""
    count = len(unread(state))
    if count:
        raise NotReady(Counted("{count} line is a draft that nobody has read: read it, or ask for it unread.",
                               "{count} lines are drafts that nobody has read: read them, or ask for them unread."),
                       count=count)


def require_ready(state: EditionState) -> None:
    """Raises NotReady where any line with words has no current take."""
    for code, lines in stops(state):
        raise NotReady(_STOPS[code], count=len(lines))


_STOPS: dict[str, Template] = {
    "uncast": Counted("{count} line has no voice yet.", "{count} lines have no voice yet."),
    "unvoiced": Counted("{count} line is not voiced yet.", "{count} lines are not voiced yet."),
    "out_of_date": Counted("{count} line has changed since it was voiced. Voice it again.",
                           "{count} lines have changed since they were voiced. Voice them again."),
    "no_words": "This edition has no words yet.",
}


def require_finished(count: int) -> None:
    """Raises NotReady where ``count`` lines are heard as sketches."""
    if count:
        raise NotReady(Counted("{count} line is a sketch: finish it, or ask for the sketch.",
                               "{count} lines are sketches: finish them, or ask for the sketches."), count=count)


def plan_of_mix(edition: Edition, recipe: str) -> MixPlan:
    """What the mix of that recipe was made from, whatever has changed since. Raises NotReady where it is not kept (any
    more)."""
    mix = ready_mix(edition, recipe)
    if mix is None or not mixes().has(mix.plan_key):
        raise NotReady("This mix is not kept any more: the edition has changed several times since. Take the newest.")
    return MixPlan.read(mixes().path(mix.plan_key))


def newest_plan(state: EditionState) -> MixPlan:
    """What the mix of an edition would be made from. Raises NotReady where lines have no current take."""
    require_ready(state)
    return plan_of(state, lambda line: kept_sound(line, takes()))


def mix_file(edition: Edition, recipe: str, layout: str) -> Path:
    """A mix as WAV, FLAC or MP3, each measured once it is encoded: it is as loud as it says. Raises NotReady where the
    mix is not made."""
    mix = ready_mix(edition, recipe)
    if mix is None:
        raise NotReady("The mix of this edition is not made yet. Make it, then take it away.")
    source = mixes().path(mix.key)
    if layout == "wav":
        return source
    place = source.with_suffix(f".{layout}")
    if not place.exists():
        convert(source, place, "FLAC" if layout == "flac" else "MP3", mix.report["lufs"])
    return place


def clips_file(plan: MixPlan) -> Path:
    """A zip with a WAV for each voiced line, named by order, speaker and language."""
    names = {line.line: clip_name(line.number, line.speaker, plan.language) for line in _named(plan)}
    # Who speaks may have another name by now, which the sounds say nothing of.
    key = f"{recipe_hash('clips', mix=plan.recipe, names=list(names.values()))}.zip"
    store = takes()

    def write(half: Path) -> None:
        with zipfile.ZipFile(half, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
            for line in plan.lines:
                with tempfile.NamedTemporaryFile(suffix=".wav", dir=half.parent) as file:
                    soundfile.write(file.name, clip_samples(line.clip(store), plan.target), RATE,
                                    subtype="PCM_24", format="WAV")
                    archive.write(file.name, names[line.line])

    return mixes().path(key) if mixes().has(key) else mixes().write(key, write)


def _named(plan: MixPlan) -> list[PlannedLine]:
    """The lines with the names that their speakers have now."""
    now = dict(Line.objects.filter(pk__in=[line.line for line in plan.lines]).values_list(
        "id", "speaker__name"))
    return [replace(line, speaker=now.get(line.line, line.speaker)) for line in plan.lines]


def edition_captions(plan: MixPlan) -> list[Cue]:
    """Captions timed to the dub."""
    return captions(caption_lines(replace(plan, lines=_named(plan))))


def on_screen_script(state: EditionState) -> Script:
    """What is read on the screen, in the edition's language beside the source, with its times."""
    edition = state.row
    source = dict(edition.production.editions.get(language=edition.production.source_language)
                  .wordings.values_list("line_id", "text"))
    script = Script(languages=[] if edition.is_source else [edition.language])
    for one in state.lines:
        if not one.line.on_screen:
            continue
        slot = one.line.slot or (None, None)
        script.lines.append(ScriptLine(
            one.line.speaker_name, source.get(one.id, ""), slot[0], slot[1], one.line.notes,
            one.line.part.name if one.line.part else "", None,
            {} if edition.is_source else {edition.language: one.words}))
    return script


def hold_list(state: EditionState, layout: str) -> str:
    """Where the picture is held in this edition: as "csv" or "otio". Raises NotReady where it is not."""
    if not state.holds:
        raise NotReady("No part of this edition is held: none may grow, or all its speech fits.")
    production = state.row.production
    names = {str(pk): name for pk, name in production.parts.values_list("id", "name")}
    if layout == "csv":
        return hold_csv(state.holds, names, production.fps)
    source = max(state.seconds - sum(hold.seconds for hold in state.holds), state.holds[-1].at)
    return hold_timeline(state.holds, names, production.fps, source, f"{production.name} {state.edition.language}")


def download_name(production: Production, language: str | None, suffix: str) -> str:
    tail = f"_{language}" if language else ""
    return f"{file_name(production.name, 'production')}{tail}{suffix}"
