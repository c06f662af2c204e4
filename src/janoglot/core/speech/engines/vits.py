"""Voices that are on the machine already: neural networks of the VITS kind (Kim, Kong and Son 2021), one in each
file.

The common form is ``NAME.onnx`` with ``NAME.onnx.json`` beside it: phonemes of the formant engine in, sound out. They
are found under ``var/voices/`` and in the folders that ``JANOGLOT_VOICES`` names. The network tells nothing of its
times, so a word's are shared out by its sounds; and it draws its sound by lot, so that two makings are alike and not
the same.
"""

from __future__ import annotations

import hashlib
import json
import logging
import math
import os
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import parselmouth

from janoglot.core.audio.edges import soft_edges
from janoglot.core.errors import EngineError
from janoglot.core.languages import distance, find_tag
from janoglot.core.speech.engines.base import BaseVoice, Lengths, Mark, Samples, Spoken, Utterance
from janoglot.core.speech.engines.formant import FormantEngine
from janoglot.core.speech.trimming import audible_span
from janoglot.tally import tally

log = logging.getLogger(__name__)

NEUTRAL = 110.0
"""Hz. A shaping with this pitch leaves a voice at its own height: it is not known before the voice has spoken."""
_VERSION = 1
_START, _END, _PAD = "^", "$", "_"
_LARGEST = 400 * 1024**2
_MARKS = ",.;:!?…—–।؟،。"
_CLOSE = 0.02
_PAUSE = 3.0
"""Sounds that a pause weighs as much as, where times are shared out."""
_LICENCE = re.compile(r"^\W*licen[cs]e\W*:?\s*(\S.{1,200})$", re.IGNORECASE | re.MULTILINE)
_CARDS = ("MODEL_CARD", "MODEL_CARD.md", "LICENSE", "LICENCE", "README.md")


@dataclass(frozen=True, slots=True)
class VoiceFile:
    """One network with what is written beside it. ``licence`` is "" where no card says any."""

    id: str
    name: str
    locale: str
    model: Path
    rate: int
    phonemes: Mapping[str, Sequence[int]]
    spoken_as: str
    noise: float
    length: float
    speakers: Mapping[str, int]
    licence: str
    licence_at: str


def voice_folders(root: Path) -> list[Path]:
    named = os.environ.get("JANOGLOT_VOICES", "").split(os.pathsep)
    return [root / "voices", *(Path(one) for one in named if one)]


def voice_files(folders: Sequence[Path]) -> Iterator[VoiceFile]:
    """Every voice in the common form under ``folders``. What cannot be read is passed over and logged."""
    seen = set()
    for place in sorted(one for folder in folders if folder.is_dir() for one in folder.rglob("*.onnx")):
        try:
            found = _read(place)
        except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
            log.warning("a voice cannot be read", extra={"file": str(place), "why": str(error)[:200]})
            continue
        if found.id not in seen:
            seen.add(found.id)
            yield found


def _read(model: Path) -> VoiceFile:
    told = json.loads(model.with_name(model.name + ".json").read_text(encoding="utf-8"))
    if model.stat().st_size > _LARGEST:
        raise ValueError("it is too large")
    inference = told.get("inference") or {}
    spoken_as = str((told.get("espeak") or {})["voice"])
    locale = find_tag(str((told.get("language") or {}).get("code") or spoken_as).replace("_", "-"))
    if not locale:
        raise ValueError("its language is not known")
    card = next((model.with_name(name) for name in _CARDS if model.with_name(name).is_file()), None)
    licence = _LICENCE.search(card.read_text(encoding="utf-8", errors="replace")[:20_000]) if card else None
    with model.open("rb") as file:
        content = hashlib.sha256(file.read(1 << 20) + str(model.stat().st_size).encode()).hexdigest()[:8]
    return VoiceFile(
        f"{model.stem}/{content}", model.stem, locale, model, int(told["audio"]["sample_rate"]),
        {str(sign): [int(one) for one in ids] for sign, ids in told["phoneme_id_map"].items()}, spoken_as,
        float(inference.get("noise_scale", 0.667)), float(inference.get("length_scale", 1.0)),
        {str(name): int(number) for name, number in (told.get("speaker_id_map") or {}).items()},
        licence[1].strip() if licence else "", str(card) if card else "")


class VitsEngine:
    """The files' networks behind the engine protocol."""

    id = "vits"
    exact = False
    frame = 0.0

    def __init__(self, phonemes: FormantEngine, root: Path) -> None:
        self._phonemes = phonemes
        self.files = {one.id: one for one in voice_files(voice_folders(root))}
        self.version = f"vits {_VERSION}/{phonemes.version}"
        self._sessions: dict[str, Any] = {}

    def bases(self) -> Sequence[BaseVoice]:
        return [BaseVoice(f"{one.id}{f'#{speaker}' if speaker else ''}", one.locale, speaker or one.name)
                for one in self.files.values() for speaker in (one.speakers if len(one.speakers) > 1 else [""])]

    def reading(self, language: str, words: str) -> str:
        return ""

    def lengths(self, utterance: Utterance) -> Lengths | None:
        return None

    def speak(self, utterance: Utterance, seconds: float | None = None) -> Spoken:
        """Raises EngineError for a voice that is not here, and for words that hold nothing it can say."""
        name, _, speaker = utterance.base.partition("#")
        file = self.files.get(name)
        if file is None:
            raise EngineError("The voice “{name}” is not on this machine any more.", name=name.partition("/")[0])
        ids, weights = self._ids(file, utterance)
        number = file.speakers.get(speaker, 0)
        sound = self._run(file, ids, file.length, number)
        natural = heard_seconds(sound, file.rate)
        wanted = seconds or natural / (utterance.shaping.tempo * utterance.delivery.pace)
        pace = 1.0
        # Each sound lasts whole frames, so that it is not quite as quick as it is asked to be: asked twice at most.
        for _ in range(2):
            missed = heard_seconds(sound, file.rate) / wanted if wanted > 0 else 1.0
            if abs(missed - 1) <= _CLOSE or not 0.4 <= pace * missed <= 3.0:
                break
            pace *= missed
            sound = self._run(file, ids, file.length / pace, number)
        sound = shaped(sound, file.rate, utterance)
        begin, end = audible_span(sound, file.rate)
        return Spoken(soft_edges(sound, file.rate), file.rate, _word_marks(weights, begin / file.rate, end / file.rate))

    def _ids(self, file: VoiceFile, utterance: Utterance) -> tuple[list[int], list[tuple[int, int, float, float]]]:
        """The network's numbers of the words' sounds; and by word: place, length, what it weighs, the pause after."""
        base = min(self._phonemes.bases(), key=lambda one: (
            not one.id.endswith(f"/{file.spoken_as}"), distance(file.locale, one.locale), one.id))
        said = self._phonemes.transcribe(utterance.words, base.id)
        ids = [*file.phonemes[_START], *file.phonemes[_PAD]]
        weights = []
        for number, word in enumerate(said):
            signs = [sign for sign in word.ipa if sign in file.phonemes]
            following = said[number + 1].at if number + 1 < len(said) else len(utterance.words)
            mark = next((one for one in utterance.words[word.at + word.length: following] if one in _MARKS), "")
            plain = {"।": ".", "。": ".", "؟": "?", "،": ",", "…": ".", "—": ",", "–": ","}.get(mark, mark)
            for sign in [*signs, *([plain] if plain in file.phonemes and plain else []), " "]:
                ids += [*file.phonemes.get(sign, []), *file.phonemes[_PAD]]
            weights.append((word.at, word.length, float(max(1, len(signs))), _PAUSE if plain else 0.0))
        if not any(weight for _, _, weight, _ in weights):
            raise EngineError("“{words}” holds nothing that this voice can say.", words=utterance.words[:40])
        return [*ids, *file.phonemes[_END]], weights

    def _run(self, file: VoiceFile, ids: Sequence[int], length: float, speaker: int) -> Samples:
        session = self._session(file)
        inputs: dict[str, Any] = {
            "input": np.array([ids], np.int64), "input_lengths": np.array([len(ids)], np.int64),
            # Without chance in its lengths a line is as long each time.
            "scales": np.array([file.noise, length, 0.0], np.float32)}
        names = {one.name for one in session.get_inputs()}
        if "sid" in names:
            inputs["sid"] = np.array([speaker], np.int64)
        sound: Samples = session.run(None, inputs)[0].reshape(-1).astype(np.float32)
        peak = float(np.abs(sound).max(initial=0.0))
        return sound / np.float32(max(1.0, peak / 0.95))

    def _session(self, file: VoiceFile) -> Any:
        if file.id not in self._sessions:
            try:
                import onnxruntime
            except ImportError as error:
                raise EngineError(
                    "Voices of your own cannot be spoken here: what runs them is not installed.") from error

            tally("network loaded: own voice")
            options = onnxruntime.SessionOptions()
            options.intra_op_num_threads = 1
            options.log_severity_level = 3
            try:
                self._sessions[file.id] = onnxruntime.InferenceSession(
                    str(file.model), options, ["CPUExecutionProvider"])
            except Exception as error:  # the library raises what it likes for a damaged file
                raise EngineError("The voice “{name}” cannot be loaded: {why}.", name=file.name,
                                  why=str(error)[:120]) from error
        return self._sessions[file.id]


def heard_seconds(sound: Samples, rate: int) -> float:
    """From where something is heard to where nothing is any more."""
    begin, end = audible_span(sound, rate)
    return (end - begin) / rate


def shaped(sound: Samples, rate: int, utterance: Utterance) -> Samples:
    """Height, range and tract as the shaping and the delivery want them; untouched where nothing is to be changed.

    Source: pitch-synchronous overlap-add and resampling, in Praat's implementation.
    """
    shaping, delivery = utterance.shaping, utterance.delivery
    semitones = 12 * math.log2(shaping.pitch_hz / NEUTRAL) + delivery.pitch
    melody = shaping.melody * delivery.melody
    if (semitones, melody, shaping.tract) == (0.0, 1.0, 1.0) or len(sound) < rate // 5:
        return sound
    whole = parselmouth.Sound(sound.astype(np.float64), rate)
    pitch = parselmouth.praat.call(whole.to_pitch(None, 60, 600), "Get quantile", 0, 0, 0.5, "Hertz")
    if not pitch or math.isnan(pitch):
        return sound
    wanted = pitch * 2 ** (semitones / 12)
    made = parselmouth.praat.call(whole, "Change gender", 60, 600, shaping.tract, wanted, melody, 1)
    return np.asarray(made.values[0][: len(sound)], np.float32)


def _word_marks(weights: Sequence[tuple[int, int, float, float]], begin: float, end: float) -> tuple[Mark, ...]:
    total = sum(weight + pause for _, _, weight, pause in weights) - weights[-1][3]
    each = (end - begin) / max(1.0, total)
    marks, at = [], begin
    for place, length, weight, pause in weights:
        marks.append(Mark(round(at, 4), round(at + weight * each, 4), place, length))
        at += (weight + pause) * each
    return tuple(marks)

