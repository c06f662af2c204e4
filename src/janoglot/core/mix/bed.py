"""The source's own sound under the dub: kept, muted or ducked, its voices taken out, cleaned of noise; part by part,
and held where the picture is held."""

from __future__ import annotations

import math
import os
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from janoglot.core.audio.noise import without_noise
from janoglot.core.mix.cues import BedUse, Duck, Layer
from janoglot.core.mix.sides import RATE, Floats32, Strip
from janoglot.core.mix.speech_filter import speech_filter
from janoglot.core.mix.under import Curve, Sound, Spans, deepened, ducking

BED_VERSION = 2
SOURCE_LAYER = "source"
"""What the layer of the source's sound goes by."""
_EDGE = 0.04
"""Seconds over which a piece of it comes and goes."""
_GATE = Duck(60.0, lead=0.08, hold=0.25, release=0.12)
_MARGIN = 0.12
"""Seconds around a line of the source within which its voice is looked for."""
_LEAD = 1.0
_STRETCH = 30 * RATE
_MOST_AT_ONCE = 4


@dataclass(frozen=True, slots=True)
class BedPiece:
    """A stretch of the source's sound: ``start`` in the programme, ``source`` in the recording, seconds."""

    start: float
    source: float
    seconds: float
    use: BedUse


@dataclass(frozen=True, slots=True)
class PlannedBed:
    """The bed of one edition: the recording's ``key``, whether it is ``clean`` of voices already, its pieces;
    ``speech``: when the source speaks, in the recording; ``holds`` of the picture, in the source."""

    key: str
    clean: bool
    level_db: float
    pieces: list[BedPiece]
    speech: list[tuple[float, float]]
    holds: list[tuple[float, float]]

    def as_json(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_json(cls, told: Mapping[str, Any]) -> PlannedBed:
        """Raises KeyError, TypeError for one of another version."""
        return cls(**{**told, "pieces": [BedPiece(**piece) for piece in told["pieces"]],
                      "speech": [tuple(one) for one in told["speech"]], "holds": [tuple(one) for one in told["holds"]]})

    @property
    def uses(self) -> set[BedUse]:
        """What has to be made of the recording: what is clean already is used as it is."""
        return {piece.use for piece in self.pieces}

    def in_programme(self, moment: float) -> float:
        """When a moment of the source comes in the edition."""
        return moment + sum(seconds for at, seconds in self.holds if at < moment)


def bed_pieces(regions: Sequence[tuple[float, float, BedUse]], holds: Sequence[tuple[float, float]],
               offset: float = 0.0) -> list[BedPiece]:
    """``regions`` of the programme by what is wanted there (start, end, use), cut where the picture is held (``holds``:
    when in the source, and for how long): while it stands, the source's sound rests. ``offset``: how much later the
    recording is than the picture."""
    pieces = []
    for start, end, use in regions:
        if use == "off":
            continue
        at = start
        for moment, held in _rests(holds):
            if moment + held <= at or moment >= end:
                continue
            if moment > at:
                pieces.append((at, moment, use))
            at = min(end, moment + held)
        if at < end:
            pieces.append((at, end, use))
    made = []
    for start, end, use in pieces:
        source = start - sum(held for moment, held in _rests(holds) if moment < start) + offset
        late = max(0.0, -source)
        if end - start - late > 0.01:
            made.append(BedPiece(start + late, source + late, end - start - late, use))
    return made


def _rests(holds: Sequence[tuple[float, float]]) -> Iterator[tuple[float, float]]:
    """When in the programme the picture stands, and for how long."""
    before = 0.0
    for at, seconds in holds:
        yield at + before, seconds
        before += seconds


_LEVEL: Curve = (np.array([0.0]), np.array([0.0]))


class BedTrack:
    """The bed of one edition. ``sounds``: the recording by what is wanted of it, all of the same length; ``lufs``: its
    own loudness, which is brought to ``target``. ``source_speech`` and ``speech``: when the source and the dub speak,
    in the programme."""

    voice = False
    channels = 2
    name = SOURCE_LAYER

    def __init__(self, layer: Layer, pieces: Sequence[BedPiece], sounds: Mapping[BedUse, Sound], lufs: float,
                 target: float, source_speech: Spans, speech: Spans,
                 deeper: Sequence[tuple[float, float, float]] = ()) -> None:
        """``deeper``: start and end in seconds, and dB that it gives way there, whatever is wanted of it."""
        self.layer = layer
        self.strip = Strip(layer.level_db, layer.pan, layer.mute, layer.solo)
        self._pieces = pieces
        self._sounds = sounds
        self._gain_db = target - lufs
        self._ducked = deepened(ducking(speech, layer.duck), deeper)
        self._gated = deepened(ducking(source_speech, _GATE), deeper)
        self._plain = deepened(_LEVEL, deeper) if deeper else None

    @property
    def curve(self) -> Curve:
        return self._ducked

    def _curve_of(self, piece: BedPiece) -> Curve | None:
        return self._gated if piece.use == "mute" else self._ducked if piece.use == "duck" else self._plain

    def _between(self, first: int, last: int) -> list[BedPiece]:
        return [piece for piece in self._pieces if piece.use in self._sounds
                and piece.start * RATE < last and (piece.start + piece.seconds) * RATE > first]

    def content(self, first: int, last: int) -> Any:
        found = []
        for piece in self._between(first, last):
            curve = self._curve_of(piece)
            bends = None
            if curve is not None:
                times, gains = curve
                inside = (times * RATE > first) & (times * RATE < last)
                edges = np.interp([first / RATE, last / RATE], times, gains)
                bends = [edges.tolist(), np.round(times[inside] - first / RATE, 5).tolist(), gains[inside].tolist()]
            found.append([self._sounds[piece.use].key, round(piece.start * RATE) - first, round(piece.source * RATE),
                          round(piece.seconds, 4), self._gain_db, bends])
        return [BED_VERSION, found] if found else None

    def piece(self, first: int, last: int) -> Floats32:
        block = np.zeros((last - first, 2), np.float32)
        for piece in self._between(first, last):
            sound, start = self._sounds[piece.use], round(piece.start * RATE)
            length = min(round(piece.seconds * RATE), sound.frames - round(piece.source * RATE))
            low, high = max(start, first), min(start + length, last)
            if low >= high:
                continue
            source = round(piece.source * RATE) + low - start
            read = sound.read(source, source + high - low)
            sides = read if read.ndim == 2 else np.repeat(read[:, None], 2, 1) * np.float32(math.sqrt(0.5))
            places = np.arange(low, high)
            edge = _EDGE * RATE
            gain = np.clip(np.minimum((places - start + 1) / edge, (start + length - places) / edge), 0.0, 1.0)
            gain = np.sin(gain * math.pi / 2) * 10 ** (self._gain_db / 20)
            curve = self._curve_of(piece)
            if curve is not None:
                gain = gain * 10 ** (np.interp(places / RATE, *curve) / 20)
            block[low - first: high - first] += sides * gain[:, None].astype(np.float32)
        return block


def write_without_voices(source: Path, to: Path, speech: Spans) -> None:
    """A recording at 48 kHz with what is spoken in some stretches (seconds) taken out, as FLAC; elsewhere it is as it
    was. Raises SpeechFilterMissing.

    A voice is taken out of what both sides have in common, where it nearly always is. Stretches are worked on side by
    side: the network runs outside the interpreter's lock.
    """
    spans = _merged([(max(0.0, start - _MARGIN), end + _MARGIN) for start, end in speech])
    at_once = min(_MOST_AT_ONCE, os.cpu_count() or 1)
    with (
        soundfile.SoundFile(to, "w", RATE, 2, "PCM_24", format="FLAC") as out,
        ThreadPoolExecutor(at_once) as pool,
    ):
        coming: deque[Future[Floats32]] = deque()
        for first in range(0, soundfile.info(source).frames, _STRETCH):
            coming.append(pool.submit(_stretch_without_voices, source, spans, first))
            if len(coming) > at_once:
                out.write(coming.popleft().result())
        for block in coming:
            out.write(block.result())


def _stretch_without_voices(source: Path, spans: Spans, first: int) -> Floats32:
    with soundfile.SoundFile(source) as file:
        last = min(first + _STRETCH, file.frames)
        file.seek(first)
        block = file.read(last - first, dtype="float32", always_2d=True)
        block = block[:, :2] if block.shape[1] > 1 else np.repeat(block, 2, 1)
        inside = [(start, end) for start, end in spans if round(start * RATE) < last and round(end * RATE) > first]
        if not inside:
            return np.asarray(block)
        # One network for each stretch, however many of them are worked on at once: the outcome is always the same.
        with speech_filter() as network:
            for start, end in inside:
                low, high = max(first, round(start * RATE)), min(last, round(end * RATE))
                begin = max(0, low - round(_LEAD * RATE))
                file.seek(begin)
                heard = file.read(high - begin, dtype="float32", always_2d=True).mean(axis=1)
                found = network.speech_in(np.asarray(heard, np.float32))[low - begin:]
                size = min(len(found) // 2, round(0.08 * RATE))
                if size:
                    # Softly in and out, where the stretch itself begins and ends.
                    rising = np.sin(np.linspace(0, math.pi / 2, size, dtype=np.float32)) ** 2
                    if low == round(start * RATE):
                        found[:size] *= rising
                    if high == round(end * RATE):
                        found[-size:] *= rising[::-1]
                block[low - first: high - first] -= found[:, None]
        return np.asarray(block)


def write_without_noise(source: Path, to: Path) -> None:
    """A recording with its steady noise taken down, as FLAC: a stretch at a time, each with a second around it."""
    with soundfile.SoundFile(source) as file, soundfile.SoundFile(to, "w", RATE, 2, "PCM_24", format="FLAC") as out:
        for first in range(0, file.frames, 2 * _STRETCH):
            last = min(first + 2 * _STRETCH, file.frames)
            begin, end = max(0, first - RATE), min(file.frames, last + RATE)
            file.seek(begin)
            block = file.read(end - begin, dtype="float32", always_2d=True)
            made = without_noise(block[:, :2] if block.shape[1] > 1 else np.repeat(block, 2, 1), RATE)
            out.write(made[first - begin: last - begin])


def _merged(spans: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    made: list[tuple[float, float]] = []
    for start, end in sorted(spans):
        if made and start <= made[-1][1] + _LEAD / 2:
            made[-1] = (made[-1][0], max(end, made[-1][1]))
        else:
            made.append((start, end))
    return made
