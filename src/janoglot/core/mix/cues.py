"""What lies under the voices: layers of beds, music, effects and ambience, and cues that are pinned in time or tied to
lines and parts. Nothing here is worked out from sound: it is what people have decided, in one documented form.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, fields, replace
from itertools import count
from typing import Any, Literal, get_args

from janoglot.core.errors import BadInput
from janoglot.core.mix.rooms import ROOM_NAMES, RoomName
from janoglot.core.mix.sides import CEILING, Strip

LayerKind = Literal["bed", "music", "effects", "ambience"]
LAYER_KINDS: tuple[LayerKind, ...] = get_args(LayerKind)
FadeCurve = Literal["power", "straight"]
Edge = Literal["start", "end"]
FADE_CURVES: tuple[FadeCurve, ...] = get_args(FadeCurve)
SOUND_KINDS = ("file", "made", "composed", "kept")
"""What names a sound: a file beside the plan, a description that it is made from, music that is composed, or one of the
library by its number."""
MOST_LAYERS, MOST_CUES, _MOST_ROWS = 32, 2_000, 2_000
_LEVELS: Mapping[LayerKind, float] = {"bed": -14.0, "music": -14.0, "effects": -8.0, "ambience": -18.0}
_DUCKED: Mapping[LayerKind, float] = {"bed": 8.0, "music": 9.0, "effects": 0.0, "ambience": 4.0}


@dataclass(frozen=True, slots=True)
class Duck:
    """How a layer gives way to voices: by so many dB, ``lead`` seconds before one sets in; it comes back ``release``
    seconds long. Gaps shorter than ``hold`` do not bring it back."""

    amount_db: float = 0.0
    lead: float = 0.35
    hold: float = 1.2
    release: float = 0.7


@dataclass(frozen=True, slots=True)
class Layer:
    """``level_db`` is against the voices' own loudness. Of those that are to be heard alone (``solo``), none other is
    heard."""

    name: str
    kind: LayerKind
    level_db: float
    pan: float = 0.0
    mute: bool = False
    solo: bool = False
    duck: Duck = field(default_factory=Duck)


@dataclass(frozen=True, slots=True)
class VoicePlace:
    """Where voices are heard from: a room, and how much of it (0 … 1), for a ``speaker``, a ``part``, both together or
    a ``line``. What says more of a line wins over what says less."""

    room: RoomName
    amount: float = 1.0
    speaker: str = ""
    part: str = ""
    line: str = ""

    def fits(self, speaker: Names, part: Names, line: Names) -> bool:
        return (not self.speaker or self.speaker in speaker) and (not self.part or self.part in part) and (
            not self.line or self.line in line)

    @property
    def weight(self) -> int:
        return 4 * bool(self.line) + 2 * bool(self.speaker) + bool(self.part)


Names = tuple[str, ...]
"""All that one line, part or speaker goes by."""
BedUse = Literal["off", "keep", "mute", "duck", "voices out", "clean"]
BED_USES: tuple[BedUse, ...] = get_args(BedUse)


@dataclass(frozen=True, slots=True)
class Bed:
    """What becomes of the source's own sound: left out, kept as it is, *muted* while the source speaks, *ducked* while
    the dub does, with its voices taken out, or cleaned of noise; ``parts`` otherwise by name."""

    use: BedUse = "off"
    level_db: float = 0.0
    parts: tuple[tuple[str, BedUse], ...] = ()

    def of(self, part: str) -> BedUse:
        return dict(self.parts).get(part, self.use)

    @property
    def heard(self) -> bool:
        return any(use != "off" for use in (self.use, *(use for _, use in self.parts)))


@dataclass(frozen=True, slots=True)
class Place:
    """A moment: ``seconds`` of the programme, or an edge of a line or part, and that far from it. What is tied moves
    with its line in every edition.

    A line goes by its number (``"12"``), parts and speakers by their names; where ids are known, any of them by ``#``
    and its id, which stays when lines are counted anew or somebody is called otherwise.
    """

    seconds: float = 0.0
    line: str = ""
    part: str = ""
    edge: Edge = "start"

    @property
    def tied(self) -> bool:
        return bool(self.line or self.part)


@dataclass(frozen=True, slots=True)
class Cue:
    """A sound in a layer, from ``at``. It lasts ``seconds``, or until ``until``, or as long as the sound does. ``id``
    tells it from others, for editions that differ; ``off``: it is not heard.

    ``source`` names the sound for whoever finds it. ``loop``: it begins again as often as it must. ``points``: how much
    louder it is, dB, at seconds of the cue.
    """

    layer: str
    source: Mapping[str, Any]
    at: Place
    until: Place | None = None
    seconds: float = 0.0
    loop: bool = False
    fade_in: float = 0.02
    fade_out: float = 0.05
    curve: FadeCurve = "power"
    gain_db: float = 0.0
    pan: float = 0.0
    trim: float = 0.0
    points: tuple[tuple[float, float], ...] = ()
    id: str = ""
    off: bool = False
    fit: bool = False
    """Whether it is music that is cut anew to end where the cue does."""


Ends = Literal["picture", "words"]
ENDS: tuple[Ends, ...] = ("picture", "words")


@dataclass(frozen=True, slots=True)
class SoundPlan:
    """The sound world of a production: layers and cues under the voices, strips of the ``speakers`` by name and of all
    ``voices``, where they are heard from, and how lines fade out (``fades``, seconds by line). ``editions``: what
    is otherwise in one, by language, as JSON that is laid over the rest."""

    layers: tuple[Layer, ...] = ()
    cues: tuple[Cue, ...] = ()
    voices: Strip = field(default_factory=Strip)
    speakers: Mapping[str, Strip] = field(default_factory=dict)
    places: tuple[VoicePlace, ...] = ()
    fades: Mapping[str, float] = field(default_factory=dict)
    bed: Bed = field(default_factory=Bed)
    mono: bool = False
    """Whether one channel is wanted wherever nothing is to a side."""
    dialogue: bool = False
    """Whether the loudness that is wanted is the voices' alone."""
    ceiling_db: float = CEILING
    """dBTP."""
    clear_lu: float = 10.0
    """By how much, at the least, a line must be over what lies under it, to be clear."""
    deeper: Mapping[str, float] = field(default_factory=dict)
    """By line: dB that all else gives way there, beside what it does anyway."""
    editions: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    ends: Ends = "picture"
    """Whether the programme is at least as long as what it is for, or ends with the last word."""

    def place_of(self, speaker: Names, part: Names, line: Names) -> VoicePlace | None:
        fitting = [one for one in self.places if one.fits(speaker, part, line)]
        return max(fitting, key=lambda one: one.weight) if fitting else None

    def strip_of(self, speaker: Names) -> Strip:
        """A speaker's, the group of all voices laid over it."""
        own = next((self.speakers[name] for name in speaker if name in self.speakers), _PLAIN)
        return Strip(own.level_db + self.voices.level_db, own.pan, own.mute or self.voices.mute,
                     own.solo or self.voices.solo)

    def in_edition(self, language: str) -> SoundPlan:
        """As it is in one edition. Raises BadInput where what is laid over it makes no sense any more."""
        told = self.editions.get(language)
        if not told:
            return self
        plain = plan_as_json(self)
        merged = {**plain, **{name: value for name, value in told.items() if name in ("voices", "bed", "deeper")}}
        for rows, by in (("layers", "name"), ("cues", "id"), ("speakers", "speaker")):
            over = told.get(rows)
            over = dict(over) if isinstance(over, dict) else {}
            merged[rows] = [_laid_over(row, over.pop(str(row.get(by)), None)) for row in plain.get(rows, [])]
            if rows == "speakers":
                merged[rows] += [{"speaker": name, **one} for name, one in over.items() if isinstance(one, dict)]
        return sound_plan_of(merged)


_PLAIN = Strip()


_WHOLE = ("at", "until", "sound")
"""What is said anew is said whole: a place that names no line any more is tied to none."""


def _laid_over(row: Mapping[str, Any], over: Any) -> dict[str, Any]:
    if not isinstance(over, dict):
        return dict(row)
    return {name: {**value, **over[name]} if name not in _WHOLE and isinstance(value, dict)
            and isinstance(over.get(name), dict) else over.get(name, value) for name, value in {**over, **row}.items()}


@dataclass(frozen=True, slots=True)
class PlacedCue:
    """A cue where it lies in one edition, seconds. ``lasts`` None: as long as its sound does."""

    cue: Cue
    layer: Layer
    start: float
    lasts: float | None


def plan_as_json(plan: SoundPlan) -> dict[str, Any]:
    """As :func:`sound_plan_of` reads it again, what is usual left out of cues."""
    cues = []
    for cue in plan.cues:
        told = {name: asdict(value) if isinstance(value, Place) else value for name in _USUAL
                if name not in ("layer", "source", "points") and (value := getattr(cue, name)) != _USUAL[name]}
        points = {"points": [list(one) for one in cue.points]} if cue.points else {}
        cues.append({"layer": cue.layer, "sound": dict(cue.source), **told, **points})
    return {
        "layers": [asdict(layer) for layer in plan.layers],
        "cues": cues,
        "voices": asdict(plan.voices),
        "speakers": [{"speaker": name, **asdict(strip)} for name, strip in plan.speakers.items()],
        "places": [asdict(place) for place in plan.places],
        "fades": [{"line": line, "seconds": seconds} for line, seconds in plan.fades.items()],
        "bed": {"use": plan.bed.use, "level_db": plan.bed.level_db, "parts": dict(plan.bed.parts)},
        "mono": plan.mono,
        "dialogue": plan.dialogue,
        "ceiling_db": plan.ceiling_db,
        "clear_lu": plan.clear_lu,
        "deeper": [{"line": line, "db": db} for line, db in plan.deeper.items()],
        "editions": {tag: dict(told) for tag, told in plan.editions.items()},
        "ends": plan.ends,
    }


_USUAL = {one.name: one.default for one in fields(Cue)}


def cue_as_json(placed: PlacedCue) -> dict[str, Any]:
    return asdict(placed)


def cue_from_json(told: Mapping[str, Any]) -> PlacedCue:
    """Raises KeyError, TypeError for one of another version."""
    cue, layer = dict(told["cue"]), dict(told["layer"])
    return PlacedCue(
        Cue(**{**cue, "at": Place(**cue["at"]), "until": Place(**cue["until"]) if cue["until"] else None,
               "points": tuple((seconds, level) for seconds, level in cue["points"])}),
        layer_from_json(layer), told["start"], told["lasts"])


def layer_from_json(told: Mapping[str, Any]) -> Layer:
    return Layer(**{**told, "duck": Duck(**told["duck"])})


def of_line(by_line: Mapping[str, float], line: Names) -> float:
    """What is told of a line; 0 where nothing is."""
    return next((by_line[name] for name in line if name in by_line), 0.0)


def place_cues(plan: SoundPlan, lines: Mapping[str, tuple[float, float]], parts: Mapping[str, tuple[float, float]],
               seconds: float) -> tuple[list[PlacedCue], list[Cue]]:
    """All cues that are not off, in time, and those that are tied to what an edition does not have. ``lines``
    and ``parts`` by all that they go by: where they begin and end."""
    layers = {layer.name: layer for layer in plan.layers}
    placed, lost = [], []
    for cue in plan.cues:
        if cue.layer not in layers or cue.off:
            continue
        start = _moment(cue.at, lines, parts)
        end = _moment(cue.until, lines, parts) if cue.until else None
        if start is None or (cue.until is not None and end is None):
            lost.append(cue)
            continue
        lasts = end - start if end is not None else cue.seconds or None
        if cue.loop:
            # What goes on ends with the programme, its fade too.
            lasts = min(lasts if lasts is not None else math.inf, seconds - start)
        early = max(0.0, -start)
        if early:
            # What would be heard before the beginning is not; the rest is where it is.
            cue, lasts = replace(cue, trim=cue.trim + early), lasts - early if lasts is not None else None
        if start < seconds and (lasts is None or lasts > 0):
            placed.append(PlacedCue(cue, layers[cue.layer], start + early, lasts))
    return sorted(placed, key=lambda one: one.start), lost


def _moment(place: Place, lines: Mapping[str, tuple[float, float]],
            parts: Mapping[str, tuple[float, float]]) -> float | None:
    if not place.tied:
        return place.seconds
    span = lines.get(place.line) if place.line else parts.get(place.part)
    return None if span is None else span[0 if place.edge == "start" else 1] + place.seconds


def part_spans(rows: Sequence[tuple[Names, float, float]]) -> dict[str, tuple[float, float]]:
    """From where to where each part is spoken, of rows of what a part goes by and a line's start and end."""
    found: dict[str, tuple[float, float]] = {}
    for names, start, end in rows:
        for name in names:
            low, high = found.get(name, (math.inf, 0.0))
            found[name] = (min(low, start), max(high, end))
    return found


def sound_plan_of(told: Any) -> SoundPlan:
    """A plan as JSON has it (``docs/sound.md``). A cue's layer that is not described is one of its name's kind; one
    without an id is given one. Raises BadInput, naming the cue."""
    if not isinstance(told, dict):
        raise BadInput("Cues are an object with “layers” and “cues”.")
    layers = {one.name: one for one in (_layer(row) for row in _rows(told.get("layers"), MOST_LAYERS))}
    cues = []
    for number, row in enumerate(_rows(told.get("cues"), MOST_CUES), 1):
        cue = _cue(row, number)
        if cue.layer not in layers:
            layers[cue.layer] = _layer({"name": cue.layer, "kind": cue.layer})
        cues.append(cue)
    taken = {cue.id for cue in cues}
    free = (f"c{number}" for number in count(1) if f"c{number}" not in taken)
    seen: set[str] = set()
    for at, cue in enumerate(cues):
        if not cue.id or cue.id in seen:
            cues[at] = replace(cue, id=next(free))
        seen.add(cue.id)
    editions = told.get("editions")
    return SoundPlan(
        tuple(layers.values()), tuple(cues), _strip(_object(told.get("voices"))),
        {str(row.get("speaker"))[:120]: _strip(row) for row in _rows(told.get("speakers"), _MOST_ROWS)},
        tuple(_voice_place(row) for row in _rows(told.get("places"), _MOST_ROWS)),
        {_line(row): _number(row, "seconds", 0.3, 0, 30) for row in _rows(told.get("fades"), _MOST_ROWS)},
        _bed(_object(told.get("bed"))), told.get("mono") is True, told.get("dialogue") is True,
        _number(told, "ceiling_db", CEILING, -12, -0.1), _number(told, "clear_lu", 10, 0, 40),
        {_line(row): _number(row, "db", 6, 0, 30) for row in _rows(told.get("deeper"), _MOST_ROWS)},
        {str(tag)[:35]: dict(one) for tag, one in _object(editions).items() if isinstance(one, dict) and one},
        "words" if told.get("ends") == "words" else "picture")


def _object(value: Any) -> Mapping[str, Any]:
    return value if isinstance(value, dict) else {}


def _line(row: Mapping[str, Any]) -> str:
    line = row.get("line", "")
    return str(line)[:20] if isinstance(line, int | str) and line else ""


def _strip(row: Mapping[str, Any]) -> Strip:
    return Strip(_number(row, "level_db", 0, -60, 12), _number(row, "pan", 0, -1, 1), row.get("mute") is True,
                 row.get("solo") is True)


def _voice_place(row: Mapping[str, Any]) -> VoicePlace:
    room = row.get("room")
    if room not in ROOM_NAMES:
        raise BadInput("A voice is heard from one of: {rooms}. “{room}” is none of them.", rooms=", ".join(ROOM_NAMES),
                       room=str(room)[:30])
    return VoicePlace(room, _number(row, "amount", 1, 0, 1), str(row.get("speaker") or "")[:120],
                      str(row.get("part") or "")[:200], _line(row))


def _bed(row: Mapping[str, Any]) -> Bed:
    uses = {"": row.get("use", "off"), **_object(row.get("parts"))}
    for use in uses.values():
        if use not in BED_USES:
            raise BadInput(
                "The bed can be: {uses}. “{use}” is none of them.", uses=", ".join(BED_USES), use=str(use)[:30]
            )
    return Bed(uses.pop(""), _number(row, "level_db", 0, -60, 12), tuple(uses.items()))


def _rows(value: Any, most: int) -> list[dict[str, Any]]:
    rows = [row for row in value if isinstance(row, dict)] if isinstance(value, list) else []
    if len(rows) > most:
        raise BadInput("At most {most} of these can be had.", most=most)
    return rows


def _layer(row: Mapping[str, Any]) -> Layer:
    name = str(row.get("name") or row.get("kind") or "")[:60]
    kind = row.get("kind")
    if kind not in LAYER_KINDS:
        raise BadInput("A layer is a bed, music, effects or ambience; “{name}” is “{kind}”.", name=name,
                       kind=str(kind)[:30])
    duck = row.get("duck")
    told = duck if isinstance(duck, dict) else {}
    return Layer(name or kind, kind, _number(row, "level_db", _LEVELS[kind], -60, 12), _number(row, "pan", 0, -1, 1),
                 row.get("mute") is True, row.get("solo") is True,
                 Duck(_number(told, "amount_db", _DUCKED[kind], 0, 40), _number(told, "lead", 0.35, 0, 5),
                      _number(told, "hold", 1.2, 0, 20), _number(told, "release", 0.7, 0.01, 10)))


def _cue(row: Mapping[str, Any], number: int) -> Cue:
    source = row.get("sound")
    if not isinstance(source, dict) or not any(source.get(kind) for kind in SOUND_KINDS):
        raise BadInput(
            "Cue {number} has no sound: give it a “file”, what is “made”, what is “composed”, or one that is “kept”.",
            number=number,
        )
    points = _points(row.get("points"), number)
    until, curve = row.get("until"), row.get("curve", "power")
    if curve not in FADE_CURVES:
        raise BadInput("Cue {number} fades by a curve of “power” or “straight”.", number=number)
    return Cue(str(row.get("layer") or "effects")[:60], dict(source), _place(row.get("at"), number),
               _place(until, number) if until is not None else None, _number(row, "seconds", 0, 0, 86_400),
               row.get("loop") is True, _number(row, "fade_in", 0.02, 0, 600), _number(row, "fade_out", 0.05, 0, 600),
               curve, _number(row, "gain_db", 0, -60, 24), _number(row, "pan", 0, -1, 1),
               _number(row, "trim", 0, 0, 86_400), tuple(sorted(points)), str(row.get("id") or "")[:12],
               row.get("off") is True, row.get("fit") is True)


def _points(told: Any, number: int) -> tuple[tuple[float, float], ...]:
    """Seconds and dB of each. Raises BadInput."""
    if told is None:
        return ()
    rows = told if isinstance(told, list | tuple) else [told]
    if not all(isinstance(one, list | tuple) and len(one) == 2 and all(
            isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= 86_400 for value in one)
            for one in rows):
        raise BadInput("Cue {number} has points that are no pairs of seconds and dB.", number=number)
    return tuple((float(at), min(24.0, max(-60.0, float(level)))) for at, level in rows)


def _place(told: Any, number: int) -> Place:
    if isinstance(told, int | float) and not isinstance(told, bool):
        told = {"seconds": told}
    row = told if isinstance(told, dict) else {}
    edge = row.get("edge", "start")
    if edge not in ("start", "end"):
        raise BadInput("Cue {number} is tied to the start or the end of a line (by its number) or a part.",
                       number=number)
    return Place(_number(row, "seconds", 0, -3_600, 86_400), _line(row), str(row.get("part") or "")[:200], edge)


def _number(row: Mapping[str, Any], name: str, usual: float, low: float, high: float) -> float:
    value = row.get(name, usual)
    if not isinstance(value, int | float) or isinstance(value, bool) or not low <= value <= high:
        raise BadInput("“{name}” must lie between {low} and {high}.", name=name, low=low, high=high)
    return float(value)
