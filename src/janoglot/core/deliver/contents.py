"""What of an edition goes into what is handed over: its lines with their times, its parts, its rights."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from itertools import pairwise
from typing import Any

from janoglot.core.edition.plan import MixPlan
from janoglot.core.edition.standing import EditionStanding
from janoglot.core.mix.cues import PlacedCue
from janoglot.core.mix.synthesis.shipped import LICENCE
from janoglot.core.speech.mood_words import in_words
from janoglot.core.speech.ssml import DirectedLine, write_ssml


@dataclass(frozen=True, slots=True)
class ToldLine:
    """A line of the script in one edition. ``slot_in`` and ``slot_out`` in the picture, ``start`` and ``end`` in the
    edition's programme, seconds; None where there are none."""

    id: int
    number: int
    part: str
    speaker: str
    source: str
    words: str
    slot_in: float | None
    slot_out: float | None
    start: float | None
    end: float | None
    notes: str
    delivery: str
    state: str
    on_screen: bool


def told_lines(standing: EditionStanding, source: Mapping[int, str]) -> list[ToldLine]:
    """All lines in the script's order; ``source``: what each says there, by id."""
    found = []
    for one, placement in zip(standing.lines, standing.placements, strict=True):
        slot = one.line.slot or (None, None)
        heard = one.take is not None
        found.append(ToldLine(
            one.id, one.line.number, one.line.part.name if one.line.part else "", one.line.speaker_name,
            source.get(one.id, ""), one.words, slot[0], slot[1], round(placement.start, 3) if heard else None,
            round(placement.start + placement.seconds, 3) if heard else None, one.line.notes, in_words(one.moods),
            one.line.state, one.line.on_screen))
    return found


@dataclass(frozen=True, slots=True)
class PartSpan:
    """A part in the programme, seconds."""

    name: str
    start: float
    end: float


def part_spans_of(standing: EditionStanding, seconds: float) -> list[PartSpan]:
    """Where each part begins to be heard, until the next one does; the first from the beginning."""
    starts: list[tuple[str, float]] = []
    known: object = object()
    for one, placement in zip(standing.lines, standing.placements, strict=True):
        part = one.line.part
        here = part.id if part else None
        if here != known and one.words.strip():
            known = here
            starts.append((part.name if part else "", placement.start))
    if not starts or [name for name, _ in starts] == [""]:
        return []
    starts[0] = (starts[0][0], 0.0)
    ends = [start for _, start in starts[1:]] + [seconds]
    return [PartSpan(name, round(start, 3), round(max(end, start), 3))
            for (name, start), end in zip(starts, ends, strict=True)]


def ssml_of(standing: EditionStanding) -> str:
    """Every spoken line as it is directed, as one document."""
    spoken = [one for one in standing.lines if not one.line.on_screen and one.words.strip()]
    lines = [DirectedLine(" ".join(one.words.split()), one.line.marks, one.line.moods, one.line.variant,
                          one.line.own.foreign if one.line.own else (), one.line.number, one.line.speaker_name)
             for one in spoken]
    return write_ssml(lines, standing.edition.language, [one.line.part.name if one.line.part else "" for one in spoken])


@dataclass(frozen=True, slots=True)
class Right:
    """What an edition uses and by what right. ``commercial`` None: nobody has said. ``consent``: of a person whose
    voice it is, and ``until`` when (yyyy-mm-dd)."""

    what: str
    name: str
    used_in: str
    licence: str
    source: str
    commercial: bool | None
    consent: str = ""
    until: str = ""

    @property
    def missing(self) -> bool:
        """Whether it may not be used commercially, as far as is known."""
        return self.commercial is not True

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


def rights_of(standing: EditionStanding, sounds: Sequence[PlacedCue], of_sound: Mapping[int, Right],
              picture: str = "", people: Mapping[str, Right] | None = None) -> list[Right]:
    """Every voice, recording and sound of an edition. ``of_sound``: of a library's sounds, by their numbers;
    ``people``: of the speakers whom people record, by name."""
    lines: dict[str, list[int]] = {}
    found: dict[str, Right] = {}
    for one in standing.lines:
        if not one.words.strip() or one.line.on_screen:
            continue
        if one.by_person:
            key = f"person {one.line.speaker_name}"
            known = (people or {}).get(one.line.speaker_name)
            found.setdefault(key, known or Right("recording", one.line.speaker_name, "", "", "", None))
        elif one.voice:
            key = f"voice {one.voice.id}"
            found.setdefault(key, Right("voice", one.voice.name, "", one.voice.licence, one.voice.licence_at,
                                        one.voice.commercial))
        else:
            continue
        lines.setdefault(key, []).append(one.line.number)
    made = [replace(right, used_in=_numbers(lines[key])) for key, right in found.items()]
    by_sound: dict[str, Right] = {}
    for placed in sounds:
        source = placed.cue.source
        name = str(source.get("made") or (source.get("composed") or {}).get("mood") or source.get("file") or "")
        if source.get("kept"):
            right = of_sound.get(int(source["kept"]), Right("sound", name, "", "", "", None))
        elif source.get("file"):
            right = Right("sound", name, "", "", name, None)
        else:
            kind = "music" if source.get("composed") else "sound"
            right = Right(kind, name, "", LICENCE, "made by the program", True)
        by_sound.setdefault(f"{right.what} {right.name}", replace(right, used_in=placed.layer.name))
    if picture:
        made.append(Right("picture", picture, "the whole", "", "brought in with the production", None))
    return [*made, *by_sound.values()]


def _numbers(numbers: Sequence[int]) -> str:
    """Runs of numbers: 1–4, 7."""
    runs: list[list[int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ", ".join(str(low) if low == high else f"{low}–{high}" for low, high in runs)


def words_in_time(plan: MixPlan) -> list[tuple[float, str]]:
    """When each word that is heard begins, by the order of lines in time: as the voice tells its words, which writing
    need not part by spaces. Together they are all that the lines say; what is not known is −1."""
    from janoglot.core.deliver.captions import caption_lines

    found = []
    for line in sorted(caption_lines(plan), key=lambda line: line.start):
        marks = sorted(line.marks, key=lambda mark: mark.at)
        begins = [0, *(mark.at for mark in marks[1:]), len(line.words)]
        starts = [round(line.start + mark.start, 3) for mark in marks] or [-1.0]
        found += [(start, word) for start, (low, high) in zip(starts, pairwise(begins), strict=True)
                  if (word := line.words[low:high].strip())]
    return found
