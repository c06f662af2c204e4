"""The sounds under an edition's voices: cues placed by where its lines lie, and the sounds that they name found or
made."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from janoglot.core.audio.loudness import LoudnessMeter, measure
from janoglot.core.edition.plan import MixPlan
from janoglot.core.errors import BadInput
from janoglot.core.graph import recipe_hash
from janoglot.core.media.source import look_at, stereo_copy
from janoglot.core.mix.bed import (
    BED_VERSION,
    SOURCE_LAYER,
    BedTrack,
    PlannedBed,
    write_without_noise,
    write_without_voices,
)
from janoglot.core.mix.blocks import BlockMix, BlockMixer, BlockStore, Track
from janoglot.core.mix.clarity import clarity
from janoglot.core.mix.cues import BED_USES, BedUse, Duck, Layer, PlacedCue
from janoglot.core.mix.programme import VoiceTrack, check_target
from janoglot.core.mix.recut import MOST_JOINS, RECUT_VERSION, Beats, Recut, beats_of, cut, proposals
from janoglot.core.mix.sides import RATE, Floats32, Strip
from janoglot.core.mix.synthesis.composing import compose, composition_key, composition_of
from janoglot.core.mix.synthesis.describing import described
from janoglot.core.mix.synthesis.library import Part, generator_named, make_sound, sound_key
from janoglot.core.mix.under import CueSound, FileSound, Sound, Spans, sound_at_rate, under_tracks
from janoglot.core.store import Store, one_at_a_time

_MADE_SECONDS = 24.0
"""Of a made sound that goes on: it is looped."""
_FITTING = 0.6
"""The share of the work, at the first mix, that bringing takes to their lengths is."""
_KEPT = 12
"""Sounds that are kept while a programme is made."""


class Sounds:
    """Finds the sounds of cues: files by a path from ``folder``, those that are made from a description or composed,
    and those of a library, which ``kept`` gives by their numbers. What is made is kept in ``store``, and cut music
    too."""

    def __init__(self, folder: Path | None, store: Store, kept: Callable[[int], Sound] | None = None,
                 recording: Callable[[str, bool], Path | None] | None = None, make_beds: bool = True) -> None:
        """Without a ``folder`` there are no files. ``recording`` gives the source's sound at 48 kHz by its key, made
        where it may be; without ``make_beds`` what takes long to be made of it is left out until it is there."""
        self._folder = folder
        self._store = store
        self._kept = kept
        self._recording = recording
        self._make_beds = make_beds
        self.missing = False
        """Whether something was left out that is still to be made."""
        self._known: dict[str, Sound] = {}

    def of(self, placed: PlacedCue) -> Sound:
        """Raises BadInput, naming what is missing."""
        sound = self.named(placed.cue.source)
        if placed.cue.fit and placed.lasts:
            cut = placed.cue.source.get("cut", 0)
            return self.cut(placed.cue.source, round(placed.lasts, 2), cut if isinstance(cut, int) else 0)
        return sound

    def named(self, source: Mapping[str, Any]) -> Sound:
        """Raises BadInput."""
        return self._remembered(recipe_hash("source", source=dict(source)), lambda: self._found(source))

    def _remembered(self, key: str, find: Callable[[], Sound]) -> Sound:
        if key not in self._known:
            while len(self._known) >= _KEPT:
                self._known.pop(next(iter(self._known)))
            self._known[key] = find()
        return self._known[key]

    def _found(self, source: Mapping[str, Any]) -> Sound:
        number = source.get("number", 0)
        number = number if isinstance(number, int) else 0
        if source.get("made"):
            parts, seconds = made_parts(source), _seconds(source)
            lasts = seconds or max(_MADE_SECONDS if not generator_named(part.sound).once
                                   else generator_named(part.sound).seconds for part in parts)
            return self._made(sound_key(parts, lasts, number), lambda: make_sound(parts, lasts, number), True)
        if source.get("composed"):
            piece = composition_of(source["composed"])
            return self._made(composition_key(piece, number), lambda: compose(piece, number), False)
        if source.get("kept"):
            if self._kept is None or not isinstance(source["kept"], int):
                raise BadInput("There is no library of sounds here: name a “file”.")
            return self._kept(source["kept"])
        if self._folder is None:
            raise BadInput("There is no sound at {place}.", place=str(source.get("file"))[:80])
        return _read(self._folder / str(source["file"]))

    def _made(self, key: str, make: Callable[[], Floats32], round_: bool) -> Sound:
        """A sound by its key, made where it is missing."""
        with one_at_a_time(key):
            if not (self._store.has(f"{key}.flac") and self._store.has(f"{key}.json")):
                samples = make()
                facts = {"frames": len(samples), "lufs": measure(samples, RATE, peaks=False).integrated}
                self._store.write(
                    f"{key}.flac", lambda place: soundfile.write(place, samples, RATE, subtype="PCM_24", format="FLAC")
                )
                self._store.write(f"{key}.json", partial(_write_json, facts))
        facts = json.loads(self._store.path(f"{key}.json").read_text())
        return FileSound(self._store.path(f"{key}.flac"), facts["frames"], facts["lufs"], round_, key)

    def cuts(self, source: Mapping[str, Any], wanted: float, most: int = MOST_JOINS) -> list[Recut]:
        """Ways to bring the music of a source to a length. Raises BadInput."""
        sound = self.named(source)
        key = f"{recipe_hash('beats', sound=sound.key, version=RECUT_VERSION)}.beats"
        with one_at_a_time(key):
            if not self._store.has(key):
                found = beats_of(sound.read(0, sound.frames))
                self._store.write(key, found.write)
        return proposals(Beats.read(self._store.path(key)), wanted, most)

    def cut(self, source: Mapping[str, Any], wanted: float, which: int = 0, most: int = MOST_JOINS) -> Sound:
        """The music of a source at a length, by one of the ways to bring it there. Where there is none it is as it
        is."""
        sound = self.named(source)
        key = recipe_hash("cut", sound=sound.key, wanted=wanted, which=which, most=most, version=RECUT_VERSION)

        def find() -> Sound:
            try:
                ways = self.cuts(source, wanted, most)
            except BadInput:
                return sound
            way = ways[min(max(0, which), len(ways) - 1)]
            return self._made(key, lambda: cut(sound.read(0, sound.frames), way), False)

        return self._remembered(key, find)

    def bed(self, bed: PlannedBed, layer: Layer | None, target: float, voices: Spans,
            deeper: Sequence[tuple[float, float, float]] = ()) -> BedTrack | None:
        """What lies under an edition of the source's own sound. Raises SpeechFilterMissing, FileNotFoundError."""
        if self._recording is None:
            return None
        place = self._recording(bed.key, self._make_beds)
        if place is None:
            self.missing = True
            return None
        raw = self._bed_file(recipe_hash("bed", key=bed.key, version=BED_VERSION), lambda to: _linked(place, to), True)
        assert raw is not None
        sounds: dict[BedUse, Sound] = dict.fromkeys(("keep", "mute", "duck"), raw)
        if bed.clean:
            # Nobody speaks in it: there is nothing to mute, and nothing to take out.
            sounds = dict.fromkeys(BED_USES, raw)
        for use, write in (("voices out", partial(write_without_voices, place, speech=bed.speech)),
                           ("clean", partial(write_without_noise, place))):
            if use in bed.uses and not (bed.clean and use == "voices out"):
                speech = bed.speech if use == "voices out" else None
                key = recipe_hash("bed", key=bed.key, use=use, speech=speech, version=BED_VERSION)
                made = self._bed_file(key, write, self._make_beds)
                if made:
                    sounds[use] = made
                else:
                    sounds.pop(use, None)
                    self.missing = True
        spoken = [(bed.in_programme(start), bed.in_programme(end)) for start, end in bed.speech]
        layer = layer or Layer(SOURCE_LAYER, "bed", 0.0, duck=Duck(12.0))
        return BedTrack(replace(layer, level_db=layer.level_db + bed.level_db), bed.pieces, sounds, raw.lufs, target,
                        spoken, voices, deeper)

    def _bed_file(self, key: str, write: Callable[[Path], None], make: bool) -> Sound | None:
        if not (self._store.has(f"{key}.flac") and self._store.has(f"{key}.json")):
            if not make:
                return None
            self._store.write(f"{key}.flac", write)
            meter = LoudnessMeter(RATE, peaks=False, channels=2)
            with soundfile.SoundFile(self._store.path(f"{key}.flac")) as file:
                for block in file.blocks(10 * RATE, dtype="float32", always_2d=True):
                    meter.add(block if block.shape[1] == 2 else np.repeat(block, 2, 1))
                facts = {"frames": file.frames, "lufs": meter.integrated}
            self._store.write(f"{key}.json", partial(_write_json, facts))
        facts = json.loads(self._store.path(f"{key}.json").read_text())
        return FileSound(self._store.path(f"{key}.flac"), facts["frames"], facts["lufs"], False, key)


def made_parts(source: Mapping[str, Any]) -> tuple[Part, ...]:
    """What a made sound is of: its own ``parts``, or what is understood of its description. Raises BadInput."""
    told = source.get("parts")
    if isinstance(told, list) and told:
        parts = []
        for one in told:
            row = one if isinstance(one, dict) else {}
            settings, level = row.get("settings"), row.get("level_db", 0.0)
            part = Part(str(row.get("sound")), dict(settings) if isinstance(settings, dict) else {},
                        float(level) if isinstance(level, int | float) else 0.0)
            generator_named(part.sound).settings(part.settings)
            parts.append(part)
        return tuple(parts)
    found = described(str(source["made"])).parts
    if not found:
        raise BadInput("Nothing of “{what}” is a sound that can be made here.", what=str(source["made"])[:60])
    return found


def _seconds(source: Mapping[str, Any]) -> float | None:
    seconds = source.get("seconds")
    return (
        float(seconds) if isinstance(seconds, int | float) and not isinstance(seconds, bool) and seconds > 0 else None
    )


def _read(place: Path) -> CueSound:
    if not place.is_file():
        raise BadInput("There is no sound at {place}.", place=str(place))
    facts = look_at(place)
    if not facts.has_sound:
        raise BadInput("There is no sound in {place}.", place=place.name)
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "sound.flac"
        stereo_copy(place, copy, facts.seconds)
        samples, rate = soundfile.read(copy, dtype="float32", always_2d=True)
    samples = sound_at_rate(samples, rate)
    return CueSound(samples, measure(samples, RATE, peaks=False).integrated, key=_file_hash(place))


def tracks_of_plan(plan: MixPlan, store: Store, library: Sounds,
                   tell: Callable[[float], None] = lambda share: None) -> list[Track]:
    """One track for each speaker and each layer under the voices; sounds of lines that are missing are made. Raises
    BadInput for a sound that cannot be had; EngineError, FileNotFoundError as a line's sound does."""
    for one in plan.under:
        # Whatever cannot be had is told before anything is mixed.
        library.of(one)
    clips = []
    for number, line in enumerate(plan.lines, 1):
        clips.append(line.clip(store))
        tell(number / len(plan.lines))
    speakers = list(dict.fromkeys(clip.bus for clip in clips))
    voices: list[Track] = [VoiceTrack(name, [clip for clip in clips if clip.bus == name], plan.target,
                                      plan.strips.get(name, Strip())) for name in speakers]
    deeper = [(line.start, line.end, line.deeper) for line in plan.lines if line.deeper]
    spoken = [(line.start, line.end) for line in plan.lines]
    bed = library.bed(plan.bed, plan.bed_layer, plan.target, spoken, deeper) if plan.bed else None
    beds: list[Track] = [bed] if bed else []
    return [*voices, *under_tracks(plan.under, library.of, plan.target, spoken, deeper), *beds]


def channels_of_plan(plan: MixPlan, tracks: Sequence[Track]) -> int:
    """One where that is wanted and nothing is to a side, or everything has one anyway; else two."""
    to_a_side = any(track.strip.pan for track in tracks) or any(one.cue.pan or one.layer.pan for one in plan.under)
    if plan.mono and not to_a_side:
        return 1
    return 2 if to_a_side else max((track.channels for track in tracks), default=1)


def mix_of_plan(plan: MixPlan, store: Store, library: Sounds, blocks: Callable[[int], BlockStore],
                tell: Callable[[float], None] = lambda share: None) -> tuple[BlockMix, BlockStore, int]:
    """The mix of a plan, the blocks that it is of, and how many of them were made; ``blocks`` gives where they are
    kept, of one channel or two. Raises NothingToMix, and as :func:`tracks_of_plan`."""
    check_target(plan.target)
    tracks = tracks_of_plan(plan, store, library, lambda share: tell(_FITTING * share))
    channels = channels_of_plan(plan, tracks)
    kept = blocks(channels)
    mixer = BlockMixer(tracks, plan.seconds, channels, kept)
    made = mixer.mix(plan.target, lambda share: tell(_FITTING + (1 - _FITTING) * share), plan.dialogue, plan.ceiling_db)
    found = clarity({str(line.line): (line.start, line.end) for line in plan.lines}, mixer.speech, mixer.under)
    made.report.unclear = {line: over for line, over in found.items() if over < plan.clear_lu}
    return made, kept, mixer.made


def _linked(place: Path, to: Path) -> None:
    try:
        os.link(place, to)
    except OSError:
        shutil.copyfile(place, to)


def _write_json(told: Mapping[str, Any], place: Path) -> None:
    place.write_text(json.dumps(told))


def _file_hash(place: Path) -> str:
    with place.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()[:40]
