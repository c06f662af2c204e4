"""The measured voices of one language, as a table for the documents."""

from __future__ import annotations

import math
import multiprocessing
import os
import statistics
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import langcodes

from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, primary
from janoglot.core.speech.acoustics import VoiceMeasure, measure_voice
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Utterance
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.engines.rich_tokens import is_tonal, missing_symbols
from janoglot.core.speech.intelligibility import Understood, sentences, understood
from janoglot.core.speech.measures import SENTENCES
from janoglot.core.speech.rich_voices import TONGUES
from janoglot.core.speech.voices import Voice


def measured_voices(language: str, rich: bool = False) -> list[tuple[Voice, VoiceMeasure]]:
    """Every light voice of ``language``, or every rich one, with what was measured of it, lowest first."""
    words = SENTENCES.get(primary(language))
    if words is None:
        raise BadInput("There is no sentence to measure {language} with. Known: {known}.",
                       language=english_name(language), known=", ".join(SENTENCES))
    rows = []
    for voice in catalogue().values():
        if voice.speaks(language) and voice.engine == ("rich" if rich else "formant"):
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


def recognition_rows(language: str, voices: Sequence[Voice] | None = None) -> Iterator[tuple[Voice, Understood]]:
    """How every rich voice that is at home in ``language`` is understood in it, one by one as it is measured, and last
    a light one; or ``voices``.

    Raises BadInput for a language without sentences of ours, RecogniserMissing.
    """
    sentences(language)
    wanted = list(voices or [*at_home(language), *light_voices(language)[:1]])
    # Engines and the recogniser are C libraries with state of their own: each worker is a process.
    with ProcessPoolExecutor(os.cpu_count(), mp_context=multiprocessing.get_context("spawn")) as pool:
        yield from zip(wanted, pool.map(partial(understood, language=language), wanted), strict=True)


def at_home(language: str) -> list[Voice]:
    """The rich voices by name that speak ``language`` as their own."""
    return [voice for voice in catalogue().values()
            if voice.is_rich and voice.id == voice.name.lower() and voice.is_native(language)]


def light_voices(language: str) -> list[Voice]:
    return [voice for voice in catalogue().values() if not voice.is_rich and voice.is_native(language)]


def recognition_table(language: str, rows: Iterable[tuple[Voice, Understood]]) -> Iterator[str]:
    """As Markdown, row by row; then the medians of the rich ones."""
    yield f"| voice | error, {english_name(language)} | taken for it |"
    yield "|---|---|---|"
    rich = []
    for voice, found in rows:
        rich += [found] if voice.is_rich else []
        yield f"| {voice.name}{'' if voice.is_rich else ' (light)'} | {found.error:.2f} | {found.native:.2f} |"
    if rich:
        error, native = (statistics.median(getattr(one, name) for one in rich) for name in ("error", "native"))
        yield f"| *median of {len(rich)}* | *{error:.2f}* | *{native:.2f}* |"


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
