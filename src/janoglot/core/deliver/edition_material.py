"""An edition as what is handed over is made of it: how it stands, its plan and its finished mix."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from janoglot.core.deliver.caption_rules import CaptionStyle, check_captions, pairs_of_names
from janoglot.core.deliver.captions import caption_lines, captions, readable
from janoglot.core.deliver.contents import (
    PartSpan,
    Right,
    ToldLine,
    part_spans_of,
    rights_of,
    ssml_of,
    told_lines,
)
from janoglot.core.deliver.deliverable import Data, LineToSay
from janoglot.core.deliver.quality import LineQuality, plain_quality, quality_of
from janoglot.core.edition.plan import MixPlan
from janoglot.core.edition.standing import EditionStanding
from janoglot.core.errors import BadInput
from janoglot.core.script.model import Script
from janoglot.core.speech.lexicon import write_pls
from janoglot.core.store import Store
from janoglot.core.timing.holds import Hold


@dataclass
class EditionMaterial:
    """One edition. ``mix_key`` names its finished mix in ``mixes``; ``source`` what each line says in the source;
    ``of_sound`` the rights of a library's sounds; ``about_lines`` what more is known of the quality of lines."""

    standing: EditionStanding
    made_plan: MixPlan
    mix_key: str
    mixes: Store
    production: str
    source_language: str
    whole_script: Script
    source: Mapping[int, str]
    recording: Data | None = None
    when: str = "1970-01-01T00:00:00"
    of_sound: Mapping[int, Right] = field(default_factory=dict)
    about_lines: Callable[[Sequence[ToldLine]], list[LineQuality]] = plain_quality
    approved_by: Sequence[str] = ()

    @property
    def language(self) -> str:
        return self.standing.edition.language

    @property
    def fps(self) -> float:
        return self.standing.edition.fps

    def plan(self) -> MixPlan:
        return self.made_plan

    def _mix(self) -> dict[str, Any]:
        told: dict[str, Any] = json.loads(self.mixes.path(self.mix_key).read_text())
        return told

    def mix(self) -> tuple[str, float, float]:
        told = self._mix()
        return self.mix_key, float(told["report"]["lufs"]), float(told["seconds"])

    def holds(self) -> Sequence[Hold]:
        return self.standing.holds

    def part_names(self) -> Mapping[str, str]:
        return {str(part.id): part.name for one in self.standing.lines if (part := one.line.part)}

    def picture_seconds(self) -> float:
        return float(self.recording["seconds"]) if self.recording else self.standing.seconds

    def on_screen(self) -> Script:
        raise BadInput("This is handed over by the server alone.")

    def to_record(self) -> Sequence[LineToSay]:
        return [LineToSay(one.number, one.speaker, one.words, one.part, one.source, one.slot_in, one.slot_out,
                          one.notes, one.delivery) for one in self.lines() if one.words.strip() and not one.on_screen]

    def template_clips(self) -> Data:
        raise BadInput("This is handed over by the server alone.")

    def script(self, whole: bool) -> Script:
        return self.whole_script

    def made(self) -> str:
        return self.when

    def lines(self) -> Sequence[ToldLine]:
        return told_lines(self.standing, self.source)

    def parts(self) -> Sequence[PartSpan]:
        return part_spans_of(self.standing, self.made_plan.seconds)

    def names(self) -> Sequence[str]:
        return sorted({one.line.speaker_name for one in self.standing.lines})

    def picture(self) -> Data | None:
        return self.recording

    def ssml(self) -> str:
        return ssml_of(self.standing)

    def lexicon(self) -> str:
        return lexicon_of(self.standing)

    def rights(self) -> Sequence[Right]:
        return rights_of(self.standing, self.made_plan.under, self.of_sound,
                         self.recording["name"] if self.recording else "")

    def quality(self) -> Data:
        return quality_told(self.standing, self.made_plan, self.production, self.about_lines(self.lines()),
                            self._mix()["report"], self.approved_by)


def lexicon_of(standing: EditionStanding) -> str:
    return write_pls(standing.edition.lexicon.entries, standing.edition.language)


def quality_told(standing: EditionStanding, plan: MixPlan, production: str, lines: Sequence[LineQuality],
                 mix: Mapping[str, Any] | None, approved_by: Sequence[str]) -> Data:
    """The quality report of an edition, its captions checked as they usually are."""
    style, language = CaptionStyle(), standing.edition.language
    names = pairs_of_names(sorted({one.line.speaker_name for one in standing.lines}))
    cues = readable(captions(caption_lines(plan), style, language, names), style, plan.seconds)
    return quality_of(language, production, lines, mix, plan.target, check_captions(cues, style, language, names),
                      plan.ceiling_db, approved_by).as_json()
