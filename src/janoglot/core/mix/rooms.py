"""Where a voice is heard from: rooms, distances and devices, by impulse responses and filters that are reckoned here.

A room is a box: its early echoes are those of the image-source method (Allen and Berkley, *Image method for efficiently
simulating small-room acoustics*, JASA 65, 1979), heard by two ears a hand's breadth apart; what comes after them is
noise that dies away by bands (Moorer, *About this reverberation business*, CMJ 3, 1979). Devices are bands and a bend
of the wave. Nothing of it is recorded anywhere.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, get_args

import numpy as np
import numpy.typing as npt
from scipy import signal

from janoglot.core.audio.loudness import measure

RATE = 48_000
Floats32 = npt.NDArray[np.float32]
RoomName = Literal["near", "across the room", "next door", "outside", "hall", "stairwell", "telephone", "two-way radio",
                   "loudspeaker", "in the head"]
ROOM_NAMES: tuple[RoomName, ...] = get_args(RoomName)
ROOMS_VERSION = 1
"""Of the way that rooms are reckoned: part of what a voice in one is made from."""
_SOUND = 343.0
"""Metres a second."""
_EARS = 0.18
_BANDS = ((125.0, 500.0), (500.0, 2_000.0), (2_000.0, 8_000.0))
"""Hz. Of what dies away."""
_QUIET = -70.0


@dataclass(frozen=True, slots=True)
class Room:
    """``size`` in metres and ``away`` from the voice to who listens; ``reverb``: seconds to −60 dB, of three bands (125
    to 500 Hz, to 2 kHz, to 8 kHz); ``wet_db``: what comes back against what comes straight. ``band``: Hz that pass, by
    a filter of so many ``poles``; ``bend``: how far a device is driven. ``level_db``: against a voice that is near."""

    level_db: float = 0.0
    size: tuple[float, float, float] | None = None
    away: float = 1.0
    reverb: tuple[float, float, float] = (0.0, 0.0, 0.0)
    wet_db: float = 0.0
    band: tuple[float, float] | None = None
    poles: int = 2
    bend: float = 0.0
    echo: tuple[float, float] | None = None
    """Seconds and dB of one thing that stands far away."""
    body_db: float = 0.0
    """How much more of what is under 200 Hz."""


ROOMS: Mapping[RoomName, Room] = {
    "near": Room(0.0, (3.2, 2.8, 2.4), 0.4, (0.18, 0.15, 0.12), -17.0, body_db=2.0),
    "across the room": Room(-4.0, (6.0, 4.5, 2.7), 3.5, (0.55, 0.45, 0.35), -1.0, (90.0, 9_000.0)),
    "next door": Room(-10.0, (5.0, 4.0, 2.6), 3.0, (0.5, 0.3, 0.2), 2.0, (100.0, 650.0), 3),
    "outside": Room(-5.0, band=(110.0, 9_500.0), poles=1, echo=(0.19, -24.0)),
    "hall": Room(-3.0, (26.0, 18.0, 11.0), 8.0, (2.6, 2.2, 1.4), 1.0, (80.0, 10_000.0), 1),
    "stairwell": Room(-3.0, (4.2, 3.4, 13.0), 4.0, (1.9, 1.8, 1.2), 2.0, (90.0, 10_000.0), 1),
    "telephone": Room(-1.0, band=(300.0, 3_400.0), poles=4, bend=0.35),
    "two-way radio": Room(-1.0, band=(420.0, 2_700.0), poles=4, bend=0.8),
    "loudspeaker": Room(-3.0, (32.0, 22.0, 12.0), 14.0, (1.6, 1.8, 1.0), 0.0, (280.0, 6_000.0), 3, bend=0.4),
    "in the head": Room(0.0, (1.4, 1.2, 1.1), 0.3, (0.5, 0.7, 0.6), -9.0, (60.0, 7_000.0), 1, body_db=4.0),
}


def tail_of(name: RoomName) -> float:
    """Seconds that a room goes on after a voice."""
    room = ROOMS[name]
    return max(*room.reverb, room.echo[0] + 0.05 if room.echo else 0.0, 0.05 if room.band else 0.0)


def in_room(samples: Floats32, name: RoomName, amount: float = 1.0, lufs: float | None = None) -> Floats32:
    """A voice at 48 kHz, shape (n,), as it is heard from there: shape (n + tail,), or (n + tail, 2) of what has walls.

    ``amount`` 0 … 1: how much of it. As loud as the voice was (``lufs``; measured where None), and the room's own
    level.
    """
    room = ROOMS[name]
    wanted = measure(samples, RATE, peaks=False).integrated if lufs is None else lufs
    dry = np.pad(samples, (0, round(tail_of(name) * RATE)))
    heard = _through_device(dry, room)
    heard = heard.astype(np.float32)
    response = response_of(name)
    if response is not None:
        heard = np.asarray(signal.oaconvolve(heard[:, None], response, axes=0)[:len(dry)])
    if amount < 1:
        heard = heard * amount + (dry if heard.ndim == 1 else dry[:, None] * math.sqrt(0.5)) * (1 - amount)
    found = measure(heard, RATE, peaks=False).integrated
    if wanted < _QUIET or found < _QUIET:
        return np.asarray(heard, np.float32)
    return np.asarray(heard * 10 ** ((wanted + amount * room.level_db - found) / 20), np.float32)


def _through_device(samples: Floats32, room: Room) -> npt.NDArray[np.float64]:
    heard = samples.astype(np.float64)
    if room.bend:
        # A device that is driven: what is loud is bent, what is quiet comes up.
        scale = max(1e-6, float(np.abs(heard).max()))
        drive = 1 + 9 * room.bend
        heard = np.tanh(drive * heard / scale) / math.tanh(drive) * scale
    if room.band:
        heard = signal.sosfilt(signal.butter(room.poles, room.band, "bandpass", fs=RATE, output="sos"), heard)
    if room.body_db:
        low = signal.sosfilt(signal.butter(1, 200.0, "lowpass", fs=RATE, output="sos"), heard)
        heard = heard + low * (10 ** (room.body_db / 20) - 1)
    if room.echo:
        late, level = round(room.echo[0] * RATE), 10 ** (room.echo[1] / 20)
        heard[late:] += level * heard[:-late]
    return np.asarray(heard)


@lru_cache(maxsize=len(ROOM_NAMES))
def response_of(name: RoomName) -> Floats32 | None:
    """What a room makes of one click, at 48 kHz, for two ears: shape (n, 2); what comes straight is 1 of both together.
    None of what has no walls."""
    room = ROOMS[name]
    if room.size is None:
        return None
    rng = np.random.default_rng(1979)
    sides = np.stack([_of_one_ear(room, ear, rng) for ear in (-_EARS / 2, _EARS / 2)], 1)
    straight = sides[0].copy()
    sides[0] = 0
    energy = float((sides**2).sum())
    sides *= math.sqrt(10 ** (room.wet_db / 10) / max(energy, 1e-12))
    sides[0] = straight / math.hypot(*straight)
    return np.asarray(sides, np.float32)


def _of_one_ear(room: Room, ear: float, rng: np.random.Generator) -> npt.NDArray[np.float64]:
    assert room.size is not None
    size = np.array(room.size)
    listener = size * (0.43, 0.37, 0.45) + (0, ear, 0)
    voice = np.clip(size * (0.43, 0.37, 0.45) + room.away * np.array((0.86, 0.41, 0.3)), 0.1, size - 0.1)
    # By Eyring's formula: what the walls keep of each echo.
    volume, surface = float(np.prod(size)), 2 * float(size[0] * size[1] + size[0] * size[2] + size[1] * size[2])
    kept = math.sqrt(math.exp(-0.161 * volume / (surface * max(0.05, room.reverb[1]))))
    reach = 6
    grid = np.stack(np.meshgrid(*[np.arange(-reach, reach + 1)] * 3, indexing="ij"), -1).reshape(-1, 3)
    images = np.where(grid % 2 == 0, grid * size + voice, (grid + 1) * size - voice)
    away = np.linalg.norm(images - listener, axis=1)
    bounces = np.abs(grid).sum(1)
    first = float(np.linalg.norm(voice - listener))
    length = round(max(room.reverb) * RATE)
    places = np.rint((away - first) / _SOUND * RATE).astype(int)
    gains = kept**bounces * first / away * np.where(bounces % 2, -1.0, 1.0)
    made = np.zeros(length)
    near = (places >= 0) & (places < length)
    np.add.at(made, places[near], gains[near])
    # Echoes crowd until they are one: from there on it is noise, as loud as they were, that dies away by bands.
    crowded = round(min(0.5 * max(room.reverb), 2.2 * volume ** (1 / 3) / _SOUND + 0.012) * RATE)
    if crowded < length - 16:
        reference = float((made[crowded // 2: crowded] ** 2).mean()) * math.exp(
            -6.9 * crowded / 2 / RATE / max(0.05, room.reverb[1]))
        time = np.arange(length) / RATE
        late = np.zeros(length)
        for (low, high), reverb in zip(_BANDS, room.reverb, strict=True):
            band = signal.sosfilt(signal.butter(2, (low, high), "bandpass", fs=RATE, output="sos"),
                                  rng.standard_normal(length))
            late += band / max(1e-9, float(band.std())) * np.exp(-6.908 * time / reverb)
        power = float((late[crowded: 2 * crowded] ** 2).mean())
        rising = np.clip((np.arange(length) - crowded * 0.7) / (crowded * 0.6), 0, 1)
        made = made * np.cos(rising * math.pi / 2) + late * math.sqrt(reference / max(power, 1e-15)) * np.sin(
            rising * math.pi / 2)
    return made
