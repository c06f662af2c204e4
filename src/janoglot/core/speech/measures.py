"""The measures of every voice: shipped for those by name, kept for others once they are made, estimated until then."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable
from functools import cache, lru_cache
from pathlib import Path

import langcodes

from janoglot.core.graph import recipe_hash
from janoglot.core.languages import primary
from janoglot.core.speech.acoustics import VoiceMeasure, measure_voice
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Utterance
from janoglot.core.speech.speaker_encoder import encoder_missing
from janoglot.core.speech.voices import Voice
from janoglot.core.store import Store

SHIPPED = Path(__file__).with_name("measures.json")
"""Made by ``./janoglot measure-voices --write``: by key, what was measured."""
_VERSION = 2
SENTENCES = {
    "en": "Mind the third step, it has been loose since the winter. Who would wind a clock that the sea winds for us?",
    "es": "Cuidado con el tercer escalón, está suelto desde el invierno. ¿Quién le da cuerda a un reloj de marea?",
    "fr": "Attention à la troisième marche, elle bouge depuis l'hiver. Qui remonte une horloge de marée ?",
    "pt": "Cuidado com o terceiro degrau, está solto desde o inverno. Quem dá corda a um relógio de maré?",
    "de": "Vorsicht bei der dritten Stufe, sie ist seit dem Winter locker. Wer zieht eine Gezeitenuhr auf?",
}
_NAMED = ("de", "en", "es", "fr", "it", "pt", "ru", "zh", "ar", "el", "nl", "sv", "pl", "tr", "fi", "cs")


@lru_cache(maxsize=512)
def sentence(language: str) -> str:
    """What a voice says to be measured: of ours, or what CLDR calls some languages where there is none."""
    own = SENTENCES.get(primary(language))
    if own:
        return own
    names = [str(langcodes.Language.get(tag).language_name(language)) for tag in _NAMED]
    return ", ".join(names[:8]) + ". " + ", ".join(names[8:]) + "."


def spoken_language(voice: Voice) -> str:
    """In which language a voice is measured: a rich one in English, which is theirs all alike; another in its own."""
    return "en-GB" if voice.is_rich else voice.locale


@lru_cache(maxsize=8192)
def measure_key(voice: Voice) -> str:
    """Names a measure by everything that it comes from."""
    language = spoken_language(voice)
    return recipe_hash("measure", voice=voice.recipe, engine=engine_named(voice.engine).version,
                       words=sentence(language), language=language if voice.is_rich else "", version=_VERSION)


def make_measure(voice: Voice) -> VoiceMeasure:
    """Have the voice speak, and measure it. Raises EngineError, and ValueError where it makes no voiced sound."""
    language = spoken_language(voice)
    utterance = Utterance(sentence(language), voice.base, voice.shaping, language=language)
    spoken = engine_named(voice.engine).speak(utterance)
    return measure_voice(spoken.samples, spoken.rate)


@cache
def _shipped() -> dict[str, VoiceMeasure]:
    if not SHIPPED.exists():
        return {}
    return {key: VoiceMeasure.from_json(values) for key, values in json.loads(SHIPPED.read_text()).items()}


def known_measure(voice: Voice, store: Store | None = None) -> VoiceMeasure | None:
    """What was measured of ``voice``; None where nobody has yet."""
    key = measure_key(voice)
    found = _shipped().get(key)
    if found is None and store is not None and store.has(f"{key}.json"):
        found = VoiceMeasure.from_json(json.loads(store.path(f"{key}.json").read_text()))
        if not found.speaker and not encoder_missing():
            # Measured when nothing here could tell speakers apart.
            return None
    return found


def keep_measure(voice: Voice, store: Store) -> VoiceMeasure:
    """The measure of ``voice``, made and kept in ``store`` where it is missing. Raises as :func:`make_measure`."""
    found = known_measure(voice, store)
    if found is None:
        found = make_measure(voice)
        text = json.dumps(found.as_json())
        store.write(f"{measure_key(voice)}.json", lambda place: _write(place, text))
    return found


def _write(place: Path, text: str) -> None:
    place.write_text(text)


def measure_or_estimate(voice: Voice, store: Store | None = None) -> VoiceMeasure:
    """What was measured, or what the voice's shaping lets expect."""
    return known_measure(voice, store) or estimated(voice)


# By kind of engine: what tilt (dB an octave), tract and brightness (semitones above 17.2 cm and 1 kHz) are to be
# expected of a shaping: a constant, and what a dB of its tilt, a semitone of pitch above 126 Hz, a semitone of tract
# and its breath add. Least squares over the voices by name that were measured.
_EXPECTED = {
    True: ((-6.29, 0.10, 0.16, 0.44, -1.74), (-0.32, -0.01, -0.38, 0.19, 0.60), (3.09, 0.49, 0.05, 0.41, -0.83), 4.4),
    False: ((-3.10, 0.34, -0.11, 1.19, 0.64), (0.02, 0.0, -0.09, -0.59, -2.03), (7.60, 0.76, 0.04, 0.90, 11.34), 4.8),
}


def estimated(voice: Voice) -> VoiceMeasure:
    """Worked out from how a voice is shaped, by what the measured ones have in common."""
    shaping = voice.shaping
    spread = 2 ** (3.5 * shaping.melody / 12)
    shape = (1.0, shaping.tilt_db, 12 * math.log2(shaping.pitch_hz / 126), 12 * math.log2(shaping.tract),
             shaping.breath)
    *weights, pace = _EXPECTED[voice.is_rich]
    tilt, tract, brightness = (sum(a * b for a, b in zip(row, shape, strict=True)) for row in weights)
    return VoiceMeasure(shaping.pitch_hz, shaping.pitch_hz / spread, shaping.pitch_hz * spread,
                        1000 * 2 ** (brightness / 12), tilt, 17.2 * 2 ** (tract / 12), pace * shaping.tempo, 6.5, -24.0)


def write_shipped(voices: Iterable[Voice]) -> int:
    """Measure ``voices`` that the shipped file does not know, and write it anew for all of them. How many it holds."""
    values = {measure_key(voice): (known_measure(voice) or make_measure(voice)).as_json() for voice in voices}
    SHIPPED.write_text(json.dumps(dict(sorted(values.items())), indent=0) + "\n")
    _shipped.cache_clear()
    return len(values)
