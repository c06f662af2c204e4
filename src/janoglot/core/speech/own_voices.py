"""Voices that somebody has put on this machine, beside ours: each in a file of its own (:mod:`.engines.vits`), or of
Debian's packages for Festival (:mod:`.engines.festival`)."""

from __future__ import annotations

import importlib.util
import json
import logging
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from janoglot.core.errors import EngineError
from janoglot.core.languages import own_name
from janoglot.core.speech.acoustics import measure_voice
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Engine, Shaping, Utterance
from janoglot.core.speech.engines.festival import FestivalEngine
from janoglot.core.speech.engines.vits import NEUTRAL, VitsEngine
from janoglot.core.speech.measures import sentence
from janoglot.core.speech.voices import Voice, register_of
from janoglot.core.speech.weights import weights_root

log = logging.getLogger(__name__)

_UNKNOWN = "of your own file: not known here"
_FREE = ("mit", "apache", "bsd", "cc0", "public domain", "cc-by-4", "cc by 4", "unlicense")
"""Words of licences that allow commercial use; of any other nothing is said."""


def own_voices() -> Iterator[Voice]:
    """Every voice in the folders that are looked through, as far as what runs them is here, and Festival's."""
    yield from _files()
    festival = engine_named(FestivalEngine.id)
    assert isinstance(festival, FestivalEngine)
    for voice in festival.voices.values():
        pitch = _own_pitch(festival, voice.id, voice.locale)
        if pitch is not None:
            yield Voice(f"festival-{voice.id.replace('_', '-')}", voice.name, festival.id, voice.id, voice.locale,
                        own_name(voice.locale), register_of(pitch), "30s", Shaping(NEUTRAL),
                        voice.licence or "as its package says", True if voice.licence else None, voice.licence_at)


def _files() -> Iterator[Voice]:
    if importlib.util.find_spec("onnxruntime") is None:
        return
    engine = engine_named(VitsEngine.id)
    assert isinstance(engine, VitsEngine)
    for base in engine.bases():
        file = engine.files[base.id.partition("#")[0]]
        name = f"{file.name} {base.name}" if "#" in base.id else file.name
        pitch = _own_pitch(engine, base.id, base.locale)
        if pitch is None:
            continue
        licence = file.licence.lower()
        free = any(word in licence for word in _FREE) and "nc" not in licence.split("-")
        yield Voice(f"own-{name.lower().replace(' ', '-')}", name, engine.id, base.id, base.locale,
                    own_name(base.locale), register_of(pitch), "30s", Shaping(NEUTRAL), file.licence or _UNKNOWN,
                    True if free else None, file.licence_at)


def _own_pitch(engine: Engine, base: str, locale: str) -> float | None:
    """The middle of its melody, heard once and kept; None for a voice that says nothing."""
    place = weights_root() / "voices-heard.json"
    known: dict[str, float] = {}
    with suppress(OSError, ValueError):
        known = json.loads(place.read_text())
    if base not in known:
        try:
            spoken = engine.speak(Utterance(sentence(locale), base, Shaping(NEUTRAL), language=locale))
            known[base] = round(measure_voice(spoken.samples, spoken.rate).pitch_hz, 1)
        except (EngineError, ValueError) as error:
            log.warning("a voice says nothing", extra={"voice": base, "why": str(error)[:200]})
            return None
        _keep(place, known)
    return known[base]


def _keep(place: Path, known: dict[str, float]) -> None:
    # Where nothing can be kept it is heard again the next time.
    with suppress(OSError):
        place.parent.mkdir(parents=True, exist_ok=True)
        half = place.with_suffix(".half")
        half.write_text(json.dumps(known, indent=0))
        half.replace(place)
