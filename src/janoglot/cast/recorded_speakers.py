"""What the speakers of the source recording sound like, by their own lines in it."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import soundfile

from janoglot.core.graph import recipe_hash
from janoglot.core.speech.acoustics import VoiceMeasure, measure_voice
from janoglot.core.speech.speaker_encoder import encoder_missing
from janoglot.productions.models import Media, Production, Speaker
from janoglot.server.storage import media, takes

_SECONDS = 24.0
_LEAST = 0.7
"""How much of a speaker is heard, and the shortest line that is: of shorter ones little is learnt."""
_ENOUGH = 1.5
_VERSION = 1


def _recording(speaker: Speaker) -> Media | None:
    return Media.objects.filter(production=speaker.production_id, played=True, purpose=Media.Purpose.SOURCE).first()


def recorded_key(speaker: Speaker) -> str | None:
    """Names what can be measured of a speaker in the recording, by everything it comes from; None where the recording,
    its copy or enough lines with times are not there."""
    recording = _recording(speaker)
    sound = recording.copies.get("sound") if recording else None
    if sound is None or not media().has(sound):
        return None
    spans = _spans(speaker)
    if sum(end - start for start, end in spans) < _ENOUGH * 1000:
        return None
    return recipe_hash("recorded", sound=sound, spans=spans, ear=not encoder_missing(), version=_VERSION)


def _spans(speaker: Speaker) -> list[tuple[int, int]]:
    """Milliseconds of the speaker's longest lines, as many as are heard."""
    timed = speaker.lines.order_by("id").values_list("start_ms", "end_ms")
    lines = [(start, end) for start, end in timed
             if start is not None and end is not None and end - start >= _LEAST * 1000]
    chosen: list[tuple[int, int]] = []
    left = _SECONDS * 1000
    for start, end in sorted(lines, key=lambda span: (span[0] - span[1], span[0])):
        if left <= 0:
            break
        chosen.append((start, end))
        left -= end - start
    return sorted(chosen)


def recorded_measure(speaker: Speaker) -> VoiceMeasure | None:
    """What was measured of a speaker's own voice; None where nobody has yet, or nothing can be."""
    key = recorded_key(speaker)
    if key is None or not takes().has(f"{key}.json"):
        return None
    told = json.loads(takes().path(f"{key}.json").read_text())
    return VoiceMeasure.from_json(told) if told else None


def keep_recorded_measure(speaker: Speaker) -> None:
    """Measure a speaker in the recording and keep it, where that is missing; also that nobody is heard there."""
    key = recorded_key(speaker)
    recording = _recording(speaker)
    if key is None or recording is None or takes().has(f"{key}.json"):
        return
    pieces = []
    with soundfile.SoundFile(media().path(recording.copies["sound"])) as file:
        rate = file.samplerate
        for start, end in _spans(speaker):
            if start * rate // 1000 < file.frames:
                file.seek(start * rate // 1000)
                pieces.append(file.read((end - start) * rate // 1000, dtype="float32", always_2d=True)[:, 0])
    try:
        measure = measure_voice(np.concatenate(pieces or [np.zeros(1, np.float32)]), rate)
        text = json.dumps(measure.as_json())
    except ValueError:
        text = "null"
    takes().write(f"{key}.json", lambda place: _write(place, text))


def unmeasured_speakers(production: Production) -> list[Speaker]:
    """Speakers of the recording whom nobody has measured yet."""
    if not Media.objects.filter(production=production, played=True, purpose=Media.Purpose.SOURCE).exists():
        return []
    keys = [(speaker, recorded_key(speaker)) for speaker in production.speakers.order_by("position")]
    return [speaker for speaker, key in keys if key is not None and not takes().has(f"{key}.json")]


def _write(place: Path, text: str) -> None:
    place.write_text(text)
