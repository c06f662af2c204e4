"""What an edition can hand over now, and what stops the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from janoglot.core.deliver.contents import PartSpan, Right, ToldLine, part_spans_of, ssml_of, told_lines
from janoglot.core.deliver.deliverable import Data, Deliverable, LineToSay, Need
from janoglot.core.deliver.edition_material import lexicon_of, quality_told
from janoglot.core.deliver.names import file_name
from janoglot.core.edition.plan import MixPlan, plan_of
from janoglot.core.errors import Counted, JanoglotError, Template
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.speech.mood_words import in_words
from janoglot.core.speech.recipe_json import recipe_as_json
from janoglot.core.timing.holds import Hold
from janoglot.editions.clips import clips_there
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.mix.making import mix_progress
from janoglot.mix.models import Mix
from janoglot.productions.models import Edition, Line, Media, Production
from janoglot.productions.taking_out import production_script
from janoglot.productions.writing import source_words
from janoglot.review.reviewing import approvals_of
from janoglot.server.storage import mixes, takes


class NotReady(JanoglotError):
    """Something of the edition is out of date or missing."""

    code = "not_ready"


def stops(state: EditionState) -> list[tuple[str, list[int]]]:
    """What stops the hand-over: a code, with the ids of the lines that are to blame. Empty lines stop nothing."""
    found = []
    for code in ("uncast", "unvoiced", "out_of_date"):
        lines = [s.id for s in state.lines if s.state == code and not s.by_person]
        if lines:
            found.append((code, lines))
    if state.unrecorded():
        found.append(("unrecorded", [s.id for s in state.unrecorded()]))
    if not any(s.words for s in state.lines):
        found.append(("no_words", []))
    return found


def ready_mix(edition: Edition, recipe: str) -> Mix | None:
    found = mix_progress(edition, recipe)
    return found.mix if found.state == "ready" else None


def unread(state: EditionState) -> list[int]:
    """Ids of lines whose words are a draft that nobody has read. Of the source nothing is drafted."""
    if state.edition.is_source:
        return []
    return [s.id for s in state.lines if s.words.strip() and s.line.state == "draft"]


_STOPS: dict[str, Template] = {
    "uncast": Counted("{count} line has no voice yet.", "{count} lines have no voice yet."),
    "unvoiced": Counted("{count} line is not voiced yet.", "{count} lines are not voiced yet."),
    "out_of_date": Counted("{count} line has changed since it was voiced. Voice it again.",
                           "{count} lines have changed since they were voiced. Voice them again."),
    "unrecorded": Counted("{count} line is still to be recorded by a person.",
                          "{count} lines are still to be recorded by a person."),
    "no_words": "This edition has no words yet.",
}


class ProductionMaterial:
    """Where a deliverable takes what it is made of: a production's script alone."""

    def __init__(self, production: Production) -> None:
        self.row = production

    production = property(lambda self: str(self.row.name))
    source_language = property(lambda self: str(self.row.source_language))
    fps = property(lambda self: float(self.row.fps))

    @property
    def language(self) -> str:
        return str(self.row.source_language)

    def script(self, whole: bool) -> Script:
        return production_script(self.row, whole)

    def plan(self) -> MixPlan:
        raise NotImplementedError

    def mix(self) -> tuple[str, float, float]:
        raise NotImplementedError

    def holds(self) -> Sequence[Hold]:
        raise NotImplementedError

    def part_names(self) -> Mapping[str, str]:
        raise NotImplementedError

    def picture_seconds(self) -> float:
        raise NotImplementedError

    def on_screen(self) -> Script:
        raise NotImplementedError

    def to_record(self) -> Sequence[LineToSay]:
        raise NotImplementedError

    def template_clips(self) -> Data:
        raise NotImplementedError

    def made(self) -> str:
        raise NotImplementedError

    def lines(self) -> Sequence[ToldLine]:
        raise NotImplementedError

    def parts(self) -> Sequence[PartSpan]:
        raise NotImplementedError

    def names(self) -> Sequence[str]:
        raise NotImplementedError

    def picture(self) -> Data | None:
        raise NotImplementedError

    def ssml(self) -> str:
        raise NotImplementedError

    def lexicon(self) -> str:
        raise NotImplementedError

    def rights(self) -> Sequence[Right]:
        raise NotImplementedError

    def quality(self) -> Data:
        raise NotImplementedError


class StoredEdition(ProductionMaterial):
    """An edition as it stands; or, where ``recipe`` names a mix, as that has it, whatever has changed since."""

    def __init__(self, edition: Edition, recipe: str = "") -> None:
        super().__init__(edition.production)
        self.edition = edition
        self.recipe = recipe
        self.state = EditionState.load(edition)

    @property
    def language(self) -> str:
        return self.edition.language

    def plan(self) -> MixPlan:
        """Raises NotReady where lines have no current take, or the mix is not kept any more."""
        if not self.recipe:
            self.require_voiced()
            return _named(plan_of(self.state, lambda line: kept_sound(line, takes())))
        mix = ready_mix(self.edition, self.recipe)
        if mix is None or not mixes().has(mix.plan_key):
            raise NotReady("This mix is not kept any more: the edition has changed several times since. Take the "
                           "newest.")
        return _named(MixPlan.read(mixes().path(mix.plan_key)))

    def mix(self) -> tuple[str, float, float]:
        """Raises NotReady where it is not made."""
        mix = ready_mix(self.edition, self.recipe or self.state.mix_recipe)
        if mix is None:
            raise NotReady("The mix of this edition is not made yet. Make it, then take it away.")
        return mix.key, float(mix.report["lufs"]), float(mix.report["seconds"])

    def holds(self) -> Sequence[Hold]:
        return self.state.holds

    def part_names(self) -> Mapping[str, str]:
        return {str(pk): name for pk, name in self.row.parts.values_list("id", "name")}

    def picture_seconds(self) -> float:
        holds = self.state.holds
        return float(max(self.state.seconds - sum(hold.seconds for hold in holds), holds[-1].at))

    def on_screen(self) -> Script:
        edition = self.edition
        source = dict(edition.production.editions.get(language=self.source_language).wordings.values_list(
            "line_id", "text"))
        script = Script(languages=[] if edition.is_source else [edition.language])
        for one in self.state.lines:
            if not one.line.on_screen:
                continue
            slot = one.line.slot or (None, None)
            script.lines.append(ScriptLine(
                one.line.speaker_name, source.get(one.id, ""), slot[0], slot[1], one.line.notes,
                one.line.part.name if one.line.part else "", None,
                {} if edition.is_source else {edition.language: one.words}))
        return script

    def to_record(self) -> Sequence[LineToSay]:
        source = {} if self.edition.is_source else dict(self.edition.production.editions.get(
            language=self.source_language).wordings.values_list("line_id", "text"))
        worded = [one for one in self.state.lines if one.words.strip() and not one.line.on_screen]
        mine = [one for one in worded if one.by_person] or worded
        return [LineToSay(
            one.line.number, one.line.speaker_name, one.words, one.line.part.name if one.line.part else "",
            source.get(one.id, ""), one.line.slot[0] if one.line.slot else None,
            one.line.slot[1] if one.line.slot else None, one.line.notes, in_words(one.moods),
            tuple(f"{one.words[reading.at: reading.at + reading.length]}: {reading.said}"
                  for reading in (one.stand_in.delivery.readings if one.stand_in else ()) if reading.said),
            one.by_person and one.state == "current") for one in mine]

    def template_clips(self) -> Data:
        """Raises NotReady where one of them is not made, or there are none."""
        told: list[Data] = []
        missing = 0
        for one in self.state.lines:
            for clip, there in clips_there(self.state.edition, one):
                if there is None or clip.recipe is None:
                    missing += 1
                    continue
                told.append({"name": f"{clip.name}_{self.language}.wav", "line": one.line.number,
                             "recipe": recipe_as_json(clip.recipe), "take": there.as_json(),
                             "level_db": one.level_db})
        if missing:
            raise NotReady(Counted("{count} clip of a template is not made yet.",
                                   "{count} clips of templates are not made yet."), count=missing)
        if not told:
            raise NotReady("No line of this production is a template with a table of values.")
        return {"clips": told, "target": self.state.edition.target}

    def made(self) -> str:
        """Raises NotReady where there is no mix."""
        mix = ready_mix(self.edition, self.recipe or self.state.mix_recipe)
        if mix is None:
            raise NotReady("The mix of this edition is not made yet. Make it, then take it away.")
        return mix.asked.strftime("%Y-%m-%dT%H:%M:%S")

    def lines(self) -> Sequence[ToldLine]:
        source = {} if self.edition.is_source else source_words(self.row)
        return told_lines(self.state, source)

    def parts(self) -> Sequence[PartSpan]:
        return part_spans_of(self.state, self.state.mix_seconds)

    def names(self) -> Sequence[str]:
        return sorted(self.row.speakers.values_list("name", flat=True))

    def picture(self) -> Data | None:
        found = Media.objects.filter(production=self.row, purpose=Media.Purpose.SOURCE, played=True).first()
        if found is None or not found.facts.get("has_picture"):
            return None
        return {"key": found.key, "name": found.name, "seconds": float(found.facts["seconds"]),
                "fps": float(found.facts.get("fps") or self.row.fps), "has_sound": bool(found.facts.get("has_sound"))}

    def ssml(self) -> str:
        return ssml_of(self.state)

    def lexicon(self) -> str:
        return lexicon_of(self.state)

    def rights(self) -> Sequence[Right]:
        from janoglot.deliver.open_points import rights

        return rights(self.state)

    def quality(self) -> Data:
        from janoglot.deliver.open_points import quality_lines

        mix = ready_mix(self.edition, self.state.mix_recipe)
        return quality_told(self.state, self.plan(), self.row.name, quality_lines(self.state),
                            mix.report if mix else None,
                            [one["by"] for one in approvals_of(self.edition, self.state) if one["current"]])

    def require_voiced(self) -> None:
        """Raises NotReady where any line with words has no current take."""
        for code, lines in stops(self.state):
            raise NotReady(_STOPS[code], count=len(lines))

    def require(self, needs: frozenset[Need], sketch: bool, unread_too: bool) -> int:
        """How many sketches are heard in it. Raises NotReady for the first of the ``needs`` that is not met;
        ``sketch`` and ``unread_too`` ask for what is not finished, and what nobody has read."""
        if Need.VOICED in needs and not self.recipe:
            self.require_voiced()
        sketches = self.plan().sketches if Need.FINISHED in needs else 0
        if sketches and not sketch:
            raise NotReady(Counted("{count} line is a sketch: finish it, or ask for the sketch.",
                                   "{count} lines are sketches: finish them, or ask for the sketches."), count=sketches)
        drafts = len(unread(self.state)) if Need.READ in needs else 0
        if drafts and not unread_too:
            raise NotReady(Counted("{count} line is a draft that nobody has read: read it, or ask for it unread.",
                                   "{count} lines are drafts that nobody has read: read them, or ask for them unread."),
                           count=drafts)
        if Need.PICTURE in needs and self.picture() is None:
            raise NotReady("There is no picture: bring in the source's video.")
        if Need.HELD in needs and not self.state.holds:
            raise NotReady("No part of this edition is held: none may grow, or all its speech fits.")
        return sketches


def _named(plan: MixPlan) -> MixPlan:
    """The plan with the names that its speakers have now."""
    now = dict(Line.objects.filter(pk__in=[line.line for line in plan.lines]).values_list("id", "speaker__name"))
    return replace(plan, lines=[replace(line, speaker=now.get(line.line, line.speaker)) for line in plan.lines])


def download_name(production: Production, language: str | None, deliverable: Deliverable, sketch: bool) -> str:
    tail = (f"_{language}" if language else "") + deliverable.tail + ("_sketch" if sketch else "")
    return f"{file_name(production.name, 'production')}{tail}.{deliverable.ending}"
