"""The finished track: every placed take in one file, levelled, at a programme loudness, under a ceiling.

Works through the programme in blocks, with only the takes of the present block in memory.
"""

from __future__ import annotations

import math
import tempfile
from bisect import bisect_left
from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate
from pathlib import Path
from typing import Any

import numpy as np
import soxr

from janoglot.core.audio.edges import soft_edges
from janoglot.core.errors import BadInput, NothingToMix
from janoglot.core.mix.blocks import BlockMixer, MixReport, PassingBlocks, Track, audible
from janoglot.core.mix.limiter import limit
from janoglot.core.mix.rooms import ROOMS_VERSION, RoomName, in_room, response_of, tail_of
from janoglot.core.mix.sides import CEILING, RATE, Floats32, Strip, laid, spread

LINE_HEADROOM = 2.0
"""dB. Each line's own peaks are held this far under the ceiling, so that the programme's final gain, which
is nearly nothing, does not lift them over it."""
USUAL_TARGET = -16.0
"""LUFS: of what is heard online."""
MOST_LIFT = 24.0
"""dB. A take so quiet that it would need more is noise."""
VOICES = "voices"
"""The bus that every line is on."""
_HEARD_LIMITING = 1.5
_MOST_GIVEN_BACK = 4.0
_BLOCK = 2 * RATE
_TOLERANCE = 0.1
_READY = 4
"""Lines that are kept while the blocks that they reach into are summed."""
_SLACK = 0.05
"""Seconds that a sound may be longer than it is said to be."""
_PLAIN = Strip()


@dataclass(frozen=True, slots=True)
class Clip:
    """One placed sound. ``load`` gives float32 samples, shape (n,) or, with ``channels`` 2, (n, 2), and their rate;
    ``lufs`` is its own loudness. ``pan`` runs from −1, left, to 1; ``bus`` names the group that it is levelled with.
    ``room``: where it is heard from, and how much of that; ``fade_out``: seconds. ``key`` names the sound, for blocks
    of it to be kept."""

    start: float
    seconds: float
    lufs: float
    load: Callable[[], tuple[Floats32, int]]
    level_db: float = 0.0
    pan: float = 0.0
    channels: int = 1
    bus: str = VOICES
    room: RoomName | None = None
    amount: float = 1.0
    fade_out: float = 0.0
    key: str = ""

    @property
    def sides(self) -> int:
        """Channels of what is heard of it."""
        return 2 if self.pan or (self.room and response_of(self.room) is not None) else self.channels


def channels_of(clips: Sequence[Clip]) -> int:
    """What a mix of them needs: one channel while everything is in the middle."""
    return max((clip.sides for clip in clips), default=1)


class VoiceTrack:
    """Lines of one speaker, or of all; each clip at ``target`` LUFS."""

    voice = True

    def __init__(self, name: str, clips: Sequence[Clip], target: float, strip: Strip = _PLAIN) -> None:
        self.name = name
        self.strip = strip
        self._clips = sorted(clips, key=lambda one: one.start)
        self._target = target
        self._starts = [round(one.start * RATE) for one in self._clips]
        self._ends = [start + round((one.seconds + _SLACK + (tail_of(one.room) if one.room else 0.0)) * RATE)
                      for start, one in zip(self._starts, self._clips, strict=True)]
        # The furthest that any clip up to each reaches: from there on nothing earlier sounds.
        self._furthest = list(accumulate(self._ends, max))
        self._ready: OrderedDict[int, Floats32] = OrderedDict()

    @property
    def channels(self) -> int:
        return channels_of(self._clips)

    def _between(self, first: int, last: int) -> list[int]:
        found = []
        for number in range(bisect_left(self._starts, last) - 1, -1, -1):
            if self._furthest[number] <= first:
                break
            if self._ends[number] > first:
                found.append(number)
        return found[::-1]

    def content(self, first: int, last: int) -> list[Any] | None:
        found = []
        for number in self._between(first, last):
            one = self._clips[number]
            room = [one.room, one.amount, ROOMS_VERSION] if one.room else None
            found.append([one.key or f"{id(self)}/{number}", self._starts[number] - first, one.level_db, one.pan,
                          self._target, room, one.fade_out])
        return found or None

    def piece(self, first: int, last: int) -> Floats32:
        found = [(number, self._sound(number)) for number in self._between(first, last)]
        channels = max((2 if sound.ndim == 2 else 1 for _, sound in found), default=1)
        made = np.zeros((last - first,) if channels == 1 else (last - first, 2), np.float32)
        for number, sound in found:
            start = self._starts[number]
            low, high = max(start, first), min(start + len(sound), last)
            if low < high:
                made[low - first: high - first] += spread(sound[low - start: high - start], 0.0, channels)
        return made

    def _sound(self, number: int) -> Floats32:
        if number in self._ready:
            self._ready.move_to_end(number)
            return self._ready[number]
        clip = self._clips[number]
        sound = clip_samples(clip, self._target)
        if clip.fade_out:
            size = min(len(sound), round(clip.fade_out * RATE))
            falling = np.cos(np.linspace(0, math.pi / 2, size, dtype=np.float32))
            sound[-size:] *= falling if sound.ndim == 1 else falling[:, None]
        if clip.room:
            mono = sound if sound.ndim == 1 else sound.sum(axis=1) * np.float32(math.sqrt(0.5))
            sound = in_room(mono, clip.room, clip.amount, self._target + clip.level_db)
        if clip.pan:
            sound = spread(sound, clip.pan, 2)
        self._ready[number] = sound
        while len(self._ready) > _READY:
            self._ready.popitem(last=False)
        return sound


def tracks_of(clips: Sequence[Clip], target: float, under: Sequence[Track] = (),
              buses: Mapping[str, float] | None = None) -> list[Track]:
    """Clips by their buses, at these levels (dB; −∞ leaves one out), and what lies under them."""
    levels = buses or {}
    names = list(dict.fromkeys(clip.bus for clip in clips))
    voices = [VoiceTrack(name, [clip for clip in clips if clip.bus == name], target, Strip(levels.get(name, 0.0)))
              for name in names if levels.get(name, 0.0) > -math.inf]
    return [*voices, *under]


def render(clips: Sequence[Clip], seconds: float, target: float, channels: int = 1,
           buses: Mapping[str, float] | None = None, under: Sequence[Track] = ()) -> Iterator[Floats32]:
    """Blocks of the sum of all clips at 48 kHz, each clip at ``target`` LUFS; ``seconds`` long in all. Shape (n,), or
    (n, 2) with two ``channels``. ``buses`` as of :func:`tracks_of`; ``under``: what lies under them."""
    tracks = audible(tracks_of(clips, target, under, buses))
    for first in range(0, round(seconds * RATE), _BLOCK):
        last = min(first + _BLOCK, round(seconds * RATE))
        block = np.zeros((last - first,) if channels == 1 else (last - first, 2), np.float32)
        for track in tracks:
            if track.content(first, last) is not None:
                block += laid(track.piece(first, last), track.strip, channels)
        yield block


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
    clips: Sequence[Clip], seconds: float, place: Path, target: float = USUAL_TARGET,
    progress: Callable[[float], None] | None = None, channels: int | None = None,
    buses: Mapping[str, float] | None = None, under: Sequence[Track] = (), dialogue: bool = False,
) -> MixReport:
    """Write the finished track as 24-bit WAV at 48 kHz, at ``target`` LUFS.

    ``channels`` None is one while everything is in the middle, else two. ``buses`` and ``under`` as of :func:`render`:
    the loudness is that of all together, or with ``dialogue`` of the voices alone.

    Peaks are held to −1 dBTP. The file appears whole or not at all. Source of the measures: ITU-R
    BS.1770-5. Raises NothingToMix where no clip is audible, BadInput for an impossible target.
    """
    check_target(target)
    if not clips:
        raise NothingToMix("There is nothing to mix: no line has been voiced.")
    tell = progress or (lambda share: None)
    count = channels or (2 if under else channels_of(clips))
    with tempfile.TemporaryFile(dir=place.parent) as raw:
        store = PassingBlocks(raw, count)
        made = BlockMixer(tracks_of(clips, target, under, buses), seconds, count, store).mix(
            target, lambda share: tell(0.7 * share), dialogue)
        made.write(place, store)
    tell(1.0)
    return made.report


def can_be_target(target: float) -> bool:
    return -40.0 <= target <= -8.0


def check_target(target: float) -> None:
    """Raises BadInput for a loudness that no programme has."""
    if not can_be_target(target):
        raise BadInput("A programme loudness of {target:g} LUFS is out of range: choose −40 to −8.", target=target)
