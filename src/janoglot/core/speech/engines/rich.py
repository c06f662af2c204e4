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
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
import soxr
from scipy.signal import butter, sosfilt

from janoglot.core.answers import answered
from janoglot.core.audio.edges import soft_edges
from janoglot.core.audio.loudness import measure
from janoglot.core.errors import EngineError
from janoglot.core.graph import recipe_hash
from janoglot.core.languages import distance, primary
from janoglot.core.speech.engines.base import (
    WHISPERED,
    BaseVoice,
    Delivery,
    Lengths,
    Manner,
    Melody,
    Shaping,
    Spoken,
    Utterance,
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
from janoglot.core.speech.engines.rich_frames import (
    FRAME,
    FRAMES_A_SECOND,
    LEAD,
    RATE,
    TAIL,
    Counts,
    Floats,
    Piece,
    Plan,
    Timed,
    bent,
    followed,
    gains,
    onsets,
    phoneme_marks,
    timed_piece,
    total_frames,
    whole_frames,
    with_delivery,
    with_edges,
    word_marks,
)
from janoglot.core.speech.engines.rich_likeness import Likeness, alike, fixed_frames, scaled_frames
from janoglot.core.speech.engines.rich_tokens import Token, in_pieces, tokens_of
from janoglot.core.speech.manner import NEUTRAL
from janoglot.core.speech.trimming import at_kept_loudness
from janoglot.core.speech.weights import weights_root
from janoglot.tally import tally

_VERSION = 3
_PACE = {"de": 1.14, "fr": 1.10, "es": 1.05}
"""The network takes its time over some languages: by this much over the demo's lines, against the formant
engine and English. They are said quicker by it."""
_KEPT_PIECES = 12
"""Lines of which what the network's first part said is kept: a few megabytes."""
_HALF = 128
"""Where a style's sound ends and its way of reading begins."""
_ROWS = 509
_ASIDE = np.float32(0.35)
"""How far a variant's way of reading goes aside, in standard deviations of all readings."""
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
        self._threads = threads or int(os.environ.get("JANOGLOT_RICH_THREADS", "2"))
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
        self._shipped = [name for name in self._styles if name not in self.own_styles]
        self._transcribers = {base.locale: base.id for base in reversed(phonemes.bases())}
        self._sessions: dict[str, Any] = {}
        self._pitches: dict[tuple[Any, ...], float] = {}
        self._known_pieces: OrderedDict[Utterance, list[Piece]] = OrderedDict()
        self._middles: dict[int, tuple[Floats, Floats]] = {}

    def bases(self) -> Sequence[BaseVoice]:
        return [BaseVoice(name, _LOCALES.get(name[0], "en-US") if name[1:3] in ("f_", "m_") else "en-US", name)
                for name in sorted(self._styles)]

    def lengths(self, utterance: Utterance) -> Lengths | None:
        """Exact: the sound of the same utterance has just this length, to the sample.

        Raises EngineError where nothing in the words can be said.
        """
        return _lengths(self, utterance)

    def speak(self, utterance: Utterance, seconds: float | None = None) -> Spoken:
        tally("line voiced rich")
        if utterance.like is not None and seconds is not None \
                and abs(seconds - self.lengths_known(utterance)) < self.frame / 2:
            # Asked for at its own length: as it is by itself, with the other's reading.
            seconds = None
        plan = self._plan(utterance, seconds)
        like = self._likeness(utterance, plan, utterance.shaping.tract) if seconds is None else None
        parts = []
        for number, timed in enumerate(plan):
            parts += [soft_edges(self._sound(timed, utterance, number, like), RATE),
                      np.zeros(timed.piece.pause_after * FRAME, np.float32)]
        sound = soft_edges(_coloured(np.concatenate(parts), utterance.shaping), RATE)
        sound = at_kept_loudness(sound, measure(sound, RATE, peaks=False).integrated)
        return Spoken(sound, RATE, tuple(word_marks(plan)), tuple(phoneme_marks(plan)))

    def lengths_known(self, utterance: Utterance) -> float:
        return _lengths(self, utterance).seconds

    def plan_lengths(self, utterance: Utterance) -> Lengths:
        plan = self._plan(utterance, None)
        return Lengths(total_frames(plan) / FRAMES_A_SECOND, tuple(word_marks(plan)))

    def melody(self, utterance: Utterance, seconds: float | None = None) -> Melody:
        """What :meth:`speak` will sing, without making the sound: pitch and energy every half frame of the line.

        Raises EngineError where nothing in the words can be said.
        """
        hz, energy = [], []
        plan = self._plan(utterance, seconds)
        like = self._likeness(utterance, plan) if seconds is None else None
        for number, timed in enumerate(plan):
            pitch, loud = self._sung(timed.piece, timed.frames, utterance)
            if like:
                pitch, loud = like.in_place(pitch, loud, timed.frames, number)
            kept = slice(2 * timed.begin, 2 * timed.end)
            after = np.zeros(2 * timed.piece.pause_after, np.float32)
            hz += [np.where(pitch > _VOICED, pitch, 0.0).reshape(-1)[kept], after]
            energy += [loud.reshape(-1)[kept], after]
        return Melody(FRAME / RATE / 2, np.concatenate(hz).astype(np.float32),
                      np.concatenate(energy).astype(np.float32))

    def _plan(self, utterance: Utterance, seconds: float | None) -> Plan:
        pieces = self._pieces(utterance)
        pace = utterance.shaping.tempo * utterance.delivery.pace * _PACE.get(primary(utterance.language), 1.0)
        natural = [with_delivery(piece, pace, utterance.delivery) for piece in pieces]
        lengths = [float(frames.sum()) for frames in natural]
        if seconds is None:
            shares = np.rint(lengths).astype(np.int64)
        else:
            # One rate for all: the pieces share the frames as they would naturally.
            fixed = sum(LEAD + TAIL + piece.pause_after for piece in pieces)
            wanted = math.floor(seconds * FRAMES_A_SECOND + 1e-6) - fixed
            shares = whole_frames(np.array(lengths, np.float32), max(len(pieces), wanted))
        plan = tuple(timed_piece(piece, whole_frames(frames, int(share)))
                     for piece, frames, share in zip(pieces, natural, shares, strict=True))
        if utterance.like is None or seconds is not None:
            return plan
        other = self._plan(utterance.like, None)
        like = Likeness(tuple(alike(_tokens(plan), _tokens(other), utterance.like_spans)), other)
        return tuple(fixed_frames(frames, timed, like.known(number, [one.frames for one in other]))
                     for number, (timed, frames) in enumerate(zip(plan, natural, strict=True)))

    def _likeness(self, utterance: Utterance, plan: Plan, tract: float = 1.0) -> Likeness | None:
        """What some words are to have of another line, for a tract of this length; None where that is nothing."""
        if utterance.like is None:
            return None
        other = self._plan(utterance.like, None)
        same = alike(_tokens(plan), _tokens(other), utterance.like_spans)
        sung = []
        for timed in other:
            frames = timed.frames if tract == 1.0 else scaled_frames(timed.frames, tract, {})
            sung.append((*self._sung(timed.piece, frames, utterance.like), frames))
        return Likeness(tuple(same), other, tuple(sung))

    def _pieces(self, utterance: Utterance) -> list[Piece]:
        """What the network's first part says of the words. What is directed of them does not go into it, so that it is
        asked once while somebody directs a line."""
        delivery = utterance.delivery
        key = replace(utterance, like=None, like_spans=(), shaping=Shaping(), delivery=Delivery(
            pauses=delivery.pauses, manner=replace(NEUTRAL, **{
                name: getattr(delivery.manner, name) for name in ("readers", "timbres", "lively", "row")})))
        if key in self._known_pieces:
            self._known_pieces.move_to_end(key)
            return self._known_pieces[key]
        made = self._made_pieces(utterance)
        self._known_pieces[key] = made
        while len(self._known_pieces) > _KEPT_PIECES:
            self._known_pieces.popitem(last=False)
        return made

    def _made_pieces(self, utterance: Utterance) -> list[Piece]:
        said = self._said_with_foreign(utterance)
        tokens = tokens_of(utterance.words, said, utterance.language, self.vocabulary)
        runs = [run for run in in_pieces(tokens) if any(token.at >= 0 for token in run)]
        if not runs:
            raise EngineError("“{words}” holds nothing that this voice can say.", words=utterance.words[:40])
        made = []
        for number, run in enumerate(runs):
            style = self._style(utterance.base, len(run), utterance.delivery.manner, utterance.variant)
            ids = np.array([[0, *(self.vocabulary[token.symbol] for token in run), 0]], np.int64)
            frames, melody, sound = self._run("lengths", [ids, style])
            last = max(place for place, token in enumerate(run) if token.at >= 0) + 1
            pause = 0
            if number + 1 < len(runs):
                ends = any(token.symbol in ".!?…" for token in run[last - 1:])
                pause = round(_FULL_STOP_PAUSE * (1 if ends else 0.5) * FRAMES_A_SECOND * utterance.delivery.pauses)
            made.append(Piece(tuple(run), style, frames[0], last, melody, sound, pause))
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
        for at, length, ipa in utterance.phonemes:
            said = [word for word in said if word.at + word.length <= at or word.at >= at + length]
            said.append(SaidWord(at, length, ipa))
        return sorted(said, key=lambda word: word.at)

    # ── sound

    def _sound(self, timed: Timed, utterance: Utterance, number: int = 0, like: Likeness | None = None) -> Floats:
        """The sound of one piece, ``timed.kept`` frames long to the sample."""
        piece, frames, tract = timed.piece, timed.frames, utterance.shaping.tract
        if tract != 1.0:
            # Made longer by the tract's factor and lower by the same, then played faster by it.
            frames = scaled_frames(frames, tract, like.known(number, [counts for *_, counts in like.sung])
                                   if like else {})
        pitch, energy = self._sung(piece, frames, utterance)
        if like:
            pitch, energy = like.in_place(pitch, energy, frames, number)
        pitch = pitch / np.float32(tract)
        features = np.repeat(piece.sound_features, frames, axis=2)
        sound: Floats = self._run("sound", [features, pitch, energy, piece.style])[0].reshape(-1)
        wanted = int(timed.frames.sum()) * FRAME
        if len(sound) != wanted:
            sound = soxr.resample(sound, len(sound), wanted, quality="HQ")
            sound = np.pad(sound[:wanted], (0, max(0, wanted - len(sound))))
        sound = sound * gains(timed, utterance.delivery)
        return sound[timed.begin * FRAME: timed.end * FRAME].astype(np.float32)

    def _sung(self, piece: Piece, frames: Counts, utterance: Utterance) -> tuple[Floats, Floats]:
        """The melody as it is drawn, and the energy, two values a frame."""
        spread = np.ascontiguousarray(np.repeat(piece.melody_features, frames, axis=1).transpose(0, 2, 1))
        pitch, energy = self._run("melody", [spread, piece.style])
        manner = utterance.delivery.manner
        if manner.energy or manner.attack:
            energy = energy + (manner.energy + manner.attack * onsets(piece, frames)).astype(np.float32)
        if manner.whisper >= WHISPERED:
            return np.zeros_like(pitch), energy
        return self._drawn(pitch, piece, frames, utterance), energy

    def _drawn(self, pitch: Floats, piece: Piece, frames: Counts, utterance: Utterance) -> Floats:
        """The melody as the shaping and the delivery want it: moved, widened, roughened, stressed."""
        shaping, delivery = utterance.shaping, utterance.delivery
        voiced = pitch > _VOICED
        if not voiced.any():
            return pitch
        own = self.own_pitch(utterance.base, utterance.delivery.manner)
        semitones = 12 * math.log2(shaping.pitch_hz / own) + delivery.pitch
        logged = np.log(np.maximum(pitch, 1.0))
        # Range is widened about the line's own middle, so that it does not move the whole.
        centre = float(np.median(logged[voiced]))
        drawn = np.exp(centre + (logged - centre) * shaping.melody * delivery.melody) * 2 ** (semitones / 12)
        if delivery.guide.words and delivery.guide.melody:
            drawn = followed(drawn, voiced, with_edges(piece.tokens), frames, delivery.guide)
        if shaping.roughness:
            # An unsteady larynx: slow wandering and quick jitter, the same at every making.
            noise = np.random.default_rng(7).standard_normal(pitch.shape[-1])
            wander = np.convolve(np.asarray(noise), np.ones(9) / 3, "same")
            drawn = drawn * (1 + shaping.roughness * (0.004 * noise + 0.006 * wander))
        for at, length, amount in delivery.emphasis:
            steps = np.repeat([token.at >= 0 and at <= token.at < at + length
                               for token in with_edges(piece.tokens)], frames * 2)
            lift = np.convolve(steps.astype(np.float64), np.hanning(9) / 4, "same")[: pitch.shape[-1]]
            drawn = drawn * 2 ** (2.5 * amount * lift / 12)
        if delivery.marks:
            drawn = bent(drawn, voiced, with_edges(piece.tokens), frames, delivery.marks)
        return np.where(voiced, np.clip(drawn, 45, 700), pitch).astype(np.float32)

    def own_pitch(self, base: str, manner: Manner = NEUTRAL) -> float:
        """The middle of a blend's melody over a sentence of reference, in Hz; no sound is made for it. Another's way of
        reading has another middle: a voice keeps its own height by this."""
        key = (base, manner.readers, manner.lively)
        if key not in self._pitches:
            ids = [self.vocabulary[ch] for ch in _REFERENCE if ch in self.vocabulary]
            style = self._style(base, len(ids), replace(NEUTRAL, readers=manner.readers, lively=manner.lively))
            frames, melody, _ = self._run("lengths", [np.array([[0, *ids, 0]], np.int64), style])
            spread = np.repeat(melody, np.maximum(1, np.round(frames[0])).astype(int), axis=1).transpose(0, 2, 1)
            pitch = self._run("melody", [np.ascontiguousarray(spread), style])[0]
            self._pitches[key] = float(np.median(pitch[pitch > _VOICED]))
        return self._pitches[key]

    def _style(self, base: str, tokens: int, manner: Manner = NEUTRAL, variant: int = 0) -> Floats:
        """The style vector of a blend ("one=0.7 other=0.3") for an utterance of so many tokens, shape (1, 256).

        Its first half is the sound, its second the way of reading; a manner borrows of either from others, and goes
        from or towards the middle of all readings. A variant is a reading a little beside.
        """
        row = max(1, round(tokens * manner.row))
        total = sum((np.float32(share) * self._row(name, row) for name, share in blend_of(base).items()),
                    np.zeros(256, np.float32))
        for half, lent in ((slice(0, _HALF), manner.timbres), (slice(_HALF, 256), manner.readers)):
            lent = tuple((name, share) for name, share in lent if name in self._styles)
            own = 1.0 - sum(share for _, share in lent)
            total[half] = own * total[half] + sum(
                (np.float32(share) * self._row(name, row)[half] for name, share in lent), np.zeros(_HALF, np.float32))
        if manner.lively != 1.0 or variant:
            middle, spread = self._middle(row)
            total[_HALF:] = middle + (total[_HALF:] - middle) * np.float32(manner.lively)
        if variant:
            aside = np.random.default_rng(variant).standard_normal(_HALF).astype(np.float32)
            total[_HALF:] += _ASIDE * spread * aside
        return total[None, :]

    def _row(self, name: str, row: int) -> Floats:
        table = self._styles.get(name)
        if table is None:
            raise EngineError("The rich voices have no style “{name}” here.", name=name)
        return np.asarray(table[min(row, len(table) - 1)], np.float32)

    def _middle(self, row: int) -> tuple[Floats, Floats]:
        """The middle of all readings that come with the network, and how far they spread, each of shape (128,)."""
        row = min(row, _ROWS)
        if row not in self._middles:
            all_styles = np.stack([self._row(name, row)[_HALF:] for name in sorted(self._shipped)])
            self._middles[row] = (all_styles.mean(0), all_styles.std(0))
        return self._middles[row]

    def load(self) -> None:
        """Load the network now rather than at the first line."""
        for part in PARTS:
            self._session(part)

    def _session(self, part: str) -> Any:
        if part not in self._sessions:
            self._sessions[part] = self._load(part)
        return self._sessions[part]

    def _run(self, part: str, inputs: Sequence[npt.NDArray[Any]]) -> list[Any]:
        own = self._source.checksum and "/".join((self._source.checksum, str(GRAPH_VERSION), *providers()))
        return answered(own and f"rich/{part}/{own}", "onnxruntime", inputs, lambda: self._asked(part, inputs))

    def _asked(self, part: str, inputs: Sequence[npt.NDArray[Any]]) -> list[Any]:
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
        # Two processes of two threads then cost what two of one do, and one alone is nearly twice as quick.
        options.add_session_config_entry("session.intra_op.allow_spinning", "0")
        folder = prepare(weights_root())
        tally("network loaded: rich")
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


def _tokens(plan: Plan) -> list[tuple[Token, ...]]:
    return [timed.piece.tokens for timed in plan]


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
