"""What an edition can hand over now, and what stops the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from janoglot.core.deliver.deliverable import Deliverable, Need
from janoglot.core.deliver.names import file_name
from janoglot.core.edition.plan import MixPlan, plan_of
from janoglot.core.errors import Counted, JanoglotError, Template
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.timing.holds import Hold
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.mix.making import mix_progress
from janoglot.mix.models import Mix
from janoglot.productions.models import Edition, Line, Production
from janoglot.productions.taking_out import production_script
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


class EditionMaterial(ProductionMaterial):
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
