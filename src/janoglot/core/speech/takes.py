"""Takes: one spoken version of one wording, made from a recipe and never changed."""

from __future__ import annotations

import json
import math
import wave
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
import parselmouth
import regex
import soundfile
import soxr

from janoglot.core.audio.edges import soft_edges
from janoglot.core.audio.loudness import measure
from janoglot.core.errors import EngineError
from janoglot.core.graph import recipe_hash
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import KEPT_LUFS, Delivery, Mark, Samples, Spoken, Utterance
from janoglot.core.speech.manner import applied
from janoglot.core.speech.readings import Respelled, respelled
from janoglot.core.speech.sketching import sketch_voice
from janoglot.core.speech.trimming import at_kept_loudness, trim
from janoglot.core.speech.voices import Voice
from janoglot.core.store import Store

Quality = Literal["sketch", "finish"]
NATURAL = 0.004
"""A rate this near to 1 is the natural take itself."""
CLOSE_ENOUGH = 0.010
"""Seconds. What the engine may miss a length by before the sound itself is stretched."""
UNHEARD = 0.008
"""A change of length so small is made by resampling: its 14 cents of pitch are under what anyone hears in
speech, and it leaves no trace in the sound."""


@dataclass(frozen=True, slots=True)
class TakeRecipe:
    """Everything that a take is made from. Equal recipes are the same take."""

    words: str
    voice: Voice
    delivery: Delivery = field(default_factory=Delivery)
    language: str = ""
    """BCP 47, of the words. Decides the sound of a voice that speaks many."""
    foreign: tuple[tuple[str, str], ...] = ()
    """Words of the line that are in another language, each with its BCP 47 tag; wherever they stand in it."""
    variant: int = 0
    """Which of the takes that these words could have: 0 is the plain one, each other one is said a little otherwise."""
    like: TakeRecipe | None = None
    """Another take, whose reading some of these words have exactly, where the engine can."""
    like_spans: tuple[tuple[int, int, int], ...] = ()
    """Those words: where they are here, where they are in ``like``, and how many characters."""

    @property
    def spoken_words(self) -> str:
        return " ".join(self.words.split())

    @property
    def hash(self) -> str:
        return _take_hash(self)

    @property
    def sketch(self) -> TakeRecipe:
        """The same words by the light voice that is nearest to this one."""
        return replace(self, voice=sketch_voice(self.voice, self.language), like=None, like_spans=())

    @property
    def respelled(self) -> Respelled:
        """The words as the engine gets them."""
        return respelled(self.spoken_words, self.delivery.readings, self.language)

    @property
    def utterance(self) -> Utterance:
        spoken = self.respelled
        delivery = _moved_to(spoken, replace(self.delivery, readings=()))
        shaping, delivery = applied(delivery.manner, self.voice.shaping, delivery, spoken.words)
        return Utterance(spoken.words, self.voice.base, shaping, varied(delivery, self.variant, spoken.words),
                         self.language,
                         tuple((*spoken.there(at, length), tag) for at, length, tag in self.foreign_spans),
                         spoken.phonemes, self.variant, *self._alike(spoken))

    def _alike(self, spoken: Respelled) -> tuple[Utterance | None, tuple[tuple[int, int, int], ...]]:
        if self.like is None:
            return None, ()
        theirs = self.like.respelled
        found = []
        for at, there, length in self.like_spans:
            (here, count), (other, as_many) = spoken.there(at, length), theirs.there(there, length)
            if spoken.words[here: here + count] == theirs.words[other: other + as_many]:
                found.append((here, other, count))
        return self.like.utterance, tuple(found)

    @property
    def foreign_spans(self) -> tuple[tuple[int, int, str], ...]:
        """Where words in another language stand: start, length, tag; the longer where two overlap."""
        found: list[tuple[int, int, str]] = []
        for words, language in sorted(self.foreign, key=lambda one: -len(one[0])):
            phrase = regex.escape(" ".join(words.split()))
            for match in regex.finditer(rf"(?<!\w){phrase}(?!\w)", self.spoken_words, regex.IGNORECASE):
                if words.strip() and all(match.end() <= at or match.start() >= at + length for at, length, _ in found):
                    found.append((match.start(), match.end() - match.start(), language))
        return tuple(sorted(found))


def _moved_to(spoken: Respelled, delivery: Delivery) -> Delivery:
    """``delivery`` with its places in the words that are spoken."""
    if not spoken.pieces:
        return delivery
    return replace(
        delivery, emphasis=tuple((*spoken.there(at, length), amount) for at, length, amount in delivery.emphasis),
        pauses_at=tuple((spoken.there(at)[0], seconds) for at, seconds in delivery.pauses_at),
        marks=tuple(replace(mark, at=place[0], length=place[1]) for mark in delivery.marks
                    if (place := spoken.there(mark.at, mark.length))),
        guide=replace(delivery.guide, words=tuple(
            replace(word, at=place[0], length=place[1]) for word in delivery.guide.words
            if (place := spoken.there(word.at, word.length)))))


TURNED = 2
"""Of the way that ends are turned: part of the names of takes with any."""
ALIKE = 2
"""Of the way that words have another take's reading: part of the names of takes with any."""
VARIED = 2
"""Of the way that a variant differs: part of the names of all but the plain takes."""
_TURN = 0.6180339887498949
"""The golden ratio's fraction: however many variants there are, they keep apart from one another."""


def varied(delivery: Delivery, variant: int, words: str = "") -> Delivery:
    """``delivery`` as another take would have it: pace within 7 %, pitch within 0.8 semitones, melody within 25 % of
    what it is, and the stress on other words of ``words``. Variant 0 is the delivery itself; the same number is always
    the same, anywhere."""
    if not variant:
        return delivery
    free = [match for match in regex.finditer(r"[\p{L}\p{M}'’]{3,}", words)
            if not any(at < match.end() and match.start() < at + length for at, length, _ in delivery.emphasis)]
    if free:
        # Words of some length carry a stress; by the same even spread as everything else.
        longest = sorted(free, key=lambda match: (-len(match[0]), match.start()))[: max(1, len(free) // 2)]
        chosen = longest[int(((variant * 3 ** 0.5) % 1.0) * len(longest))]
        delivery = replace(delivery, emphasis=(*delivery.emphasis, (chosen.start(), len(chosen[0]), 0.8)))
    # Three sequences that spread evenly, each of its own step.
    pace, pitch, melody = (2 * ((variant * step) % 1.0) - 1 for step in (_TURN, _TURN ** 2, 2 ** 0.5 % 1.0))
    return replace(delivery, pace=round(delivery.pace * (1 + 0.07 * pace), 4),
                   pitch=round(delivery.pitch + 0.8 * pitch, 3), melody=round(delivery.melody * (1 + 0.25 * melody), 3))


@lru_cache(maxsize=50_000)
def _take_hash(recipe: TakeRecipe) -> str:
    tongue: dict[str, Any] = {"language": recipe.language} if recipe.voice.is_rich else {}
    if recipe.voice.is_rich and recipe.foreign_spans:
        tongue["foreign"] = recipe.foreign_spans
    engine = engine_named(recipe.voice.engine)
    reading = engine.reading(recipe.language, recipe.respelled.words)
    if reading:
        tongue["reading"] = reading
    if any(mark.kind == "turn" for mark in recipe.delivery.marks):
        tongue["turn"] = TURNED
    if recipe.variant:
        tongue["variant"] = [recipe.variant, VARIED]
    if recipe.like is not None:
        tongue["like"] = [recipe.like.hash, recipe.like_spans, ALIKE]
    return recipe_hash("take", words=recipe.spoken_words, voice=recipe.voice.recipe, delivery=recipe.delivery,
                       engine=engine.version, **tongue)


@dataclass(frozen=True, slots=True)
class WordMark:
    """A word of a take: from ``start`` to ``end`` seconds, ``length`` characters from ``at`` on."""

    start: float
    end: float
    at: int
    length: int


@dataclass(frozen=True, slots=True)
class Take:
    """What is known of a take beside its sound. ``seconds`` is its natural length, ``lufs`` its loudness."""

    hash: str
    seconds: float
    rate: int
    lufs: float
    words: tuple[WordMark, ...]

    @property
    def lengths_only(self) -> bool:
        """Whether it is a rich voice's, whose sounds are kept apart, one for each length."""
        return self.rate == 0

    def as_json(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Take:
        return cls(data["hash"], data["seconds"], data["rate"], data["lufs"],
                   tuple(WordMark(**mark) for mark in data["words"]))


def make_take(recipe: TakeRecipe, store: Store) -> Take:
    """Speak ``recipe`` and keep the sound in ``store`` as ``<hash>.wav`` (16 bit, the engine's rate).

    Of an engine that knows its lengths beforehand only these are taken: the sound is made once, when it is
    known how long it is to be. Raises EngineError where the words hold nothing that can be spoken.
    """
    engine = engine_named(recipe.voice.engine)
    known = engine.lengths(recipe.utterance)
    if known:
        return Take(recipe.hash, round(known.seconds, 6), 0, KEPT_LUFS,
                    _marks(known.words, recipe.respelled))
    # A take keeps its words' times alone.
    spoken = trim(replace(engine.speak(recipe.utterance), phonemes=()))
    if spoken.seconds < 0.02:
        raise EngineError("“{words}” holds nothing that {voice} can say.", words=recipe.words[:40],
                          voice=recipe.voice.name)
    write_sound(store, f"{recipe.hash}.wav", spoken.samples, spoken.rate)
    lufs = measure(spoken.samples, spoken.rate, peaks=False).integrated
    return Take(recipe.hash, spoken.seconds, spoken.rate, round(lufs, 3),
                _marks(spoken.words, recipe.respelled))


def _marks(words: Sequence[Mark], spoken: Respelled) -> tuple[WordMark, ...]:
    return tuple(WordMark(round(m.start, 4), round(m.end, 4), m.at, m.length) for m in written_marks(words, spoken))


def written_marks(marks: Sequence[Mark], spoken: Respelled) -> list[Mark]:
    """Marks on the words that are spoken, on those that are written: what is read as several words is one."""
    found: list[Mark] = []
    for mark in marks:
        at, length = spoken.back(mark.at, mark.length)
        if found and found[-1].at == at:
            found[-1] = replace(found[-1], end=mark.end, length=max(length, found[-1].length))
        else:
            found.append(replace(mark, at=at, length=length))
    return found


@lru_cache(maxsize=50_000)
def rendition_key(take: str, seconds: float, natural: float) -> str:
    """The store's key for a take played in ``seconds``: the take itself where that is its natural length."""
    return f"{take}.wav" if is_natural(seconds, natural) else _length_key(take, seconds)


def _length_key(take: str, seconds: float) -> str:
    return f"{recipe_hash('rendition', take=take, milliseconds=round(seconds * 1000))}.wav"


def is_natural(seconds: float, natural: float) -> bool:
    return abs(natural / seconds - 1.0) <= NATURAL if seconds > 0 else True


def make_rendition(recipe: TakeRecipe, seconds: float, natural: float, store: Store) -> str:
    """Keep ``recipe`` spoken in ``seconds`` and give its key; nothing is made where it is there already."""
    key = finish_key(recipe, seconds, natural)
    if not store.has(key):
        spoken = speak_in(recipe, seconds)
        write_sound(store, key, spoken.samples, spoken.rate)
    return key


def make_sound(recipe: TakeRecipe, seconds: float, natural: float, quality: Quality, store: Store) -> str:
    """Keep what is heard of ``recipe`` in ``seconds``, finished or as a sketch, and give its key.

    A light voice has no sketch: what it says is what is delivered.
    """
    if quality == "sketch" and recipe.voice.is_rich:
        return make_sketch(recipe, seconds, store)
    return make_rendition(recipe, seconds, natural, store)


def finish_key(recipe: TakeRecipe, seconds: float, natural: float) -> str:
    """The store's key of ``recipe`` spoken in ``seconds`` by its own voice.

    Lengths between two of an engine's frames are the same sound.
    """
    frame = engine_named(recipe.voice.engine).frame
    if not frame:
        return rendition_key(recipe.hash, seconds, natural)
    frames = math.floor(seconds / frame + 1e-6)
    # To the frame: of a long line, one frame is less than what else passes for natural.
    return f"{recipe.hash}.wav" if frames == round(natural / frame) else _length_key(recipe.hash, frames * frame)


def sketch_key(recipe: TakeRecipe, seconds: float) -> str:
    """The store's key of the sketch of ``recipe`` in ``seconds``."""
    return _sketch_key(recipe.hash, recipe.sketch.voice, round(seconds * 1000))


@lru_cache(maxsize=50_000)
def _sketch_key(take: str, voice: Voice, milliseconds: int) -> str:
    name = recipe_hash("sketch", take=take, voice=voice.recipe, milliseconds=milliseconds,
                       engine=engine_named(voice.engine).version)
    return f"{name}.wav"


def make_sketch(recipe: TakeRecipe, seconds: float, store: Store) -> str:
    """Keep ``recipe`` as its light voice says it in just ``seconds``, and give its key.

    ``seconds`` is the rich voice's own length, so all that is done with a sketch holds for the finished sound.
    """
    key = sketch_key(recipe, seconds)
    if not store.has(key):
        spoken = speak_in(recipe.sketch, seconds)
        samples = np.pad(spoken.samples, (0, max(0, round(seconds * spoken.rate) - len(spoken.samples))))
        lufs = measure(samples, spoken.rate, peaks=False).integrated
        write_sound(store, key, at_kept_loudness(samples, lufs), spoken.rate)
    return key


def speak_in(recipe: TakeRecipe, seconds: float) -> Spoken:
    """Say it in ``seconds``, to 10 ms: by the engine's own speed first, the rest by overlap-add.

    Never longer than asked. Source of the last step: pitch-synchronous overlap-add (Moulines and
    Charpentier 1990), in Praat's implementation.
    """
    engine = engine_named(recipe.voice.engine)
    spoken = engine.speak(recipe.utterance, seconds)
    return spoken if engine.exact else _brought_to(trim(spoken), seconds)


def _brought_to(spoken: Spoken, seconds: float) -> Spoken:
    factor = (seconds - CLOSE_ENOUGH / 4) / spoken.seconds
    if not -CLOSE_ENOUGH <= spoken.seconds - seconds <= 0.0:
        spoken = _resampled(spoken, factor) if abs(factor - 1) <= UNHEARD else _stretched(spoken, factor)
    wanted = round(seconds * spoken.rate)
    if len(spoken.samples) > wanted:
        spoken = Spoken(soft_edges(spoken.samples[:wanted], spoken.rate), spoken.rate, spoken.words, spoken.phonemes)
    return spoken


def _resampled(spoken: Spoken, factor: float) -> Spoken:
    samples = soxr.resample(spoken.samples, 1, factor, quality="HQ")
    return _moved(spoken, samples, factor)


def _stretched(spoken: Spoken, factor: float) -> Spoken:
    factor = min(3.0, max(0.34, factor))
    if len(spoken.samples) < spoken.rate * 0.1:
        return spoken  # too short to find a pitch in
    # What has no pitch is stretched at random marks: the same ones each time.
    parselmouth.praat.run("random_initializeWithSeedUnsafelyButPredictably (1)")
    sound = parselmouth.Sound(spoken.samples.astype(np.float64), spoken.rate)
    out: Samples = sound.lengthen(minimum_pitch=60.0, maximum_pitch=600.0, factor=factor).values[0].astype(np.float32)

    return _moved(spoken, soft_edges(out, spoken.rate), factor)


def _moved(spoken: Spoken, samples: Samples, factor: float) -> Spoken:
    def moved(marks: tuple[Mark, ...]) -> tuple[Mark, ...]:
        return tuple(Mark(m.start * factor, m.end * factor, m.at, m.length, m.text) for m in marks)

    return Spoken(samples, spoken.rate, moved(spoken.words), moved(spoken.phonemes))


def make_rendition_of_kept(take: Take, kept: str, seconds: float, store: Store) -> str:
    """As :func:`make_rendition`, from the sound kept as ``kept`` alone: for a take whose recipe is gone."""
    if kept == f"{take.hash}.wav":
        key = rendition_key(take.hash, seconds, take.seconds)
    else:
        # Under a name of its own: what a sketch was made of must never pass for the finished sound.
        key = f"{recipe_hash('kept', kept=kept, milliseconds=round(seconds * 1000))}.wav"
    if not store.has(key):
        samples, rate = read_sound(store, kept)
        spoken = _brought_to(Spoken(samples, rate), seconds)
        write_sound(store, key, spoken.samples, spoken.rate)
    return key


def write_sound(store: Store, key: str, samples: Samples, rate: int) -> Path:
    # Rounded here: many times faster than having each sample converted while it is written.
    whole = np.rint(np.clip(samples, -1.0, 1.0) * np.float32(32767)).astype(np.int16)

    def write(place: Path) -> None:
        # Of many short sounds the library's opening and closing of files would take as long as what it writes.
        with wave.open(str(place), "wb") as file:
            file.setnchannels(1)
            file.setsampwidth(2)
            file.setframerate(rate)
            file.writeframes(whole.astype("<i2", copy=False).tobytes())

    return store.write(key, write)


def read_sound(store: Store, key: str) -> tuple[Samples, int]:
    """Mono float32 samples and their rate. Raises FileNotFoundError."""
    samples, rate = soundfile.read(store.path(key), dtype="float32")
    return samples, rate


def kept_take(recipe: TakeRecipe, store: Store) -> Take:
    """The take of ``recipe`` from ``store`` with its marks beside it, made where it is missing."""
    key = f"{recipe.hash}.json"
    if store.has(key) and (recipe.voice.is_rich or store.has(f"{recipe.hash}.wav")):
        return Take.from_json(json.loads(store.path(key).read_text()))
    take = make_take(recipe, store)
    store.write(key, lambda place: _write_text(place, json.dumps(take.as_json())))
    return take


def _write_text(place: Path, text: str) -> None:
    place.write_text(text)


def scaled_words(words: Sequence[WordMark], natural: float, seconds: float) -> list[WordMark]:
    """The word marks of a take that is played in ``seconds`` instead of its ``natural`` length."""
    factor = seconds / natural if natural else 1.0
    return [WordMark(mark.start * factor, mark.end * factor, mark.at, mark.length) for mark in words]
