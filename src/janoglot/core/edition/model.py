"""What an edition is made of. Nothing here was worked out: it is what people have decided."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from janoglot.core.mix.cues import Names, SoundPlan
from janoglot.core.speech.directing import DirectionMark
from janoglot.core.speech.engines.base import Guide
from janoglot.core.speech.lexicon import Lexicon
from janoglot.core.speech.moods import Moods
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.templates import ClipTable
from janoglot.core.speech.voices import Voice
from janoglot.core.timing.settings import OwnTiming, Rates, TimingSettings

WordsState = Literal["empty", "draft", "edited", "approved"]


@dataclass(frozen=True, slots=True)
class EditionPart:
    """A run of lines. ``start`` and ``end``: seconds, where it is fixed in the picture. ``may_grow``: its picture may
    be held rather than its speech be hurried."""

    id: int
    name: str
    start: float | None = None
    end: float | None = None
    may_grow: bool = False

    @property
    def names(self) -> Names:
        return tuple(name for name in (f"#{self.id}", self.name) if name)


@dataclass(frozen=True, slots=True)
class EditionCasting:
    """The voice (an id of the catalogue) and the settings of one speaker."""

    voice: str
    settings: VoiceSettings = field(default_factory=VoiceSettings)
    accent_meant: bool = False
    moods: Moods = ()
    by_person: bool = False
    """A person records the lines: what the voice says of them is never made."""


@dataclass(frozen=True, slots=True)
class RecordedTake:
    """A person's own take of a line. ``take`` is its hash, "" until it is prepared; ``said`` the words that it has.
    ``stretch``: it may be played quicker or slower to fit."""

    take: str
    said: str
    stretch: bool = False

    def says(self, words: str) -> bool:
        return " ".join(self.said.split()) == " ".join(words.split())


@dataclass(frozen=True, slots=True)
class PartDirection:
    """What is directed of one speaker in one part, over the casting: ``settings`` by name, and moods."""

    settings: tuple[tuple[str, float], ...] = ()
    moods: Moods = ()


@dataclass(frozen=True, slots=True)
class OwnCasting:
    """What a single line has of its own; empty follows its speaker's casting. ``settings`` by name; ``foreign``: words
    of the line, each with the language (BCP 47) that it is in."""

    voice: str = ""
    language: str = ""
    foreign: tuple[tuple[str, str], ...] = ()
    settings: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True, slots=True)
class EditionLine:
    """One line as it is in one edition. ``slot``: seconds, in and out. ``number`` counts from 1 in the script's order.

    ``chosen`` is the hash of the take that was made for it last, "" where none was: it is played until the one that is
    wanted is there. ``variant`` is which of the takes that its words could have the producer has chosen.
    """

    id: int
    number: int
    speaker: int
    speaker_name: str
    words: str
    part: EditionPart | None = None
    slot: tuple[float, float] | None = None
    in_sight: bool | None = None
    on_screen: bool = False
    notes: str = ""
    state: WordsState = "edited"
    revision: int = 0
    chosen: str = ""
    variant: int = 0
    own: OwnCasting | None = None
    timing: OwnTiming = field(default_factory=OwnTiming)
    marks: tuple[DirectionMark, ...] = ()
    """On the words as they are now."""
    moods: Moods = ()
    guide: Guide = field(default_factory=Guide)
    """Whose reading it follows."""
    recorded: RecordedTake | None = None
    """Used as it is, in the place of anything that the voice would say."""
    clips: ClipTable | None = None
    """A template's values: it is no part of the track, and each row is a clip by itself."""

    @property
    def names(self) -> Names:
        """All that sounds are tied to it by."""
        return f"#{self.id}", str(self.number)

    @property
    def speaker_names(self) -> Names:
        return f"#{self.speaker}", self.speaker_name


@dataclass(frozen=True, slots=True)
class SourceSound:
    """What the source sounds like: its recording by a ``key``, or where one was supplied (``clean``) its music and
    effects without voices, which begin ``offset`` seconds later than the picture does."""

    key: str
    seconds: float
    clean: bool = False
    offset: float = 0.0


@dataclass(frozen=True, slots=True)
class Edition:
    """A production in one language. ``cast`` and ``rates`` by speaker; ``target`` in LUFS; ``fps`` of the picture.

    The source is what the picture belongs to: its parts never grow.
    """

    language: str
    is_source: bool
    lines: Sequence[EditionLine]
    cast: Mapping[int, EditionCasting]
    timing: TimingSettings = field(default_factory=TimingSettings)
    rates: Mapping[int, Rates] = field(default_factory=dict)
    target: float = -16.0
    fps: float = 25.0
    part_directions: Mapping[tuple[int, int], PartDirection] = field(default_factory=dict)
    """By part and speaker."""
    lexicon: Lexicon = field(default_factory=Lexicon)
    voices: Mapping[str, Voice] = field(default_factory=dict)
    """By id, those that people keep, beside the catalogue's."""
    sounds: SoundPlan = field(default_factory=SoundPlan)
    """What lies under the voices."""
    source_sound: SourceSound | None = None
    source_seconds: float = 0.0
    """Of the picture or recording that it is for; 0 where there is none."""
