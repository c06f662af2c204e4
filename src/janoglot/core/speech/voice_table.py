"""The measured voices of one language, as a table for the documents."""

from __future__ import annotations

import math

from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, primary
from janoglot.core.speech.acoustics import VoiceMeasure, measure_voice
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Utterance
from janoglot.core.speech.voices import Voice

SENTENCES = {
    "en": "Mind the third step, it has been loose since the winter. Who would wind a clock that the sea winds for us?",
    "es": "Cuidado con el tercer escalón, está suelto desde el invierno. ¿Quién le da cuerda a un reloj de marea?",
    "fr": "Attention à la troisième marche, elle bouge depuis l'hiver. Qui remonte une horloge de marée ?",
    "pt": "Cuidado com o terceiro degrau, está solto desde o inverno. Quem dá corda a um relógio de maré?",
    "de": "Vorsicht bei der dritten Stufe, sie ist seit dem Winter locker. Wer zieht eine Gezeitenuhr auf?",
}


def measured_voices(language: str) -> list[tuple[Voice, VoiceMeasure]]:
    """Every named voice of ``language`` with what was measured of it, lowest first."""
    words = SENTENCES.get(primary(language))
    if words is None:
        raise BadInput("There is no sentence to measure {language} with. Known: {known}.",
                       language=english_name(language), known=", ".join(SENTENCES))
    rows = []
    for voice in catalogue().values():
        if voice.speaks(language):
            spoken = engine_named(voice.engine).speak(Utterance(words, voice.base, voice.shaping))
            rows.append((voice, measure_voice(spoken.samples, spoken.rate)))
    return sorted(rows, key=lambda row: row[1].pitch_hz)


def semitones_apart(one: VoiceMeasure, other: VoiceMeasure) -> float:
    """Distance in the plane of pitch and brightness, both on a scale of semitones."""
    return math.hypot(12 * math.log2(one.pitch_hz / other.pitch_hz),
                      12 * math.log2(one.brightness_hz / other.brightness_hz))


def voice_table(language: str) -> str:
    rows = measured_voices(language)
    out = ["| voice | accent | age | register | pitch, Hz (5–95 %) | brightness, Hz | nearest of its accent, st |",
           "|---|---|---|---|---|---|---|"]
    for voice, measure in rows:
        others = [(semitones_apart(measure, m), v.name) for v, m in rows if v is not voice and v.base == voice.base]
        near = "{:.1f} ({})".format(*min(others)) if others else ""
        out.append(f"| {voice.name} | {voice.accent} | {voice.age} | {voice.register} | {measure.pitch_hz:.0f} "
                   f"({measure.pitch_low_hz:.0f}–{measure.pitch_high_hz:.0f}) | {measure.brightness_hz:.0f} | {near} |")
    return "\n".join(out)
