"""The finished track: every placed take in one file, levelled, at a programme loudness, under a ceiling.

Works through the programme in blocks, with only the takes of the present block in memory.
"""

from __future__ import annotations

import math
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Literal

import numpy as np
import numpy.typing as npt
import soundfile
import soxr

from janoglot.core.audio.edges import soft_edges
from janoglot.core.audio.loudness import SILENCE, LoudnessMeter
from janoglot.core.errors import BadInput, NothingToMix
from janoglot.core.mix.limiter import Limiter, limit
from janoglot.core.store import atomic_file

RATE = 48_000
"""Hz. Of every finished track."""
CEILING = -1.0
"""dBTP."""
LINE_HEADROOM = 2.0
"""dB. Each line's own peaks are held this far under the ceiling, so that the programme's final gain, which
is nearly nothing, does not lift them over it."""
TARGETS = (-16.0, -23.0)
"""LUFS: online and podcast practice; EBU R 128."""
MOST_LIFT = 24.0
"""dB. A take so quiet that it would need more is noise."""
VOICES = "voices"
"""The bus that every line is on."""
_HEARD_LIMITING = 1.5
_MOST_GIVEN_BACK = 4.0
_BLOCK = 2 * RATE
_TOLERANCE = 0.1
Floats32 = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Clip:
    """One placed sound. ``load`` gives float32 samples, shape (n,) or, with ``channels`` 2, (n, 2), and their rate;
    ``lufs`` is its own loudness. ``pan`` runs from −1, left, to 1; ``bus`` names the group that it is levelled with."""

    start: float
    seconds: float
    lufs: float
    load: Callable[[], tuple[Floats32, int]]
    level_db: float = 0.0
    pan: float = 0.0
    channels: int = 1
    bus: str = VOICES


@dataclass(frozen=True, slots=True)
class MixReport:
    """What was measured of the finished track itself."""

    seconds: float
    lufs: float
    true_peak_db: float
    gain_db: float
    limited_db: float
    short_term: list[float] = field(default_factory=list)


def channels_of(clips: Sequence[Clip]) -> int:
    """What a mix of them needs: one channel while everything is in the middle."""
    return 2 if any(clip.channels == 2 or clip.pan for clip in clips) else 1


Layout = Literal["WAV", "FLAC", "MP3"]
_SUBTYPES = {"WAV": "PCM_24", "FLAC": "PCM_24", "MP3": "MPEG_LAYER_III"}


def render(clips: Sequence[Clip], seconds: float, target: float, channels: int = 1,
           buses: Mapping[str, float] | None = None) -> Iterator[Floats32]:
    """Blocks of the sum of all clips at 48 kHz, each clip at ``target`` LUFS; ``seconds`` long in all. Shape (n,), or
    (n, 2) with two ``channels``. ``buses``: by name, decibels for all that is on one; −∞ leaves it out."""
    shape: tuple[int, ...] = () if channels == 1 else (channels,)
    levels = buses or {}
    clips = [clip for clip in clips if levels.get(clip.bus, 0.0) > -math.inf]
    total = round(seconds * RATE)
    waiting = sorted(clips, key=lambda clip: clip.start)
    sounding: list[tuple[int, Floats32]] = []
    at = next_clip = 0
    while at < total:
        size = min(_BLOCK, total - at)
        block = np.zeros((size, *shape), np.float32)
        while next_clip < len(waiting) and round(waiting[next_clip].start * RATE) < at + size:
            clip = waiting[next_clip]
            samples = spread(clip_samples(clip, target), clip.pan, channels)
            if levels.get(clip.bus):
                samples = _amplified(samples, levels[clip.bus])
            sounding.append((round(clip.start * RATE), samples))
            next_clip += 1
        still = []
        for start, samples in sounding:
            low, high = max(start, at), min(start + len(samples), at + size)
            if low < high:
                block[low - at: high - at] += samples[low - start: high - start]
            if start + len(samples) > at + size:
                still.append((start, samples))
        sounding = still
        yield block
        at += size


def spread(samples: Floats32, pan: float, channels: int) -> Floats32:
    """``samples`` of one channel or two on ``channels``, at ``pan`` (−1 left, 1 right) by the law of constant power: as
    loud wherever it is."""
    if channels == 1:
        return samples if samples.ndim == 1 else np.asarray(samples.sum(axis=1) * np.float32(math.sqrt(0.5)))
    angle = (min(1.0, max(-1.0, pan)) + 1) * math.pi / 4
    sides = np.array([math.cos(angle), math.sin(angle)], np.float32)
    if samples.ndim == 1:
        return np.asarray(samples[:, None] * sides)
    # What has two sides already is balanced, and left alone in the middle.
    return samples if not pan else np.asarray(samples * np.minimum(np.float32(1.0), sides * np.float32(math.sqrt(2))))


def clip_samples(clip: Clip, target: float) -> Floats32:
    """The clip, of as many channels as it has, at 48 kHz and at ``target`` LUFS plus its level, its peaks held, with
    soft edges.

    Everything is done at the rate of the take, which is half of that: the peaks are those of the wave between the
    samples, and stay where they are when it is sampled more often.
    """
    samples, rate = clip.load()
    wanted = target + clip.level_db
    gain = min(wanted - clip.lufs, MOST_LIFT + clip.level_db)
    loud = _amplified(samples, gain)
    limited, reduced = limit(loud, rate, CEILING - LINE_HEADROOM)
    if reduced > _HEARD_LIMITING:
        # What a spiky voice lost with its peaks is given back, or it would be the quietest of the cast. A limiter takes
        # from all frequencies alike, so that energies tell it without weighting them.
        lost = wanted - clip.lufs - gain + 10 * math.log10(_power(loud) / max(_power(limited), 1e-12))
        limited, _ = limit(_amplified(samples, gain + min(max(lost, 0.0), _MOST_GIVEN_BACK)), rate,
                           CEILING - LINE_HEADROOM)
    if rate != RATE:
        limited = soxr.resample(limited, rate, RATE, quality="HQ")
    return soft_edges(limited, RATE)


def _power(samples: Floats32) -> float:
    flat = samples.reshape(-1)
    return float(flat @ flat)


def _amplified(samples: Floats32, gain_db: float) -> Floats32:
    return samples * np.float32(10 ** (gain_db / 20))


def mix_to_file(
    clips: Sequence[Clip], seconds: float, place: Path, target: float = TARGETS[0],
    progress: Callable[[float], None] | None = None, channels: int | None = None,
    buses: Mapping[str, float] | None = None,
) -> MixReport:
    """Mix ``clips`` into ``place`` (24-bit WAV, 48 kHz), ``seconds`` long, at ``target`` LUFS.

    ``channels`` None is one while everything is in the middle, else two. ``buses`` as of :func:`render`.

    Peaks are held to −1 dBTP. The file appears whole or not at all. Source of the measures: ITU-R
    BS.1770-4. Raises NothingToMix where no clip is audible, BadInput for an impossible target.
    """
    if not -40.0 <= target <= -8.0:
        raise BadInput("A programme loudness of {target:g} LUFS is out of range: choose −40 to −8.", target=target)
    if not clips:
        raise NothingToMix("There is nothing to mix: no line has been voiced.")
    tell = progress or (lambda share: None)
    with tempfile.TemporaryFile(dir=place.parent) as raw:
        count = channels or channels_of(clips)
        meter = LoudnessMeter(RATE, peaks=False, channels=count)
        done = 0
        for block in render(clips, seconds, target, count, buses):
            meter.add(block)
            raw.write(block.tobytes())
            done += len(block)
            tell(0.7 * done / (seconds * RATE))
        if meter.integrated <= -100:
            raise NothingToMix("There is nothing to mix: every voiced line is silent.")
        with atomic_file(place) as half:
            report = _finish(raw, half, meter, target)
            tell(1.0)
    return report


def _finish(raw: IO[bytes], place: Path, meter: LoudnessMeter, target: float) -> MixReport:
    """Write the programme with one gain; where people talk at once and peak over the ceiling, limit it too."""
    gain = target - meter.integrated
    peak = _write(raw, place, gain, None, meter.channels)
    if peak.true_peak_db <= CEILING:
        return MixReport(meter.seconds, meter.integrated + gain, peak.true_peak_db, gain, 0.0,
                         [max(SILENCE, value + gain) for value in meter.short_term()])
    for _ in range(3):
        limiter = Limiter(RATE, CEILING, meter.channels)
        after = _write(raw, place, gain, limiter, meter.channels)
        # The limiter takes a little loudness with the peaks: give it back, and look again.
        if abs(after.integrated - target) <= _TOLERANCE:
            break
        gain += target - after.integrated
    return MixReport(after.seconds, after.integrated, after.true_peak_db, gain, limiter.reduced_db,
                     after.short_term())


def _write(raw: IO[bytes], place: Path, gain_db: float, limiter: Limiter | None, channels: int) -> LoudnessMeter:
    gain = np.float32(10 ** (gain_db / 20))
    meter = LoudnessMeter(RATE, loudness=limiter is not None, channels=channels)
    raw.seek(0)
    with soundfile.SoundFile(place, "w", RATE, channels, subtype="PCM_24", format="WAV") as file:
        while data := raw.read(_BLOCK * 4 * channels):
            out = np.frombuffer(data, np.float32) * gain
            out = out if channels == 1 else out.reshape(-1, channels)
            if limiter:
                out = limiter.process(out)
            meter.add(out)
            file.write(as_24_bit(out))
        if limiter:
            out = limiter.flush()
            meter.add(out)
            file.write(as_24_bit(out))
    return meter


def as_24_bit(samples: Floats32) -> npt.NDArray[np.int32]:
    """Rounded to 24 bits in the upper three bytes: many times faster than having the file's library do it.

    In single precision, which has just as many bits: at full scale a value may be one step off, nowhere more.
    """
    scaled = np.clip(samples, -1.0, 1.0)
    scaled *= np.float32(8_388_607)
    whole = np.rint(scaled, out=scaled).astype(np.int32)
    return np.left_shift(whole, 8, out=whole)


@dataclass(frozen=True, slots=True)
class Encoded:
    """What was measured of a file after it was encoded, by decoding it again."""

    lufs: float
    true_peak_db: float
    gain_db: float
    """What it was encoded with to be so."""


def convert(source: Path, place: Path, layout: Layout, lufs: float | None = None) -> Encoded:
    """``source`` (a WAV) again as ``layout``; FLAC holds 24 bits, MP3 a constant rate.

    The file is decoded and measured: encoders turn what they are given down (MP3's takes half a decibel at common
    rates) and let peaks grow. It is encoded again until it is within 0.1 LU of ``lufs`` (the source's own loudness
    where None) and its peaks are under the ceiling, as near as three tries come.
    """
    wanted = measured_file(source)[0] if lufs is None else lufs
    gain, ceiling = 0.0, None
    for _ in range(4):
        with atomic_file(place) as half:
            _encode(source, half, layout, gain, ceiling)
            found, peak = measured_file(half)
        off = wanted - found
        if layout == "FLAC" or (abs(off) <= _TOLERANCE / 2 and peak <= CEILING):
            break
        gain += off
        if peak > CEILING:
            # What the encoder adds to peaks is kept free for it.
            ceiling = (CEILING if ceiling is None else ceiling) - (peak - CEILING) - 0.05
    return Encoded(found, peak, gain)


def measured_file(place: Path) -> tuple[float, float]:
    """Integrated loudness (LUFS) and true peak (dBTP) of a sound file of one channel or two.

    Source: ITU-R BS.1770-4.
    """
    with soundfile.SoundFile(place) as file:
        meter = LoudnessMeter(file.samplerate, channels=file.channels)
        for block in file.blocks(_BLOCK, dtype="float32"):
            meter.add(block)
    return meter.integrated, meter.true_peak_db


def _encode(source: Path, place: Path, layout: Layout, gain_db: float, ceiling: float | None) -> None:
    options = {"compression_level": 0.5, "bitrate_mode": "CONSTANT"} if layout == "MP3" else {}
    gain = np.float32(10 ** (gain_db / 20))
    with soundfile.SoundFile(source) as file, soundfile.SoundFile(
        place, "w", file.samplerate, file.channels, subtype=_SUBTYPES[layout], format=layout, **options
    ) as out:
        limiter = None if ceiling is None else Limiter(file.samplerate, ceiling, file.channels)
        for block in file.blocks(_BLOCK, dtype="float32"):
            block = block * gain
            out.write(limiter.process(block) if limiter else block)
        if limiter:
            out.write(limiter.flush())
