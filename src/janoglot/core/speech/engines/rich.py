"""The neural engine: rich voices, whose every length is known before any sound is made.

Its network comes in three parts (:mod:`.neural_graph`). A line's length is read from the first alone; the
durations are then chosen, so that a line which must fill its slot does, with no stretching; pitch, its range
and stress are drawn into the melody; and the sound is made once.

A voice is a blend of the network's styles, shaped: its pitch through the melody, its vocal tract by making the
sound longer and lower and playing it faster (which moves the formants and nothing else), its brightness by a
shelving filter.
"""

from __future__ import annotations

import json
import math
import os
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
import soxr
from scipy.signal import butter, sosfilt

from janoglot.core.audio.edges import soft_edges
from janoglot.core.audio.loudness import measure
from janoglot.core.errors import EngineError
from janoglot.core.graph import recipe_hash
from janoglot.core.languages import distance, primary
from janoglot.core.speech.engines.base import (
    BaseVoice,
    Delivery,
    Lengths,
    Mark,
    Melody,
    Shaping,
    Spoken,
    Utterance,
    WordMark,
)
from janoglot.core.speech.engines.english import LANGUAGE as ENGLISH
from janoglot.core.speech.engines.english import READING as HETERONYMS
from janoglot.core.speech.engines.english import has_heteronyms, with_heteronyms
from janoglot.core.speech.engines.formant import FormantEngine, SaidWord
from janoglot.core.speech.engines.japanese import LANGUAGE as JAPANESE
from janoglot.core.speech.engines.japanese import READING, can_read_japanese, japanese_words
from janoglot.core.speech.engines.mandarin import LANGUAGE as MANDARIN
from janoglot.core.speech.engines.mandarin import READING as LIGHT
from janoglot.core.speech.engines.mandarin import can_read_mandarin, is_read_otherwise, mandarin_words
from janoglot.core.speech.engines.neural_graph import (
    GRAPH_VERSION,
    PARTS,
    RichVoicesMissing,
    find_source,
    graph_folder,
    is_prepared,
    prepare,
)
from janoglot.core.speech.engines.rich_tokens import Token, in_pieces, tokens_of
from janoglot.core.speech.trimming import at_kept_loudness
from janoglot.core.speech.weights import weights_root

Floats = npt.NDArray[np.float32]
Counts = npt.NDArray[np.int64]

RATE = 24_000
FRAME = 600
"""Samples in a frame, the network's unit of duration: 25 ms."""
FRAMES_A_SECOND = RATE // FRAME
_VERSION = 3
_PACE = {"de": 1.14, "fr": 1.10, "es": 1.05}
"""The network takes its time over some languages: by this much over the demo's lines, against the formant
engine and English. They are said quicker by it."""
_LEAD = 3
"""Frames kept before the first phoneme. A line is spoken with the silence that the network wants before it,
which is then cut: an onset made without it is swallowed. Sound sets in a frame or so before its token."""
_TAIL = 5
"""Frames kept from the start of the last phoneme before a pause; the network gives it the pause's own silence,
a third of a second and more, and is done with its sound within these."""
_HELD = 4
"""A silence between two words of so many frames is one to be heard: the sound before it ends as before a pause."""
_TURNED = 27
"""Half frames, at most, over which the end of a stretch is turned: a third of a second."""
_BLEND = 4
"""Half frames over which what is directed of a word's melody blends into its neighbours."""
_CLAUSE_FRAMES, _SENTENCE_FRAMES = 3, 8
"""A pause inside a line is at least this long; some styles run over their full stops."""
_FULL_STOP_PAUSE = 0.45
"""Seconds between two pieces of one line that end a sentence; a clause gets about half."""
_LATIN = re.compile(r"[^\W\d_\u3400-\u9fff]+(?:['’ -][^\W\d_\u3400-\u9fff]+)*")
_VOICED = 10.0
"""Hz. The network takes a pitch under this as unvoiced."""
_LOCALES = {"a": "en-US", "b": "en-GB", "e": "es-ES", "f": "fr-FR", "h": "hi-IN", "i": "it-IT", "j": "ja-JP",
            "p": "pt-BR", "z": "zh-CN"}
"""The public voice files name a style by its language, f or m, and a name: ``af_name``."""
_THROAT = "عح"
"""Letters whose sounds are put into others than they were at first."""
_REFERENCE = "ðɪ ˈOld klˈɑk stˈændz æt ðɪ ˈɛnd ʌv ðə hˈɑɹbəɹ wˈɔl. I hæv nˈɛvəɹ sˈin ðə wˈɔTəɹ sˌO hˈI."


@dataclass(frozen=True, slots=True)
class _Piece:
    """A run of tokens that goes through the network at once, with what the first part says of it.

    ``natural`` has the frames of every token and of the silence at either end. Tokens from ``last`` on are
    the last phoneme and what follows it.
    """

    tokens: tuple[Token, ...]
    style: Floats
    natural: Floats
    last: int
    melody_features: Floats
    sound_features: Floats
    pause_after: int


@dataclass(frozen=True, slots=True)
class _Timed:
    """A piece with whole frames for every token. Of its sound, what lies in ``begin`` to ``end`` is kept."""

    piece: _Piece
    frames: Counts

    @property
    def begin(self) -> int:
        return int(self.frames[0]) - _LEAD

    @property
    def end(self) -> int:
        return int(self.frames[: self.piece.last].sum()) + _TAIL

    @property
    def kept(self) -> int:
        return self.end - self.begin


_Plan = tuple[_Timed, ...]


def rich_missing() -> str:
    """What is missing for the rich voices, in a sentence; "" where all is there."""
    try:
        source = find_source()
    except RichVoicesMissing as error:
        return str(error)
    if not is_prepared(graph_folder(source, weights_root())):
        return "The rich voices are not set up yet."
    return ""


def natives_missing() -> str:
    """What is missing of those who speak their own language, in a sentence; "" where all is there, or nothing is."""
    if rich_missing():
        return ""
    if find_source(weights_root()).natives is None:
        return "Voices at home in other languages than Japanese are not set up: their styles could not be fetched."
    readers = (("Mandarin", can_read_mandarin()), ("Japanese", can_read_japanese()))
    absent = [name for name, there in readers if not there]
    return f"What reads {' and '.join(absent)} is not set up." if absent else ""


class RichEngine:
    """The neural network behind the engine protocol."""

    id = "rich"
    exact = True
    frame = FRAME / RATE

    def __init__(self, phonemes: FormantEngine, threads: int | None = None) -> None:
        """``phonemes`` transcribes. The network's parts are loaded when they are first needed.

        Raises RichVoicesMissing.
        """
        self._source = find_source(weights_root())
        self._threads = threads or int(os.environ.get("JANOGLOT_RICH_THREADS", "1"))
        self._phonemes = phonemes
        own = self._source.checksum or recipe_hash("own", name=self._source.model[0].name,
                                                   size=self._source.model[0].stat().st_size)
        self.version = f"rich {GRAPH_VERSION}.{_VERSION}/{own[:8]}/{phonemes.version}"
        self.vocabulary: Mapping[str, int] = json.loads(self._source.vocabulary.read_text("utf-8"))["vocab"]
        self._styles: dict[str, Floats] = {}
        if self._source.natives:
            # Shared by all processes that look at them.
            self._styles |= {place.stem: np.memmap(place, "<f4", "r").reshape(-1, 256)
                             for place in sorted(self._source.natives.glob("*.bin"))}
        for place in self._source.styles:
            with np.load(place) as tables:
                tables_here = {name: np.asarray(tables[name], np.float32).reshape(-1, 256) for name in tables.files}
            self._styles |= tables_here
        self.own_styles = frozenset(tables_here) if len(self._source.styles) > 1 else frozenset()
        """Those of a user's own voice file."""
        self._transcribers = {base.locale: base.id for base in reversed(phonemes.bases())}
        self._sessions: dict[str, Any] = {}
        self._pitches: dict[str, float] = {}

    def bases(self) -> Sequence[BaseVoice]:
        return [BaseVoice(name, _LOCALES.get(name[0], "en-US") if name[1:3] in ("f_", "m_") else "en-US", name)
                for name in sorted(self._styles)]

    def lengths(self, utterance: Utterance) -> Lengths | None:
        """Exact: the sound of the same utterance has just this length, to the sample.

        Raises EngineError where nothing in the words can be said.
        """
        return _lengths(self, utterance)

    def speak(self, utterance: Utterance, seconds: float | None = None) -> Spoken:
        plan = self._plan(utterance, seconds)
        parts = []
        for timed in plan:
            parts += [soft_edges(self._sound(timed, utterance), RATE),
                      np.zeros(timed.piece.pause_after * FRAME, np.float32)]
        sound = soft_edges(_coloured(np.concatenate(parts), utterance.shaping), RATE)
        sound = at_kept_loudness(sound, measure(sound, RATE, peaks=False).integrated)
        return Spoken(sound, RATE, tuple(_word_marks(plan)), tuple(_phoneme_marks(plan)))

    def plan_lengths(self, utterance: Utterance) -> Lengths:
        plan = self._plan(utterance, None)
        return Lengths(_total(plan) / FRAMES_A_SECOND, tuple(_word_marks(plan)))

    def melody(self, utterance: Utterance, seconds: float | None = None) -> Melody:
        """What :meth:`speak` will sing, without making the sound: pitch and energy every half frame of the line.

        Raises EngineError where nothing in the words can be said.
        """
        hz, energy = [], []
        for timed in self._plan(utterance, seconds):
            pitch, loud = self._sung(timed.piece, timed.frames, utterance)
            kept = slice(2 * timed.begin, 2 * timed.end)
            after = np.zeros(2 * timed.piece.pause_after, np.float32)
            hz += [np.where(pitch > _VOICED, pitch, 0.0).reshape(-1)[kept], after]
            energy += [loud.reshape(-1)[kept], after]
        return Melody(FRAME / RATE / 2, np.concatenate(hz).astype(np.float32),
                      np.concatenate(energy).astype(np.float32))

    def _plan(self, utterance: Utterance, seconds: float | None) -> _Plan:
        pieces = self._pieces(utterance)
        pace = utterance.shaping.tempo * utterance.delivery.pace * _PACE.get(primary(utterance.language), 1.0)
        natural = [_with_delivery(piece, pace, utterance.delivery) for piece in pieces]
        lengths = [float(frames.sum()) for frames in natural]
        if seconds is None:
            shares = np.rint(lengths).astype(np.int64)
        else:
            # One rate for all: the pieces share the frames as they would naturally.
            fixed = sum(_LEAD + _TAIL + piece.pause_after for piece in pieces)
            wanted = math.floor(seconds * FRAMES_A_SECOND + 1e-6) - fixed
            shares = _whole(np.array(lengths, np.float32), max(len(pieces), wanted))
        return tuple(_timed(piece, _whole(frames, int(share)))
                     for piece, frames, share in zip(pieces, natural, shares, strict=True))

    def _pieces(self, utterance: Utterance) -> list[_Piece]:
        said = self._said_with_foreign(utterance)
        tokens = tokens_of(utterance.words, said, utterance.language, self.vocabulary)
        runs = [run for run in in_pieces(tokens) if any(token.at >= 0 for token in run)]
        if not runs:
            raise EngineError("“{words}” holds nothing that this voice can say.", words=utterance.words[:40])
        made = []
        for number, run in enumerate(runs):
            style = self._style(utterance.base, len(run))
            ids = np.array([[0, *(self.vocabulary[token.symbol] for token in run), 0]], np.int64)
            frames, melody, sound = self._run("lengths", [ids, style])
            last = max(place for place, token in enumerate(run) if token.at >= 0) + 1
            pause = 0
            if number + 1 < len(runs):
                ends = any(token.symbol in ".!?…" for token in run[last - 1:])
                pause = round(_FULL_STOP_PAUSE * (1 if ends else 0.5) * FRAMES_A_SECOND * utterance.delivery.pauses)
            made.append(_Piece(tuple(run), style, frames[0], last, melody, sound, pause))
        return made

    def reading(self, language: str, words: str) -> str:
        """Part of a recipe: how words are read, where that is otherwise than by the formant engine; "" where not."""
        if primary(language) == ENGLISH and has_heteronyms(words):
            return HETERONYMS
        if primary(language) == "ar" and any(letter in words for letter in _THROAT):
            return "throat 1"
        if primary(language) == MANDARIN and is_read_otherwise(words):
            return LIGHT
        return READING if primary(language) == JAPANESE and can_read_japanese() else ""

    def said(self, words: str, language: str) -> list[SaidWord]:
        """``words`` word by word in IPA, as the nearest accent of ``language`` that there is says them."""
        if primary(language) == MANDARIN and can_read_mandarin():
            return sorted([*mandarin_words(words), *(
                SaidWord(found.start() + one.at, one.length, one.ipa, "en-US") for found in _LATIN.finditer(words)
                for one in self.said(found[0], "en-US"))], key=lambda one: one.at)
        if primary(language) == JAPANESE and can_read_japanese():
            return list(japanese_words(words))
        locale = min(self._transcribers, key=lambda tag: (distance(language, tag), tag))
        said = self._phonemes.transcribe(words, self._transcribers[locale])
        return with_heteronyms(words, said, locale) if primary(language) == ENGLISH else said

    def _said_with_foreign(self, utterance: Utterance) -> list[SaidWord]:
        """The words as they are said, those in another language by its sounds."""
        said = self.said(utterance.words, utterance.language)
        for at, length, language in utterance.foreign:
            inside = [SaidWord(word.at + at, word.length, word.ipa, language)
                      for word in self.said(utterance.words[at: at + length], language)]
            said = [word for word in said if word.at + word.length <= at or word.at >= at + length] + inside
        return sorted(said, key=lambda word: word.at)

    # ── sound

    def _sound(self, timed: _Timed, utterance: Utterance) -> Floats:
        """The sound of one piece, ``timed.kept`` frames long to the sample."""
        piece, frames, tract = timed.piece, timed.frames, utterance.shaping.tract
        if tract != 1.0:
            # Made longer by the tract's factor and lower by the same, then played faster by it.
            frames = _whole(frames.astype(np.float32), round(float(frames.sum()) * tract))
        pitch, energy = self._sung(piece, frames, utterance)
        pitch = pitch / np.float32(tract)
        features = np.repeat(piece.sound_features, frames, axis=2)
        sound: Floats = self._run("sound", [features, pitch, energy, piece.style])[0].reshape(-1)
        wanted = int(timed.frames.sum()) * FRAME
        if len(sound) != wanted:
            sound = soxr.resample(sound, len(sound), wanted, quality="HQ")
            sound = np.pad(sound[:wanted], (0, max(0, wanted - len(sound))))
        sound = sound * _gains(timed, utterance.delivery)
        return sound[timed.begin * FRAME: timed.end * FRAME].astype(np.float32)

    def _sung(self, piece: _Piece, frames: Counts, utterance: Utterance) -> tuple[Floats, Floats]:
        """The melody as it is drawn, and the energy, two values a frame."""
        spread = np.ascontiguousarray(np.repeat(piece.melody_features, frames, axis=1).transpose(0, 2, 1))
        pitch, energy = self._run("melody", [spread, piece.style])
        return self._drawn(pitch, piece, frames, utterance), energy

    def _drawn(self, pitch: Floats, piece: _Piece, frames: Counts, utterance: Utterance) -> Floats:
        """The melody as the shaping and the delivery want it: moved, widened, roughened, stressed."""
        shaping, delivery = utterance.shaping, utterance.delivery
        voiced = pitch > _VOICED
        if not voiced.any():
            return pitch
        own = self.own_pitch(utterance.base)
        semitones = 12 * math.log2(shaping.pitch_hz / own) + delivery.pitch
        logged = np.log(np.maximum(pitch, 1.0))
        # Range is widened about the line's own middle, so that it does not move the whole.
        centre = float(np.median(logged[voiced]))
        drawn = np.exp(centre + (logged - centre) * shaping.melody * delivery.melody) * 2 ** (semitones / 12)
        if shaping.roughness:
            # An unsteady larynx: slow wandering and quick jitter, the same at every making.
            noise = np.random.default_rng(7).standard_normal(pitch.shape[-1])
            wander = np.convolve(np.asarray(noise), np.ones(9) / 3, "same")
            drawn = drawn * (1 + shaping.roughness * (0.004 * noise + 0.006 * wander))
        for at, length, amount in delivery.emphasis:
            steps = np.repeat([token.at >= 0 and at <= token.at < at + length
                               for token in _with_edges(piece.tokens)], frames * 2)
            lift = np.convolve(steps.astype(np.float64), np.hanning(9) / 4, "same")[: pitch.shape[-1]]
            drawn = drawn * 2 ** (2.5 * amount * lift / 12)
        if delivery.marks:
            drawn = _bent(drawn, voiced, _with_edges(piece.tokens), frames, delivery.marks)
        return np.where(voiced, np.clip(drawn, 45, 700), pitch).astype(np.float32)

    def own_pitch(self, base: str) -> float:
        """The middle of a blend's melody over a sentence of reference, in Hz; no sound is made for it."""
        if base not in self._pitches:
            ids = [self.vocabulary[ch] for ch in _REFERENCE if ch in self.vocabulary]
            style = self._style(base, len(ids))
            frames, melody, _ = self._run("lengths", [np.array([[0, *ids, 0]], np.int64), style])
            spread = np.repeat(melody, np.maximum(1, np.round(frames[0])).astype(int), axis=1).transpose(0, 2, 1)
            pitch = self._run("melody", [np.ascontiguousarray(spread), style])[0]
            self._pitches[base] = float(np.median(pitch[pitch > _VOICED]))
        return self._pitches[base]

    def _style(self, base: str, tokens: int) -> Floats:
        """The style vector of a blend ("one=0.7 other=0.3") for an utterance of so many tokens, shape (1, 256)."""
        total = np.zeros(256, np.float32)
        for name, share in blend_of(base).items():
            table = self._styles.get(name)
            if table is None:
                raise EngineError("The rich voices have no style “{name}” here.", name=name)
            total += np.float32(share) * table[min(tokens, len(table) - 1)]
        return total[None, :]

    def load(self) -> None:
        """Load the network now rather than at the first line."""
        for part in PARTS:
            self._session(part)

    def _session(self, part: str) -> Any:
        if part not in self._sessions:
            self._sessions[part] = self._load(part)
        return self._sessions[part]

    def _run(self, part: str, inputs: Sequence[npt.NDArray[Any]]) -> list[Any]:
        session = self._session(part)
        names = [item.name for item in session.get_inputs()]
        made: list[Any] = session.run(None, dict(zip(names, inputs, strict=True)))
        return made

    def _load(self, part: str) -> Any:
        import onnxruntime

        options = onnxruntime.SessionOptions()
        options.intra_op_num_threads = self._threads
        options.inter_op_num_threads = 1
        options.log_severity_level = 3
        folder = prepare(weights_root())
        return onnxruntime.InferenceSession(str(folder / f"{part}.onnx"), options, providers())


def providers() -> list[str]:
    """What the network runs on, the first that there is: ``JANOGLOT_RICH_PROVIDERS``, by commas, as onnxruntime names
    them (``CUDAExecutionProvider``, …), and this machine's processors.

    Raises EngineError for one that this onnxruntime does not have.
    """
    import onnxruntime

    asked = [name.strip() for name in os.environ.get("JANOGLOT_RICH_PROVIDERS", "").split(",") if name.strip()]
    there = onnxruntime.get_available_providers()
    for name in asked:
        if name not in there:
            raise EngineError("The rich voices cannot run on {name} here. There are: {there}.", name=name,
                              there=", ".join(there))
    return list(dict.fromkeys([*asked, "CPUExecutionProvider"]))


@lru_cache(maxsize=20_000)
def _lengths(engine: RichEngine, utterance: Utterance) -> Lengths:
    return engine.plan_lengths(utterance)


@lru_cache(maxsize=1024)
def blend_of(base: str) -> dict[str, float]:
    """The styles and shares that a base names, the shares adding up to 1."""
    found = {name: float(share or 1) for name, share in re.findall(r"([\w-]+)(?:=([\d.]+))?", base)}
    total = sum(found.values())
    return {name: share / total for name, share in found.items()}


def _with_edges(tokens: Sequence[Token]) -> list[Token]:
    return [Token(""), *tokens, Token("")]


def _with_delivery(piece: _Piece, pace: float, delivery: Delivery) -> Floats:
    """Frames that each token before the last phoneme would last at this delivery, not yet whole."""
    tokens = piece.tokens[: piece.last - 1]
    lengths: Floats = piece.natural[1: piece.last] / np.float32(pace)
    for number, token in enumerate(tokens):
        if token.is_pause and token.symbol != " ":
            shortest = _CLAUSE_FRAMES if token.symbol in ",;:—" else _SENTENCE_FRAMES
            lengths[number] = max(lengths[number], shortest / np.float32(pace)) * delivery.pauses
            # The phoneme before a pause holds most of its silence.
            if number and lengths[number - 1] > _TAIL:
                lengths[number - 1] = _TAIL + (lengths[number - 1] - _TAIL) * delivery.pauses
        for at, length, amount in delivery.emphasis:
            if at <= token.at < at + length:
                lengths[number] *= 1 + 0.18 * amount
    for mark in delivery.marks:
        if mark.kind == "pace":
            _hurried(lengths, piece, mark)
        elif mark.kind == "gap":
            _parted(lengths, tokens, mark)
    for at, seconds in delivery.pauses_at:
        before = next((number for number, token in enumerate(tokens) if token.at >= at), 0) - 1
        if before >= 0:
            lengths[before] += seconds * FRAMES_A_SECOND
    return np.maximum(lengths, 1.0)


def _hurried(lengths: Floats, piece: _Piece, mark: WordMark) -> None:
    """A stretch of words quicker by the mark's amount; pauses inside it with them."""
    inside = [number for number, token in enumerate(piece.tokens[: piece.last - 1]) if _in(mark, token)]
    if not inside:
        return
    # The phoneme before a pause holds most of its silence, which stays; the last one lasts as long as it must.
    spoken = {number: min(float(lengths[number]), float(_TAIL) if _pauses(piece.tokens, number + 1) else math.inf)
              for number in inside}
    total = sum(spoken.values())
    rest = float(_TAIL) if _in(mark, piece.tokens[piece.last - 1]) else 0.0
    wanted = max(float(len(inside)), (total + rest) / mark.amount - rest)
    for number, length in spoken.items():
        lengths[number] += length * (wanted / total - 1.0)


def _parted(lengths: Floats, tokens: Sequence[Token], mark: WordMark) -> None:
    """Silence of just so many seconds before a word, in the place of what there was."""
    word = next((number for number, token in enumerate(tokens) if token.at >= mark.at), len(tokens))
    spoken = next((number for number in range(word - 1, -1, -1) if tokens[number].at >= 0), -1)
    between = word - spoken - 1
    if spoken < 0 or between < 1:
        return
    if any(token.symbol.strip() for token in tokens[spoken + 1: word]) or mark.amount >= _HELD / FRAMES_A_SECOND:
        lengths[spoken] = min(float(lengths[spoken]), _TAIL)
    # The next word sets in a frame before its token.
    lengths[spoken + 1: word] = max(float(between), mark.amount * FRAMES_A_SECOND + 1) / between


def _pauses(tokens: Sequence[Token], number: int) -> bool:
    return number < len(tokens) and tokens[number].is_pause and tokens[number].symbol.strip() != ""


def _in(mark: WordMark, token: Token) -> bool:
    return mark.at <= token.at < mark.at + mark.length


def _bent(drawn: npt.NDArray[Any], voiced: npt.NDArray[np.bool_], tokens: Sequence[Token], frames: Counts,
          marks: Sequence[WordMark]) -> npt.NDArray[Any]:
    """The melody with stretches of it lifted, turned at their ends and widened, each blending into what is around."""
    size = drawn.shape[-1]
    for mark in marks:
        if mark.kind not in ("lift", "turn", "range"):
            continue
        inside = np.repeat([_in(mark, token) for token in tokens], frames * 2)[:size]
        sung = np.flatnonzero(inside & voiced.reshape(-1))
        if not len(sung):
            continue
        if mark.kind == "turn":
            # Over the last half of what is sung of it, at most a third of a second, and on up to the next word.
            begin, end = int(sung[0]), int(sung[-1]) + 1
            start = max(end - _TURNED, (begin + end) // 2)
            curve = np.clip((np.arange(size) - start) / max(1, end - start), 0.0, 1.0)
            later = np.repeat([token.at >= mark.at + mark.length for token in tokens], frames * 2)[:size]
            curve[int(np.argmax(later)) if later.any() else size:] = 0.0
        else:
            window = np.hanning(2 * _BLEND + 1)
            curve = np.convolve(inside.astype(np.float64), window / window.sum(), "same")
        if mark.kind == "range":
            middle = float(np.median(np.log(drawn.reshape(-1)[sung])))
            logged = np.log(np.maximum(drawn, 1.0))
            drawn = np.exp(logged + (logged - middle) * (mark.amount - 1.0) * curve)
        else:
            drawn = drawn * 2 ** (mark.amount * curve / 12)
    return drawn


def _gains(timed: _Timed, delivery: Delivery) -> Floats:
    """The levels that are directed, a factor for each sample of a piece with the silence around it."""
    if not any(mark.kind in ("level", "gap") for mark in delivery.marks):
        return np.ones(1, np.float32)
    tokens = _with_edges(timed.piece.tokens)
    factors = np.ones(int(timed.frames.sum()))
    starts = np.concatenate([[0], np.cumsum(timed.frames)])
    for mark in delivery.marks:
        if mark.kind == "level":
            inside = np.repeat([_in(mark, token) for token in tokens], timed.frames)
            factors = factors * 10 ** (mark.amount * inside / 20)
        elif mark.kind == "gap" and mark.amount >= _HELD / FRAMES_A_SECOND:
            word = next((number for number, token in enumerate(tokens) if token.at >= mark.at), len(tokens))
            spoken = next((number for number in range(word - 1, -1, -1) if tokens[number].at >= 0), -1)
            if 0 <= spoken < word < len(tokens):
                # The network fills a long pause with breath. The next word sets in a frame before its token.
                factors[starts[spoken + 1]: starts[word] - 1] = 0.0
    window = np.hanning(FRAME + 1)
    return np.convolve(np.repeat(factors, FRAME), window / window.sum(), "same").astype(np.float32)


def _timed(piece: _Piece, spoken: Counts) -> _Timed:
    """``spoken`` frames before the last phoneme, and around them the silence that the network wants."""
    around = np.maximum(1, np.rint(piece.natural)).astype(np.int64)
    frames = np.concatenate([np.maximum(around[:1], _LEAD), spoken, around[piece.last:]])
    frames[-1] += max(0, _TAIL - int(frames[piece.last:].sum()))
    return _Timed(piece, frames)


def _total(plan: _Plan) -> int:
    """Frames of the whole line."""
    return sum(timed.kept + timed.piece.pause_after for timed in plan)


def _whole(lengths: Floats, total: int) -> Counts:
    """``lengths`` scaled to whole numbers that add up to ``total``, each at least 1 where there is room.

    The rounding is carried along, so that no word drifts by more than half a frame.
    """
    if not len(lengths):
        return np.zeros(0, np.int64)
    if total <= len(lengths):
        few = np.zeros(len(lengths), np.int64)
        few[np.argsort(-lengths, kind="stable")[:total]] = 1
        return few
    ends = np.cumsum(lengths, dtype=np.float64)
    counts: Counts = np.diff(np.rint(ends * (total / ends[-1])).astype(np.int64), prepend=0)
    # A token without a frame is not said: it takes one from the longest.
    for place in np.flatnonzero(counts < 1):
        counts[np.argmax(counts)] -= 1
        counts[place] = 1
    return counts


def _spans(plan: _Plan) -> Iterator[tuple[Token, float, float]]:
    """Each token that is said, with the seconds from which and to which it is heard in the line."""
    begun = 0
    for timed in plan:
        tokens = _with_edges(timed.piece.tokens)
        starts = np.concatenate([[0], np.cumsum(timed.frames)]) - timed.begin + begun
        for number, token in enumerate(tokens):
            if token.at < 0:
                continue
            # Sound sets in a frame before its token; what is longer than a tail before a pause is silence.
            start, end = int(starts[number]), int(starts[number + 1])
            if (tokens[number + 1].symbol.strip() != "" and tokens[number + 1].is_pause) or number == timed.piece.last:
                end = min(end, start + _TAIL)
            yield token, max(0, start - 1) / FRAMES_A_SECOND, (end - 1) / FRAMES_A_SECOND
        begun += timed.kept + timed.piece.pause_after


def _word_marks(plan: _Plan) -> list[Mark]:
    marks: list[Mark] = []
    for token, start, end in _spans(plan):
        if marks and marks[-1].at == token.at:
            marks[-1] = Mark(marks[-1].start, end, token.at, marks[-1].length)
        else:
            marks.append(Mark(start, end, token.at, token.length))
    return marks


def _phoneme_marks(plan: _Plan) -> list[Mark]:
    return [Mark(start, end, -1, 0, token.symbol) for token, start, end in _spans(plan)]


def _coloured(sound: Floats, shaping: Shaping) -> Floats:
    """Brightness and breath: a shelf above 2 kHz, and noise that follows the voice."""
    if shaping.tilt_db:
        # A first-order shelf: the low part as it is, the rest by the tilt.
        low = sosfilt(butter(1, 2000, "low", fs=RATE, output="sos"), sound)
        sound = (low + (sound - low) * 10 ** (shaping.tilt_db / 20)).astype(np.float32)
    if shaping.breath:
        noise = np.random.default_rng(11).standard_normal(len(sound))
        noise = sosfilt(butter(2, 1500, "high", fs=RATE, output="sos"), noise)
        envelope = np.sqrt(np.maximum(sosfilt(butter(1, 20, "low", fs=RATE, output="sos"), sound**2), 0.0))
        sound = (sound + 0.08 * shaping.breath * envelope * noise).astype(np.float32)
    return sound
