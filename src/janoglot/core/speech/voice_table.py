"""The measured voices of one language, as a table for the documents."""

from __future__ import annotations

import math
import multiprocessing
import os
import statistics
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import langcodes

from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, primary
from janoglot.core.speech import intelligibility
from janoglot.core.speech.acoustics import VoiceMeasure, measure_voice
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Utterance
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.engines.rich_tokens import is_tonal, missing_symbols
from janoglot.core.speech.measures import SENTENCES
from janoglot.core.speech.rich_voices import TONGUES
from janoglot.core.speech.sketching import sketch_voice
from janoglot.core.speech.voices import Voice


def measured_voices(language: str, rich: bool = False) -> list[tuple[Voice, VoiceMeasure]]:
    """Every light voice of ``language``, or every rich one, with what was measured of it, lowest first."""
    words = SENTENCES.get(primary(language))
    if words is None:
        raise BadInput("There is no sentence to measure {language} with. Known: {known}.",
                       language=english_name(language), known=", ".join(SENTENCES))
    rows = []
    for voice in catalogue().values():
        if voice.speaks(language) and voice.is_rich == rich:
            spoken = engine_named(voice.engine).speak(Utterance(words, voice.base, voice.shaping, language=language))
            rows.append((voice, measure_voice(spoken.samples, spoken.rate)))
    return sorted(rows, key=lambda row: row[1].pitch_hz)


def semitones_apart(one: VoiceMeasure, other: VoiceMeasure) -> float:
    """Distance in the plane of pitch and brightness, both on a scale of semitones."""
    return math.hypot(12 * math.log2(one.pitch_hz / other.pitch_hz),
                      12 * math.log2(one.brightness_hz / other.brightness_hz))


def voice_table(language: str, rich: bool = False) -> str:
    if rich:
        return rich_table(language)
    rows = measured_voices(language)
    out = ["| voice | accent | age | register | pitch, Hz (5–95 %) | brightness, Hz | nearest of its accent, st |",
           "|---|---|---|---|---|---|---|"]
    for voice, measure in rows:
        others = [(semitones_apart(measure, m), v.name) for v, m in rows if v is not voice and v.base == voice.base]
        near = "{:.1f} ({})".format(*min(others)) if others else ""
        out.append(f"| {voice.name} | {voice.accent} | {voice.age} | {voice.register} | {measure.pitch_hz:.0f} "
                   f"({measure.pitch_low_hz:.0f}–{measure.pitch_high_hz:.0f}) | {measure.brightness_hz:.0f} | {near} |")
    return "\n".join(out)


def rich_table(language: str) -> str:
    """Every rich voice saying the sentence of ``language``, and how far the nearest other one is."""
    rows = measured_voices(language, rich=True)
    out = ["| voice | age | register | pitch, Hz (5–95 %) | brightness, Hz | nearest, st | loudness, LUFS |",
           "|---|---|---|---|---|---|---|"]
    for voice, measure in rows:
        near = "{:.1f} ({})".format(*min((semitones_apart(measure, m), v.name) for v, m in rows if v is not voice))
        out.append(f"| {voice.name} | {voice.age} | {voice.register} | {measure.pitch_hz:.0f} "
                   f"({measure.pitch_low_hz:.0f}–{measure.pitch_high_hz:.0f}) | {measure.brightness_hz:.0f} | {near} | "
                   f"{measure.lufs:.1f} |")
    return "\n".join(out)


def recognition_rows(language: str) -> Iterator[str]:
    """Word error rate of every rich voice of ``language`` beside that of its sketch, row by row as it is measured.

    English only: that is what there is a recogniser for. Raises BadInput for another language.
    """
    if primary(language) != "en":
        raise BadInput("There is a recogniser for English only, not for {language}.", language=english_name(language))
    yield "| voice | rich | its sketch |"
    yield "|---|---|---|"
    voices = [v for v in catalogue().values() if v.speaks(language) and v.is_rich and v.id == v.name.lower()]
    both = [one for voice in voices for one in (voice, sketch_voice(voice, language))]
    # Engines and the recogniser are C libraries with state of their own: each worker is a process.
    found: list[float] = []
    with ProcessPoolExecutor(os.cpu_count(), mp_context=multiprocessing.get_context("spawn")) as pool:
        for rate in pool.map(partial(error_rate_of, language=language), both):
            found.append(rate)
            if len(found) % 2 == 0:
                yield f"| {both[len(found) - 2].name} | {found[-2]:.2f} | {rate:.2f} |"
    if found:
        rich, sketches = statistics.median(found[::2]), statistics.median(found[1::2])
        yield f"| *median of {len(voices)}* | *{rich:.2f}* | *{sketches:.2f}* |"


def error_rate_of(voice: Voice, language: str, sentences: Sequence[str] = intelligibility.SENTENCES) -> float:
    """Word error rate of one voice over ``sentences``."""
    engine = engine_named(voice.engine)
    pairs = []
    for words in sentences:
        spoken = engine.speak(Utterance(words, voice.base, voice.shaping, language=language))
        pairs.append((words, intelligibility.recognised(spoken.samples, spoken.rate)))
    return intelligibility.mean_error(pairs)


def coverage(locale: str) -> float | None:
    """The share of a language's sounds that the neural network has a symbol for; None where that says nothing.

    The sample is what CLDR calls languages and places in the language, as the formant engine reads it. Of tonal
    languages, and of those that CLDR names nothing in, nothing can be said.
    """
    if is_tonal(locale):
        return None
    engine = engine_named(RichEngine.id)
    assert isinstance(engine, RichEngine)
    def named(tag: str) -> list[str]:
        return [*(langcodes.Language.get(one).language_name(tag) for one in _LANGUAGES_NAMED),
                *(langcodes.Language.make(territory=place).territory_name(tag) for place in _PLACES_NAMED)]

    names = named(locale)
    if primary(locale) != "en":
        # What CLDR has no name for it gives in English.
        names = [name for name, english in zip(names, named("en"), strict=True) if name != english]
    if len(names) < _FEWEST_NAMES:
        return None
    missing = total = 0
    for word in engine.said(". ".join(sorted(names)), locale):
        lacking, of = missing_symbols(word.ipa, locale, engine.vocabulary)
        missing, total = missing + lacking, total + of
    return 1 - missing / total if total else None


def coverage_table() -> str:
    """The coverage of every language that light voices speak, the best first."""
    found: dict[str, float] = {}
    for locale in {v.locale for v in catalogue().values() if not v.is_rich and "-x-" not in v.locale}:
        share = coverage(locale)
        if share is not None:
            found[primary(locale)] = max(share, found.get(primary(locale), 0.0))
    rows = sorted(found.items(), key=lambda row: (-round(row[1], 4), row[0]))
    return "\n".join(["| language | sounds covered | offered |", "|---|---|---|", *(
        f"| {english_name(tag)} | {100 * share:.1f} % | {'yes' if tag in TONGUES or tag == 'ja' else ''} |"
        for tag, share in rows)])


_FEWEST_NAMES = 30
_LANGUAGES_NAMED = (
    "de", "en", "es", "fr", "it", "pt", "ru", "zh", "ja", "ar", "hi", "el", "nl", "sv", "pl", "tr", "fi", "cs", "hu",
    "ro", "uk", "ko", "da", "bg", "he", "th", "vi", "id", "sw", "la",
)
_PLACES_NAMED = (
    "DE", "GB", "ES", "FR", "IT", "PT", "RU", "CN", "JP", "EG", "IN", "GR", "NL", "SE", "PL", "TR", "FI", "CZ", "HU",
    "RO", "UA", "KR", "DK", "BG", "US", "BR", "MX", "CA", "AU", "ZA", "CH", "AT", "BE", "NO", "IS",
)
