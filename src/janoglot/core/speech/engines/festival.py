"""Festival's voices, where Debian's packages of them are installed: diphones and units of one speaker each.

The program is run once for a line, with the words as a string of its own language, and tells where each token lies.
How long a voice may take is met by its own stretching of durations, where it has that, asked twice at most.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import soundfile

from janoglot.core.audio.edges import soft_edges
from janoglot.core.errors import EngineError
from janoglot.core.languages import find_tag
from janoglot.core.speech.engines.base import BaseVoice, Lengths, Mark, Samples, Spoken, Utterance
from janoglot.core.speech.engines.vits import heard_seconds, shaped
from janoglot.core.speech.trimming import audible_span

VOICES = Path("/usr/share/festival/voices")
_VERSION = 1
_SECONDS = 60
_CLOSE = 0.02
_LEAST_PACE, _MOST_PACE = 0.5, 2.0
_KINDS = ("diphone", "clunits", "hts", "arctic", "cg", "us", "multisyn")
_COUNTRIES = {"american": "US", "british": "GB", "scottish": "GB"}
_TOLD = re.compile(r"^(\w+)\t(.*)$", re.MULTILINE)
_LICENCES = (
    ("GPL-2+", r"either version 2 of the License, or"), ("GPL-3+", r"either version 3 of the License, or"),
    ("LGPL", r"GNU Lesser General Public"), ("Apache-2.0", r"Apache License, Version 2"),
    ("BSD", r"use,\s+(?:copy,\s+)?modif\w+,?\s+(?:and|or)\s+distribut|Redistribution and use"),
)


@dataclass(frozen=True, slots=True)
class FestivalVoice:
    """A voice as the program tells of it. ``coding`` is what its words are handed over in."""

    id: str
    locale: str
    name: str
    coding: str
    licence: str
    licence_at: str


@cache
def festival_voices() -> Mapping[str, FestivalVoice]:
    """Every voice of Festival on this machine whose language is known; none without the program."""
    if not shutil.which("festival") or not VOICES.is_dir():
        return {}
    try:
        told = _run('(mapcar (lambda (v) (let ((d (cadr (voice.description v)))) (mapcar (lambda (f) (if (not (equal? '
                    '(car f) \'description)) (format t "%s\\t%s %s\\n" v (car f) (cadr f)))) d))) (voice.list))',
                    "utf-8")
    except EngineError:
        return {}
    facts: dict[str, dict[str, str]] = {}
    for name, fact in _TOLD.findall(told):
        field, _, value = fact.partition(" ")
        facts.setdefault(name, {})[field] = value
    found = {}
    for name, of in sorted(facts.items()):
        locale = _locale(of)
        if locale:
            licence, place = _licence(name)
            parts = [part for part in name.split("_") if part not in _KINDS and part != of.get("language")]
            found[name] = FestivalVoice(name, locale, (parts or [name])[0].capitalize(), of.get("coding", "ISO-8859-1"),
                                        licence, place)
    return found


def _locale(facts: Mapping[str, str]) -> str:
    language = find_tag(facts.get("language", "").replace("_", " ")) or ""
    country = _COUNTRIES.get(facts.get("dialect", ""), "")
    return f"{language}-{country}" if language and country and "-" not in language else language


def _licence(name: str) -> tuple[str, str]:
    """What the package of a voice says, and where; "" where nothing known stands there."""
    stem = name.split("_")[0]
    for place in sorted(Path("/usr/share/doc").glob("festvox-*/copyright")):
        package = place.parent.name.removeprefix("festvox-")
        listed = Path(f"/var/lib/dpkg/info/festvox-{package}.list")
        if (listed.is_file() and f"/{name}\n" in listed.read_text("utf-8", "replace")) or package.startswith(stem):
            text = place.read_text("utf-8", "replace")[:20_000]
            licence = next((called for called, pattern in _LICENCES if re.search(pattern, text)), "")
            return licence, str(place)
    return "", ""


class FestivalEngine:
    """Festival behind the engine protocol."""

    id = "festival"
    exact = False
    frame = 0.0

    def __init__(self) -> None:
        self.voices = festival_voices()
        self.version = f"festival {_VERSION}"

    def bases(self) -> Sequence[BaseVoice]:
        return [BaseVoice(voice.id, voice.locale, voice.id) for voice in self.voices.values()]

    def reading(self, language: str, words: str) -> str:
        return ""

    def lengths(self, utterance: Utterance) -> Lengths | None:
        return None

    def speak(self, utterance: Utterance, seconds: float | None = None) -> Spoken:
        """Raises EngineError for a voice that is not here, and for words that hold nothing it can say."""
        voice = self.voices.get(utterance.base)
        if voice is None:
            raise EngineError("The voice “{name}” is not on this machine any more.", name=utterance.base)
        sound, rate, marks = _said(voice, utterance.words, 1.0)
        wanted = seconds or heard_seconds(sound, rate) / (utterance.shaping.tempo * utterance.delivery.pace)
        stretch = 1.0
        for _ in range(2):
            missed = wanted / max(heard_seconds(sound, rate), 0.05)
            if abs(missed - 1) <= _CLOSE or not 1 / _MOST_PACE <= stretch * missed <= 1 / _LEAST_PACE:
                break
            stretch *= missed
            sound, rate, marks = _said(voice, utterance.words, stretch)
        sound = shaped(sound, rate, utterance)
        begin, end = audible_span(sound, rate)
        if end <= begin:
            raise EngineError("“{words}” holds nothing that this voice can say.", words=utterance.words[:40])
        return Spoken(soft_edges(sound, rate), rate, marks)


def _said(voice: FestivalVoice, words: str, stretch: float) -> tuple[Samples, int, tuple[Mark, ...]]:
    text = " ".join(words.split()).translate({ord("\\"): None, ord('"'): None})
    text = text.encode(voice.coding, "ignore").decode(voice.coding)
    if not any(ch.isalnum() for ch in text):
        raise EngineError("“{words}” holds nothing that this voice can say.", words=words[:40])
    with tempfile.TemporaryDirectory(prefix="janoglot-") as folder:
        place = Path(folder) / "said.wav"
        told = _run(
            f'(voice_{voice.id}) (Parameter.set \'Duration_Stretch {stretch:.4f}) (set! said (SynthText "{text}")) '
            f'(utt.save.wave said "{place}" \'riff) (mapcar (lambda (token) (let ((words (item.relation.daughters '
            'token \'Token))) (if words (format t "%s\\t%f %f\\n" (item.name token) (item.feat (car words) '
            '\'word_start) (item.feat (car (last words)) \'word_end))))) (utt.relation.items said \'Token))',
            voice.coding)
        try:
            samples, rate = soundfile.read(place, dtype="float32")
        except (OSError, soundfile.LibsndfileError) as error:
            raise EngineError("“{words}” holds nothing that this voice can say.", words=words[:40]) from error
    sound = np.asarray(samples, np.float32)
    marks = _marks(words, told, len(sound) / rate)
    return sound / np.float32(max(1.0, float(np.abs(sound).max(initial=0.0)) / 0.95)), int(rate), marks


def _marks(words: str, told: str, seconds: float) -> tuple[Mark, ...]:
    """Where each token of what was said stands in ``words``; what is not found again is passed over."""
    marks: list[Mark] = []
    upto = 0
    for line in told.splitlines():
        name, tab, times = line.rpartition("\t")
        if not tab or not name:
            continue
        at = words.find(name, upto)
        if at < 0:
            continue
        start, end = map(float, times.split())
        marks.append(Mark(start, end, at, len(name)))
        upto = at + len(name)
    # Of some words the end is not told.
    ends = [*(mark.start for mark in marks[1:]), seconds]
    return tuple(mark if mark.end > mark.start else Mark(mark.start, end, mark.at, mark.length)
                 for mark, end in zip(marks, ends, strict=True))


def _run(script: str, coding: str) -> str:
    """What the program prints for ``script``. Raises EngineError where it fails."""
    try:
        run = subprocess.run(["festival", "--pipe"], input=script.encode(coding, "ignore"), capture_output=True,
                             timeout=_SECONDS)
    except (OSError, subprocess.SubprocessError) as error:
        raise EngineError("Festival stopped: {why}", why=str(error)[:200]) from error
    if run.returncode:
        raise EngineError("Festival stopped: {why}", why=run.stderr.decode("utf-8", "replace")[:200])
    return run.stdout.decode(coding, "replace")
