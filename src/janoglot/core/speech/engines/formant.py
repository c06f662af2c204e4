"""The formant engine: espeak-ng through its C library.

Instant (hundreds of times real time) and at home in over a hundred languages. A voice's shaping is
written as one of the engine's own variant files, so that it costs nothing at all while speaking. Those
files live in a data folder of ours that links to the engine's for everything else.
"""

from __future__ import annotations

import ctypes
import ctypes.util
import html
import os
import re
import tempfile
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import langcodes
import numpy as np
import regex
from langcodes.tag_parser import LanguageTagError

from janoglot.core.errors import EngineError
from janoglot.core.graph import recipe_hash
from janoglot.core.speech.engines.base import WHISPERED, BaseVoice, Delivery, Lengths, Mark, Shaping, Spoken, Utterance
from janoglot.core.speech.engines.formant_process import (
    BUFFER_MS,
    DONT_EXIT,
    EVENT_PHONEME,
    EVENT_WORD,
    PHONEME_EVENTS_IPA,
    SYNCHRONOUS,
    FormantProcess,
    Session,
    Synthesis,
    library,
)
from janoglot.core.speech.engines.formant_sounds import names_of, phoneme_names
from janoglot.core.speech.trimming import audible_span, scaled_pauses
from janoglot.tally import tally

_UTF8 = 1
_SSML = 0x10
_PHONEMES_TOLD = 0x100
_HEADROOM_VOLUME = 60
"""Of 100. At 100 bright and breathy voices are clipped by the engine itself."""
_PITCH_SET = 0.885
"""Speech with its stresses lies about this much under the pitch that is set (measured over eight sentences)."""
_IPA = 0x02
_NORMAL_WPM = 175
_SLOWEST_WPM, _FASTEST_WPM = 80, 450


class _Voice(ctypes.Structure):
    _fields_ = [
        ("name", ctypes.c_char_p), ("languages", ctypes.c_char_p), ("identifier", ctypes.c_char_p),
        ("gender", ctypes.c_ubyte), ("age", ctypes.c_ubyte), ("variant", ctypes.c_ubyte), ("xx1", ctypes.c_ubyte),
        ("score", ctypes.c_int), ("spare", ctypes.c_void_p),
    ]


@dataclass(frozen=True, slots=True)
class SaidWord:
    """A word as it is said: ``length`` characters from ``at`` on, and its sounds in IPA with stress marks."""

    at: int
    length: int
    ipa: str
    language: str = ""
    """BCP 47, where it is another than that of the words around it."""


_MOST_TRANSCRIBED = 4_000
_LONGEST_READ = 60
"""Letters. The library writes over its own memory where it spells a word of more than some 80 of them ("M.D.O.M.D.O…"):
what is as long is given to a process first that may fall."""
_Event = tuple[int, int, int, int, str]

# The locale of a base where the engine's own tag says it otherwise than BCP 47 does.
_LOCALES = {
    "en-gb-scotland": "en-GB-scotland", "en-gb": "en-GB", "en-us": "en-US", "es": "es-ES", "pt": "pt-PT",
    "fr-fr": "fr-FR", "cmn-latn-pinyin": "zh-CN",
    "yue": "yue", "de": "de-DE", "it": "it-IT", "vi": "vi-VN",
    "en-us-nyc": "en-US-x-nyc",
}
# Invented languages, romanised doubles, and tags that BCP 47 does not know. Plain "cmn" reads the romanised
# syllables as if they were English; the voice by pinyin reads the same text as Mandarin.
_LEFT_OUT = {"qdb", "qya", "sjn", "piqd", "py", "jbo", "lfn", "cmn", "yue-latn-jyutping", "fa-latn", "qu",
             "chr-us-qaaa-x-west"}


class FormantEngine:
    """espeak-ng behind the engine protocol."""

    id = "formant"
    exact = False
    frame = 0.0

    def reading(self, language: str, words: str) -> str:
        return ""

    def __init__(self, data: Path | None = None) -> None:
        # The library has one state for all: threads that read with it take turns. What speaks is a process of its own.
        self._busy = threading.RLock()
        self._transcribed: dict[tuple[str, str], list[SaidWord]] = {}
        self._sounds: dict[str, dict[str, str]] = {}
        try:
            self._lib = library()
        except OSError as error:
            raise EngineError("The formant engine is missing. Install Debian's package libespeak-ng1.") from error
        self._lib.espeak_Info.restype = ctypes.c_char_p
        self._lib.espeak_ListVoices.restype = ctypes.POINTER(ctypes.POINTER(_Voice))
        self._lib.espeak_TextToPhonemes.restype = ctypes.c_char_p
        path = ctypes.c_char_p()
        version = self._lib.espeak_Info(ctypes.byref(path))
        self.version = f"espeak-ng {version.decode().split(' ')[0]}/1"
        shipped = data or _shipped_data(path.value)
        self._data = _data_folder(shipped, self.version)
        self._rate = self._lib.espeak_Initialize(
            SYNCHRONOUS, BUFFER_MS, os.fsencode(self._data.parent), PHONEME_EVENTS_IPA | DONT_EXIT
        )
        if self._rate <= 0:
            raise EngineError("The formant engine did not start from {path}.", path=str(self._data))
        self._process = FormantProcess(str(self._data.parent))
        self._voice = ""
        # Listed once: the library makes its list anew each time, under the feet of any other thread that reads it.
        self._bases = tuple(self._listed())

    def bases(self) -> Sequence[BaseVoice]:
        return self._bases

    def _listed(self) -> list[BaseVoice]:
        found: dict[str, BaseVoice] = {}
        listed = self._lib.espeak_ListVoices(None)
        place = 0
        while listed[place]:
            voice = listed[place].contents
            # One byte of priority, then the first of its tags.
            tag = voice.languages[1:].decode().lower()
            identifier = voice.identifier.decode()
            place += 1
            if {tag, identifier.split("/")[-1].lower()} & _LEFT_OUT or identifier.startswith("mb/"):
                continue
            try:
                locale = _LOCALES.get(tag) or langcodes.standardize_tag(tag)
            except LanguageTagError:
                continue
            found[identifier] = BaseVoice(identifier, locale, voice.name.decode())
        return sorted(found.values(), key=lambda voice: voice.id)

    def lengths(self, utterance: Utterance) -> Lengths | None:
        return None

    def speak(self, utterance: Utterance, seconds: float | None = None) -> Spoken:
        tally("line voiced light")
        try:
            return self._said_by_a_fresh_one(utterance, seconds)
        except OSError as error:
            raise EngineError("The formant engine fell while it said “{words}”.", words=utterance.words[:40]) from error

    def _said_by_a_fresh_one(self, utterance: Utterance, seconds: float | None) -> Spoken:
        """Raises OSError where the library falls twice, or hangs."""
        try:
            with self._process.fresh() as session:
                return self._spoken(session, utterance, seconds)
        except TimeoutError:
            raise
        except OSError:
            # The one that was made ready may have gone with the process that it was of: the next is of a new one.
            with self._process.fresh() as session:
                return self._spoken(session, utterance, seconds)

    def _spoken(self, session: Session, utterance: Utterance, seconds: float | None) -> Spoken:
        if seconds is None:
            return self._speak(session, utterance, self._wpm(utterance, 1.0))
        # The length is nearly, not quite, inverse to the speed: two corrections land within one step of it.
        wpm = self._wpm(utterance, 1.0)
        spoken = self._speak(session, utterance, wpm)
        best = spoken
        for _ in range(3):
            wanted = _clamp_wpm(wpm * _audible(spoken) / seconds)
            if wanted == wpm:
                break
            wpm = wanted
            spoken = self._speak(session, utterance, wpm)
            if abs(_audible(spoken) - seconds) < abs(_audible(best) - seconds):
                best = spoken
        return best

    def transcribe(self, words: str, base: str) -> list[SaidWord]:
        """``words`` as the base voice says them, word by word, in IPA; made without sound that anyone keeps.

        Raises EngineError as :meth:`speak`.
        """
        with self._busy:
            key = (words, base)
            if key not in self._transcribed:
                while len(self._transcribed) >= _MOST_TRANSCRIBED:
                    self._transcribed.pop(next(iter(self._transcribed)))
                self._transcribed[key] = self._transcribe(words, base)
            return list(self._transcribed[key])

    def _transcribe(self, words: str, base: str) -> list[SaidWord]:
        return self._read(words, base) or self._listened(words, base)

    def _read(self, words: str, base: str) -> list[SaidWord]:
        """Where the text is of plain words and the engine says just as many: twenty times quicker than listening to
        it. Else nothing."""
        if not _PLAIN.fullmatch(words) or any(len(word) > _LONGEST_READ for word in words.split()):
            return []
        plain = Utterance(words, base)
        self._choose(base, plain.shaping, plain.delivery)
        said = _SWITCH.sub("", " ".join(self._translated(words))).split()
        written = list(_WORD.finditer(words))
        if len(said) != len(written):
            return []
        return [SaidWord(word.start(), word.end() - word.start(), ipa)
                for word, ipa in zip(written, said, strict=True)]

    def _listened(self, words: str, base: str) -> list[SaidWord]:
        """By the events of a synthesis: numbers, signs and words that run into one another find their place."""
        try:
            with self._process.fresh() as session:
                events = self._synthesised(session, Utterance(words, base), _FASTEST_WPM).events
        except OSError as error:
            raise EngineError("The formant engine fell while it read “{words}”.", words=words[:40]) from error
        self._choose(base, Shaping(), Delivery())
        marks = {mark.at: mark.length for mark in self._word_marks(words, events, 0.0)}
        # The phonemes as events belong to words but carry no stress; those of the translated text are the reverse.
        text = "".join(self._translated(words))
        said: list[SaidWord] = []
        at = length = -1
        begun = cursor = 0
        for kind, _, position, _, symbol in events:
            if kind == EVENT_WORD:
                if position - 1 not in marks:
                    continue
                if at >= 0:
                    said.append(SaidWord(at, length, text[begun:cursor]))
                    begun = cursor
                at, length = position - 1, marks[position - 1]
            elif kind == EVENT_PHONEME and symbol:
                cursor = _after(text, symbol, cursor)
        if at >= 0:
            said.append(SaidWord(at, length, text[begun:]))
        return [SaidWord(word.at, word.length, _without_switches(word.ipa)) for word in said]

    def sounds(self, base: str) -> dict[str, str]:
        """The engine's names of the sounds that this voice can make, by their IPA. Raises EngineError."""
        with self._busy:
            if base not in self._sounds:
                self._sounds[base] = self._heard_sounds(base)
            return self._sounds[base]

    def _heard_sounds(self, base: str) -> dict[str, str]:
        found: dict[str, str] = {}
        voice = f"{base}+{self._variant(Shaping(), Delivery())}"
        try:
            with self._process.fresh() as session:
                for name in phoneme_names(self._data):
                    made = session.synthesise(voice, _FASTEST_WPM, _HEADROOM_VOLUME, f"[[{name}]]".encode(),
                                              _UTF8 | _PHONEMES_TOLD)
                    heard = [event[4] for event in made.events if event[0] == EVENT_PHONEME and event[4]]
                    if len(heard) == 1 and len(name) < len(found.get(heard[0], "#####")):
                        found[heard[0]] = name
        except OSError as error:
            raise EngineError("The formant engine has no voice “{base}”.", base=base) from error
        return found

    def _translated(self, words: str) -> list[str]:
        """IPA clause by clause, for the voice that is chosen."""
        buffer = ctypes.create_string_buffer(words.encode())
        place = ctypes.c_void_p(ctypes.addressof(buffer))
        clauses: list[str] = []
        while place.value:
            ipa = self._lib.espeak_TextToPhonemes(ctypes.byref(place), _UTF8, _IPA)
            clauses.append((ipa or b"").decode("utf-8", "ignore"))
        return clauses

    def _wpm(self, utterance: Utterance, rate: float) -> int:
        return _clamp_wpm(_NORMAL_WPM * utterance.shaping.tempo * utterance.delivery.pace * rate)

    def _synthesised(self, session: Session, utterance: Utterance, wpm: int) -> Synthesis:
        """What the library makes of it, positions being those of the utterance's words. Raises EngineError, OSError."""
        voice = f"{utterance.base}+{self._variant(utterance.shaping, utterance.delivery)}"
        told = {}
        if utterance.phonemes:
            sounds = self.sounds(utterance.base)
            told = {at: (length, names_of(ipa, sounds)) for at, length, ipa in utterance.phonemes}
        text, places = _marked_up(utterance.words, utterance.delivery, told)
        flags = (_SSML if places else 0) | (_PHONEMES_TOLD if told else 0)
        made = session.synthesise(voice, wpm, _HEADROOM_VOLUME, text.encode(), _UTF8 | flags)
        if made.status < 0:
            raise EngineError("The formant engine has no voice “{base}”.", base=utterance.base)
        if made.status:
            raise EngineError("The formant engine refused “{words}” (status {status}).",
                              words=utterance.words[:40], status=made.status)
        if not places:
            return made
        # Positions are of the marked-up text: back to the words'.
        back = [(kind, at, places[min(position, len(places)) - 1] + 1 if position > 0 else position, length, symbol)
                for kind, at, position, length, symbol in made.events]
        # Of sounds that are told the library counts its own names.
        return made._replace(events=[
            (kind, at, position, told.get(position - 1, (length,))[0] if kind == EVENT_WORD else length, symbol)
            for kind, at, position, length, symbol in back])

    def _speak(self, session: Session, utterance: Utterance, wpm: int) -> Spoken:
        made = self._synthesised(session, utterance, wpm)
        samples = np.frombuffer(made.pcm, np.int16).astype(np.float32) / np.float32(32768.0)
        seconds = len(samples) / self._rate
        spoken = Spoken(samples, self._rate, self._word_marks(utterance.words, made.events, seconds),
                        self._phoneme_marks(made.events, seconds))
        return scaled_pauses(spoken, utterance.delivery.pauses)

    def _choose(self, base: str, shaping: Shaping, delivery: Delivery) -> None:
        variant = self._variant(shaping, delivery)
        name = f"{base}+{variant}"
        if name == self._voice:
            return
        self._voice = ""
        if self._lib.espeak_SetVoiceByName(name.encode()) != 0:
            raise EngineError("The formant engine has no voice “{base}”.", base=base)
        self._voice = name

    def _variant(self, shaping: Shaping, delivery: Delivery) -> str:
        text = variant_file(shaping, delivery)
        name = f"jn-{recipe_hash('variant', text=text)[:16]}"
        place = self._data / "voices" / "!v" / name
        if not place.exists():
            handle, half = tempfile.mkstemp(dir=place.parent)
            with os.fdopen(handle, "w") as file:
                file.write(text)
            os.replace(half, place)
        return name

    def _word_marks(self, words: str, events: Sequence[_Event], seconds: float) -> tuple[Mark, ...]:
        found: list[tuple[float, int, int]] = []
        for kind, sample, position, length, _ in events:
            at = position - 1
            if kind != EVENT_WORD or not 0 <= at < len(words):
                continue
            if found and at < found[-1][1] + found[-1][2]:
                continue  # the engine says some numbers and signs in several words of its own
            found.append((sample / self._rate, at, _word_length(words, at, length)))
        ends = [*(start for start, _, _ in found), seconds][1:]
        following = [*(at for _, at, _ in found), len(words)][1:]
        return tuple(Mark(start, max(start, end), at, _with_joined(words, at, length, upto))
                     for (start, at, length), end, upto in zip(found, ends, following, strict=True))

    def _phoneme_marks(self, events: Sequence[_Event], seconds: float) -> tuple[Mark, ...]:
        found = [(sample / self._rate, symbol) for kind, sample, _, _, symbol in events
                 if kind == EVENT_PHONEME]
        ends = [*(start for start, _ in found), seconds][1:]
        return tuple(Mark(start, max(start, end), -1, 0, symbol)
                     for (start, symbol), end in zip(found, ends, strict=True) if symbol)


def _marked_up(words: str, delivery: Delivery, told: Mapping[int, tuple[int, str]]) -> tuple[str, list[int]]:
    """``words`` with what of a delivery is of single words as SSML 1.1, and for each of its characters the place in
    ``words``; the words themselves and nothing where there is none. A gap only adds silence here.

    ``told``: by their start, the length of stretches whose sounds are told, and those in the engine's names.
    """
    if not delivery.emphasis and not delivery.pauses_at and not delivery.marks and not told \
            and not delivery.guide.words:
        return words, []
    before: dict[int, str] = {}
    gaps = [(mark.at, mark.amount) for mark in delivery.marks if mark.kind == "gap" and mark.amount > 0]
    for at, seconds in (*delivery.pauses_at, *gaps):
        before[at] = before.get(at, "") + f'<break time="{round(seconds * 1000)}ms"/>'
    for at, length, amount in delivery.emphasis:
        level = "reduced" if amount < 0 else "strong" if amount > 1 else "moderate"
        before[at] = before.get(at, "") + f'<emphasis level="{level}">'
        before[at + length] = "</emphasis>" + before.get(at + length, "")
    for word in re.finditer(r"\S+", words):
        prosody = _prosody(word.start(), delivery)
        if prosody:
            before[word.start()] = before.get(word.start(), "") + prosody
            before[word.end()] = "</prosody>" + before.get(word.end(), "")
    text, places = "", []
    silent = {place for at, (length, _) in told.items() for place in range(at, at + length)}
    for at in range(len(words) + 1):
        piece = before.get(at, "")
        if at in told:
            piece += f"[[{html.escape(told[at][1], quote=False)}]]"
        elif at < len(words) and at not in silent:
            piece += html.escape(words[at], quote=False)
        text += piece
        places += [at] * len(piece)
    return text, places


def _prosody(at: int, delivery: Delivery) -> str:
    """The element that holds what is directed of the word at ``at``; "" for nothing."""
    rate = span = 1.0
    lift = level = 0.0
    for mark in delivery.marks:
        if not mark.at <= at < mark.at + mark.length:
            continue
        if mark.kind == "pace":
            rate *= mark.amount
        elif mark.kind == "range":
            span *= mark.amount
        elif mark.kind == "level":
            level += mark.amount
        elif mark.kind == "lift":
            lift += mark.amount
    for word in delivery.guide.words:
        if word.at <= at < word.at + word.length and word.melody:
            lift += delivery.guide.melody * sum(word.melody) / len(word.melody)
    told = [f'{name}="{100 * factor:.0f}%"' for name, factor in (
        ("rate", rate), ("range", span), ("pitch", 2 ** (lift / 12)), ("volume", 10 ** (level / 20)))
        if abs(factor - 1.0) > 0.005]
    return f"<prosody {' '.join(told)}>" if told else ""


def _with_joined(words: str, at: int, length: int, upto: int) -> int:
    """The engine says some words in one with the next ("has been"): a mark covers both."""
    rest = words[at + length: upto]
    if not any(ch.isalnum() for ch in rest):
        return length
    return length + len(re.sub(r"[\W_]+$", "", rest))


_PLAIN = regex.compile(r"[\p{Latin}\p{Greek}\p{Cyrillic}\p{Devanagari}\p{Arabic}\p{M}\s.,;:!?¡¿…“”„«»‹›\"'’()—–،؟।]+")
"""Letters of scripts that put spaces between words, and marks that are not said."""
_WORD = regex.compile(r"[\p{L}\p{M}]+(?:['’][\p{L}\p{M}]+)*")
_SWITCH = re.compile(r"\([a-z-]+\)")


def _without_switches(ipa: str) -> str:
    """The engine notes in brackets where it goes over to another language and back."""
    return _SWITCH.sub("", ipa).strip()


def _after(text: str, symbol: str, cursor: int) -> int:
    """The place in ``text`` after the next ``symbol``, passing over stress marks, spaces and what is written
    otherwise there; the same place where it does not come soon."""
    found = text.find(symbol, cursor, cursor + len(symbol) + 8)
    if found < 0:
        return cursor
    end = found + len(symbol)
    while end < len(text) and text[end] in "ːʲ̃":
        end += 1
    return end


def _word_length(words: str, at: int, length: int) -> int:
    """The engine ends a word at an apostrophe ("don't"); a reader does not."""
    match = re.match(r"['’]\w+", words[at + length:])
    return max(1, min(length + (len(match[0]) if match else 0), len(words) - at))


def variant_file(shaping: Shaping, delivery: Delivery) -> str:
    """The engine's variant file for a shaping and a delivery."""
    pitch = _PITCH_SET * shaping.pitch_hz * 2 ** (delivery.pitch / 12)
    # The engine's melody runs between two pitches; its middle sits about a third of the way up.
    spread = 0.42 * shaping.melody * delivery.melody
    low, high = pitch * (1 - spread / 3), pitch * (1 + spread * 2 / 3)
    rows = ["language variant", "name janoglot", f"pitch {round(low)} {round(high)}"]
    if shaping.source:
        rows.append(f"klatt {int(shaping.source.removeprefix('klatt') or 1)}")
    if shaping.roughness:
        rows += [f"roughness {round(7 * shaping.roughness)}", f"flutter {round(30 * shaping.roughness)}"]
    tract = 100 * shaping.tract
    for formant in range(9):
        # High formants carry the tilt; the lowest one follows the vocal tract less than the others do.
        scale = 100 + (tract - 100) * (0.7 if formant < 2 else 1.0)
        height = 100 * 10 ** (shaping.tilt_db * (0.0, 0.0, 0.35, 0.8, 1, 1, 1, 1, 1)[formant] / 20)
        rows.append(f"formant {formant} {round(scale)} {round(max(10, min(250, height)))} 100")
    if shaping.breath:
        amounts = [round(shaping.breath * share) for share in (0, 30, 40, 44, 44, 44, 36, 36)]
        rows.append("breath " + " ".join(map(str, amounts)))
        rows.append(f"voicing {round(100 - 30 * shaping.breath)}")
    if delivery.manner.whisper >= WHISPERED:
        rows += ["voicing 5", "breath 75 75 60 40 15 10", "breathw 150 150 200 200 400 400", "consonants 50 50"]
    return "\n".join(rows) + "\n"


def _audible(spoken: Spoken) -> float:
    """Seconds from the first to the last sample that can be heard."""
    start, end = audible_span(spoken.samples, spoken.rate)
    return max(0.05, (end - start) / spoken.rate)


def _clamp_wpm(wpm: float) -> int:
    return max(_SLOWEST_WPM, min(_FASTEST_WPM, round(wpm)))


def _shipped_data(named: bytes | None) -> Path:
    if named and (Path(os.fsdecode(named)) / "phontab").exists():
        return Path(os.fsdecode(named))
    for pattern in ("/usr/lib/*/espeak-ng-data", "/usr/share/espeak-ng-data"):
        for place in Path("/").glob(pattern[1:]):
            if (place / "phontab").exists():
                return place
    raise EngineError("The formant engine's data is missing. Install Debian's package espeak-ng-data.")


@cache
def _data_folder(shipped: Path, version: str) -> Path:
    """A data folder of ours: links to everything shipped, and a folder of variants that is our own."""
    root = Path(os.environ.get("JANOGLOT_VAR") or Path.home() / ".cache" / "janoglot")
    folder = root / "espeak" / recipe_hash("data", shipped=str(shipped), version=version)[:12] / "espeak-ng-data"
    if (folder / "phontab").exists():
        return folder
    folder.parent.mkdir(parents=True, exist_ok=True)
    half = Path(tempfile.mkdtemp(dir=folder.parent))
    for entry in shipped.iterdir():
        if entry.name != "voices":
            (half / entry.name).symlink_to(entry)
    (half / "voices" / "!v").mkdir(parents=True)
    half.chmod(0o755)
    try:
        half.rename(folder)
    except OSError:
        # Another process was first; its folder is as good.
        if not (folder / "phontab").exists():
            raise
    return folder


