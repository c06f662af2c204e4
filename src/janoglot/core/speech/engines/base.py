"""The protocol that every speech engine stands behind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import ClassVar, Literal, Protocol

import numpy as np
import numpy.typing as npt

from janoglot.core.speech.readings import Reading

Samples = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Shaping:
    """How a voice is made from an engine's base voice. Engine-neutral: each engine does it its own way.

    ``pitch_hz`` is the middle of the melody in Hz; ``melody`` scales its range (1 = as the engine does
    it); ``tract`` scales the formants (1.2 is a short vocal tract, a child's; 0.9 a long one);
    ``tilt_db`` lifts (+) or darkens (−) what lies above 2 kHz; ``breath`` and ``roughness`` run from 0
    to 1; ``tempo`` multiplies the engine's own speed; ``source`` picks one of the engine's ways to
    excite the voice, "" being the usual one.
    """

    pitch_hz: float = 110.0
    melody: float = 1.0
    tract: float = 1.0
    tilt_db: float = 0.0
    breath: float = 0.0
    roughness: float = 0.0
    tempo: float = 1.0
    source: str = ""

    IN_EVERY_RECIPE: ClassVar[tuple[str, ...]] = (
        "pitch_hz", "melody", "tract", "tilt_db", "breath", "roughness", "tempo", "source")


WordMarkKind = Literal["pace", "lift", "level", "turn", "range", "gap"]


@dataclass(frozen=True, slots=True)
class WordMark:
    """What is directed of a stretch of words, ``length`` characters from ``at`` on.

    *pace*: how much quicker (×). *lift*: semitones up or down, the neighbours blending in. *level*: dB. *turn*:
    semitones by which the stretch's end goes up or down. *range*: how much wider the melody moves about its middle (×).
    *gap*: seconds of silence before the word at ``at``, in the place of what was there; no ``length``.
    """

    kind: WordMarkKind
    at: int
    length: int
    amount: float


@dataclass(frozen=True, slots=True)
class Manner:
    """What moods and a livelier or softer way of saying come down to, on top of a voice's shaping and a delivery.

    ``pace``, ``melody``, ``pauses`` and ``tract`` multiply, ``pitch`` (semitones), ``tilt`` (dB), ``breath`` and
    ``rough`` add. ``lively`` is how far the reading goes from the middle of all readings (1: as it does), ``final``
    lengthens each line's last word, ``fall`` turns its end (semitones), ``energy`` adds to the network's own measure of
    it and ``attack`` to the beginnings of words. ``whisper`` from a half on leaves nothing voiced. ``readers`` lend
    their way of reading and ``timbres`` their sound: names of styles with shares; ``row`` reads as if a line were so
    many times as long. An engine does what it can.
    """

    pace: float = 1.0
    pitch: float = 0.0
    melody: float = 1.0
    pauses: float = 1.0
    tilt: float = 0.0
    breath: float = 0.0
    rough: float = 0.0
    tract: float = 1.0
    lively: float = 1.0
    final: float = 1.0
    fall: float = 0.0
    energy: float = 0.0
    attack: float = 0.0
    whisper: float = 0.0
    row: float = 1.0
    readers: tuple[tuple[str, float], ...] = ()
    timbres: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True, slots=True)
class GuideWord:
    """A stretch of words as a guide says it: start and length in characters, seconds that it lasts and seconds of
    silence before it (−1: as it comes), its melody in semitones about the guide's middle at even steps from its
    beginning to its end, and its level about the guide's, in dB."""

    at: int
    length: int
    seconds: float
    gap: float
    melody: tuple[float, ...]
    level: float


@dataclass(frozen=True, slots=True)
class Guide:
    """A reading to be followed, and how much of its timing, its melody and its energy, each from 0 to 1."""

    words: tuple[GuideWord, ...] = ()
    timing: float = 1.0
    melody: float = 1.0
    energy: float = 1.0


@dataclass(frozen=True, slots=True)
class Delivery:
    """How a line is said, the same for every engine.

    ``pace`` multiplies the voice's speed; ``pitch`` is in semitones; ``melody`` scales the range of the
    pitch; ``pauses`` scales the pauses at punctuation. ``emphasis`` stresses words: start and length in
    characters, and how much (1 = plainly). ``pauses_at`` adds pauses: the character before whose word, and
    seconds. ``marks`` is all else that is directed of words. The level of a casting is not here: it changes the mix,
    not the take.
    """

    pace: float = 1.0
    pitch: float = 0.0
    melody: float = 1.0
    pauses: float = 1.0
    emphasis: tuple[tuple[int, int, float], ...] = ()
    pauses_at: tuple[tuple[int, float], ...] = ()
    marks: tuple[WordMark, ...] = ()
    readings: tuple[Reading, ...] = ()
    """What words are read as; an engine gets them done already, as its words and phonemes."""
    manner: Manner = field(default_factory=Manner)
    guide: Guide = field(default_factory=Guide)
    """Whose reading is followed; without words, nobody's."""

    IN_EVERY_RECIPE: ClassVar[tuple[str, ...]] = ("pace", "pitch", "melody", "pauses", "emphasis", "pauses_at")


@dataclass(frozen=True, slots=True)
class BaseVoice:
    """A voice as the engine has it. ``id`` is the engine's own name, ``locale`` a BCP 47 tag."""

    id: str
    locale: str
    name: str


@dataclass(frozen=True, slots=True)
class Utterance:
    """Everything that an engine needs to say something."""

    words: str
    base: str
    shaping: Shaping = field(default_factory=Shaping)
    delivery: Delivery = field(default_factory=Delivery)
    language: str = ""
    """BCP 47, of the words; for an engine whose bases speak any language."""
    foreign: tuple[tuple[int, int, str], ...] = ()
    """Words in another language: start and length in characters, and its BCP 47 tag. An engine that cannot say them
    by their sounds in the same voice reads them as they are spelled."""
    phonemes: tuple[tuple[int, int, str], ...] = ()
    """Words whose sounds are told: start and length in characters, and IPA with stress marks."""
    variant: int = 0
    """Which of the readings that these words could have."""
    like: Utterance | None = None
    """Another, whose reading some of these words have exactly: the same lengths and the same melody."""
    like_spans: tuple[tuple[int, int, int], ...] = ()
    """Those words: where they are here, where they are in ``like``, and how many characters."""


@dataclass(frozen=True, slots=True)
class Mark:
    """A stretch of time (seconds) with what is said in it.

    ``at`` and ``length`` say where it stands in the utterance's words, in characters; phonemes have
    their symbol in ``text`` instead and ``at`` of −1.
    """

    start: float
    end: float
    at: int
    length: int
    text: str = ""


@dataclass(frozen=True, slots=True)
class Spoken:
    """What an engine made: mono float32 samples in −1…1 at ``rate`` Hz, with word and phoneme marks."""

    samples: Samples
    rate: int
    words: tuple[Mark, ...] = ()
    phonemes: tuple[Mark, ...] = ()

    @property
    def seconds(self) -> float:
        return len(self.samples) / self.rate


@dataclass(frozen=True, slots=True)
class Lengths:
    """Lengths known before any sound is made: the whole in seconds, and the word marks."""

    seconds: float
    words: tuple[Mark, ...]


@dataclass(frozen=True, slots=True)
class Melody:
    """What will be sung, before any sound is made: ``hz`` every ``step`` seconds from the line's beginning, 0 where
    nothing is voiced; and ``energy``, the network's own measure of it, likewise."""

    step: float
    hz: npt.NDArray[np.float32]
    energy: npt.NDArray[np.float32]


WHISPERED = 0.5
"""From here on a manner leaves nothing voiced."""
KEPT_LUFS = -24.0
"""The loudness at which sounds are kept that nobody is to measure again."""


class Engine(Protocol):
    """A speech engine. Instances belong to one process and one thread: the libraries are not thread-safe."""

    id: str
    version: str
    """Part of every take's recipe: another version makes other takes."""
    exact: bool
    """Whether lengths are known before sound and ``speak(…, seconds=…)`` meets the length itself, in whole
    frames and never over it, so that nothing is left to trim or to stretch. Such sounds are at KEPT_LUFS."""
    frame: float
    """Seconds that lengths come in steps of; 0 where any length can be had."""

    def bases(self) -> Sequence[BaseVoice]: ...

    def reading(self, language: str, words: str) -> str:
        """Part of a recipe: how ``words`` are read, where that is otherwise than it always was; else ""."""
        ...

    def lengths(self, utterance: Utterance) -> Lengths | None:
        """Exact lengths without sound, or None where the engine only knows them from the sound."""
        ...

    def speak(self, utterance: Utterance, seconds: float | None = None) -> Spoken:
        """Say it; with ``seconds``, as near to that length as the engine's own means allow.

        Raises EngineError where it refuses.
        """
        ...
