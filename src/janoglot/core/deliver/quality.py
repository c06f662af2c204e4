"""The quality report of an edition: every line against its limits, so that who does not speak the language sees which
of them to send to somebody who does."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from janoglot.core.deliver.caption_rules import CaptionFault
from janoglot.core.deliver.contents import ToldLine
from janoglot.core.deliver.tables import Column, Table, clock, text_of
from janoglot.core.languages import english_name

HEARD_LIMIT = 0.75
"""Of its words, that the recogniser must have understood for a line to pass."""
FASTEST = 1.25
"""How many times as quick as the voice's own pace a line may be."""
SHOWN = 5
"""Lines that are pointed at first."""
_CAPTIONS_SHOWN = 12


@dataclass(frozen=True, slots=True)
class LineQuality:
    """What is known of one line. ``heard`` is what the recogniser understood ("" where nobody listened: ``agrees`` is
    None then), ``back`` its meaning in the source's language; ``speed`` 1 where the voice has its own pace;
    ``clear_lu`` how far it is over what lies under it, where that is too little; ``doubts`` in plain words; ``said``
    what people have said of it."""

    id: int
    number: int
    speaker: str
    source: str
    words: str
    start: float | None = None
    seconds: float = 0.0
    heard: str = ""
    agrees: float | None = None
    back: str = ""
    speed: float = 1.0
    over: float = 0.0
    silent: bool = False
    clear_lu: float | None = None
    doubts: tuple[str, ...] = ()
    said: tuple[str, ...] = ()
    read: bool = True
    right_by: str = ""
    """Who has said that it is right as it sounds, whatever was heard."""

    @property
    def worry(self) -> float:
        """How much a person should look at it: 0 not at all."""
        worry = 0.0 if self.agrees is None else 4 * max(0.0, 1 - self.agrees)
        worry += 2.0 * min(1.0, max(0.0, self.speed - FASTEST) / 0.35) + (3.0 if self.silent else 0.0)
        worry += 1.5 * min(1.0, self.over) + (1.0 if self.clear_lu is not None else 0.0)
        return worry + 1.2 * min(3, len(self.doubts)) + 3.0 * min(2, len(self.said)) + (0.0 if self.read else 0.4)

    @property
    def faults(self) -> list[str]:
        """Names of the limits that it does not keep."""
        found = [] if self.agrees is None or self.agrees >= HEARD_LIMIT else ["heard"]
        found += ["speed"] if self.speed > FASTEST + 1e-6 else []
        found += ["over"] if self.over > 0.001 else []
        found += ["silent"] if self.silent else []
        found += ["unclear"] if self.clear_lu is not None else []
        found += ["doubtful"] if self.doubts else []
        return found + (["remark"] if self.said else [])

    def as_json(self) -> dict[str, Any]:
        return {**asdict(self), "worry": round(self.worry, 2), "faults": self.faults}


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure of the whole with its limit; ``kept`` None where nothing could be measured."""

    name: str
    found: float | None
    limit: str
    kept: bool | None


@dataclass(slots=True)
class QualityReport:
    language: str
    production: str
    figures: list[Figure] = field(default_factory=list)
    lines: list[LineQuality] = field(default_factory=list)
    captions: list[CaptionFault] = field(default_factory=list)
    approved_by: list[str] = field(default_factory=list)

    @property
    def worst(self) -> list[int]:
        """Ids of the lines to send to somebody first."""
        order = sorted((one for one in self.lines if one.worry > 0.5), key=lambda one: (-one.worry, one.number))
        return [one.id for one in order[:SHOWN]]

    def _said_at(self, seconds: float) -> int | None:
        """The id of the line that a caption of that moment is of."""
        begun = [one for one in self.lines if one.start is not None and one.start <= seconds + 0.01]
        return max(begun, key=lambda one: one.start or 0.0).id if begun else None

    def as_json(self) -> dict[str, Any]:
        return {
            "language": self.language,
            "production": self.production,
            "figures": [asdict(one) for one in self.figures],
            "lines": [one.as_json() for one in self.lines],
            "worst": self.worst,
            "captions": [{**asdict(one), "line": self._said_at(one.start)} for one in self.captions],
            "approved_by": self.approved_by,
        }


def quality_of(language: str, production: str, lines: Sequence[LineQuality], mix: Mapping[str, Any] | None,
               target: float, captions: Sequence[CaptionFault], ceiling_db: float = -1.0,
               approved_by: Sequence[str] = ()) -> QualityReport:
    """The report; ``mix`` is what was measured of the finished track, None where there is none."""
    listened = [one.agrees for one in lines if one.agrees is not None]
    spoken = [one for one in lines if one.start is not None]
    ordered = sorted(spoken, key=lambda one: one.start or 0.0)
    overlaps = sum((after.start or 0.0) < (one.start or 0.0) + one.seconds - 0.05
                   for one, after in itertools.pairwise(ordered))
    mean = sum(listened) / len(listened) if listened else None

    def count(name: str, fault: str, limit: str = "0") -> Figure:
        found = sum(fault in one.faults for one in lines)
        return Figure(name, found, limit, found == 0)

    figures = [
        Figure("lines", len(lines), "", None),
        Figure("voiced", len(spoken), str(len(lines)), len(spoken) == len(lines)),
        Figure("listened", len(listened), str(len(spoken)), len(listened) == len(spoken)),
        Figure("understood", None if mean is None else round(100 * mean, 1), f"≥ {100 * HEARD_LIMIT:.0f} %",
               None if mean is None else mean >= HEARD_LIMIT),
        count("not_heard", "heard"), count("hurried", "speed", f"× {FASTEST:g}"), count("over", "over"),
        count("silent", "silent"), Figure("overlaps", overlaps, "0", overlaps == 0), count("unclear", "unclear"),
        count("doubtful", "doubtful"), count("remarks", "remark"),
        Figure("captions", len(captions), "0", not captions)]
    if mix:
        figures += [Figure("lufs", round(mix["lufs"], 1), f"{target:g} ± 0.5", abs(mix["lufs"] - target) <= 0.5),
                    Figure("true_peak_db", round(mix["true_peak_db"], 1), f"≤ {ceiling_db:g}",
                           mix["true_peak_db"] <= ceiling_db + 0.1),
                    Figure("range_lu", round(mix.get("range_lu", 0.0), 1), "≤ 20", mix.get("range_lu", 0.0) <= 20)]
    return QualityReport(language, production, figures, list(lines), list(captions), list(approved_by))


_COLUMNS = (Column("line", 5), Column("speaker", 12), Column("source", 30), Column("words", 34, True),
            Column("heard back", 34, True), Column("%", 6), Column("back", 24), Column("×", 7), Column("look at", 20),
            Column("said of it", 24))


_FAULTS = {"heard": "not understood", "speed": "hurried", "over": "longer than its place", "silent": "silent",
           "unclear": "hidden under other sounds", "doubtful": "doubtful words", "remark": "a remark"}
_FIGURES = {"listened": "heard back", "understood": "words understood, %", "not_heard": "lines not understood",
            "hurried": "lines hurried", "over": "longer than their place", "silent": "silent lines",
            "unclear": "hidden under other sounds", "doubtful": "lines with doubtful words",
            "captions": "captions against a rule", "lufs": "programme, LUFS", "true_peak_db": "true peak, dBTP",
            "range_lu": "loudness range, LU"}
"""As they are printed."""


def quality_table(told: Mapping[str, Any]) -> Table:
    """A report (as JSON holds it) as a list that is printed."""
    rows, marked = [], set()
    # What is to be looked at first comes first, the worst before the better; the others as they are said.
    worst = {line: place for place, line in enumerate(told["worst"])}
    for number, line in enumerate(sorted(told["lines"], key=lambda one: worst.get(one["id"], len(worst)))):
        agrees = line["agrees"]
        right = [f"right as it sounds: {line['right_by']}"] if line["right_by"] else []
        rows.append([str(line["number"]), line["speaker"], line["source"], line["words"], line["heard"],
                     "" if agrees is None else f"{100 * agrees:.0f}", line["back"], text_of(line["speed"], 2),
                     "; ".join([*(_FAULTS[one] for one in line["faults"]), *line["doubts"]]),
                     "; ".join([*line["said"], *right])])
        if line["id"] in worst:
            marked.add(number)
    about = " · ".join(f"{_FIGURES.get(one['name'], one['name'])}: {'–' if one['found'] is None else one['found']}"
                      + (f" (limit {one['limit']})" if one["limit"] else "") for one in told["figures"])
    if told["captions"]:
        shown = [f"{clock(one['start'])} {one['rule']} {text_of(one['found'], 2)} (limit {text_of(one['limit'], 2)})"
                 for one in told["captions"][:_CAPTIONS_SHOWN]]
        more = len(told["captions"]) - len(shown)
        about += f"\ncaptions to look at: {'; '.join(shown)}" + (f"; and {more} more" if more else "")
    if told["approved_by"]:
        about += f"\napproved by {', '.join(told['approved_by'])}"
    return Table(f"{told['production']}: {english_name(told['language'])}", about, told["language"], _COLUMNS, rows,
                 frozenset(marked))


def plain_quality(lines: Sequence[ToldLine]) -> list[LineQuality]:
    """Of lines of which nothing more is known than where they lie."""
    return [LineQuality(one.id, one.number, one.speaker, one.source, one.words, one.start,
                        (one.end or 0.0) - (one.start or 0.0)) for one in lines if one.words.strip()
            and not one.on_screen]


