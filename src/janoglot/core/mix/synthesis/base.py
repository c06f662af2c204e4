"""What a generator is, and what all of them are made with: noise, envelopes, modes, and events on a ring of time."""

from __future__ import annotations

import math
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from janoglot.core.audio.loudness import measure
from janoglot.core.errors import BadInput

RATE = 48_000
"""Hz."""
SHORTEST, LONGEST = 0.2, 600.0
"""Seconds."""
KEPT_LUFS = -26.0
_PEAK = 0.84
_LOWEST = 20.0
"""Hz. What is lower is no sound, and no direct current is left."""
Floats = npt.NDArray[np.float64]
Stereo = npt.NDArray[np.float32]
Make = Callable[[float, np.random.Generator, Mapping[str, float]], Floats]
"""Seconds, chance, and parameters by name; gives samples of shape (n, 2) at RATE, round, at any level."""


@dataclass(frozen=True, slots=True)
class Parameter:
    """Something that can be set of a sound, from ``low`` to ``high``; ``what`` says which way it goes."""

    name: str
    low: float
    high: float
    usual: float
    what: str


@dataclass(frozen=True, slots=True)
class Generator:
    """One kind of sound. ``words``: how people call it; ``model`` and ``source``: what is reckoned, and after whom.
    ``seconds``: a usual length. ``once``: it happens, rather than goes on."""

    name: str
    words: tuple[str, ...]
    parameters: tuple[Parameter, ...]
    model: str
    source: str
    make: Make
    seconds: float = 12.0
    once: bool = False

    def settings(self, given: Mapping[str, float]) -> dict[str, float]:
        """All parameters, those of ``given`` over the usual ones. Raises BadInput for what it has not, or lies
        outside."""
        known = {one.name: one for one in self.parameters}
        for name, value in given.items():
            if name not in known:
                raise BadInput("“{sound}” has no “{name}”. It has: {all}.", sound=self.name, name=name,
                               all=", ".join(known))
            if not known[name].low <= value <= known[name].high:
                raise BadInput("“{name}” must lie between {low} and {high}.", name=name, low=known[name].low,
                               high=known[name].high)
        return {name: float(given.get(name, one.usual)) for name, one in known.items()}


def made(generator: Generator, seconds: float, number: int = 0, given: Mapping[str, float] | None = None) -> Stereo:
    """The sound, shape (n, 2), at KEPT_LUFS or as near as its peaks let it. Raises BadInput."""
    if not SHORTEST <= seconds <= LONGEST:
        raise BadInput("A sound lasts from {low} to {high} seconds.", low=SHORTEST, high=LONGEST)
    settings = generator.settings(given or {})
    chance = np.random.default_rng([number, zlib.crc32(generator.name.encode())])
    samples = without_lows(generator.make(seconds, chance, settings))
    return levelled(samples)


def levelled(samples: Floats) -> Stereo:
    sound = samples.astype(np.float32)
    peak = float(np.abs(sound).max(initial=0.0))
    if peak <= 0:
        return sound
    # A short sound is as loud as it is while it sounds: it is measured over and over.
    rounds = max(1, math.ceil(0.8 * RATE / len(sound)))
    lufs = measure(np.tile(sound / peak, (rounds, 1)).mean(axis=1), RATE, peaks=False).integrated
    gain = 10 ** ((KEPT_LUFS - lufs) / 20) if np.isfinite(lufs) and lufs > -100 else 1.0
    return sound / np.float32(peak) * np.float32(min(gain, _PEAK))


def without_lows(samples: Floats) -> Floats:
    spectrum = np.fft.rfft(samples, axis=0)
    spectrum[np.fft.rfftfreq(len(samples), 1 / RATE) < _LOWEST] = 0.0
    return np.fft.irfft(spectrum, len(samples), axis=0)


def length(seconds: float) -> int:
    return max(1, round(seconds * RATE))


def noise(count: int, chance: np.random.Generator, shape: Callable[[Floats], Floats]) -> Floats:
    """Round noise of one channel whose spectrum (amplitude by Hz) is ``shape``; its mean square is 1."""
    frequencies = np.fft.rfftfreq(count, 1 / RATE)
    phases = np.exp(2j * np.pi * chance.random(len(frequencies)))
    made_ = np.fft.irfft(phases * np.maximum(shape(np.asarray(frequencies, np.float64)), 0.0), count)
    return made_ / max(1e-12, math.sqrt(float((made_**2).mean())))


def band(low: float, high: float, slope: float = 0.0) -> Callable[[Floats], Floats]:
    """A spectrum between two frequencies, with soft sides, falling by ``slope`` dB an octave."""
    def shape(hz: Floats) -> Floats:
        safe = np.maximum(hz, 1.0)
        sides = 1 / np.sqrt((1 + (low / safe) ** 4) * (1 + (safe / high) ** 4))
        return np.asarray(sides * (safe / max(low, 1.0)) ** (-slope / 6.02))

    return shape


def slow(count: int, chance: np.random.Generator, hz: float) -> Floats:
    """A round curve about 0 of which nothing is quicker than ``hz``; its mean square is 1, where it moves at all."""
    spectrum = np.zeros(count // 2 + 1, complex)
    most = max(1, min(len(spectrum) - 1, round(hz * count / RATE)))
    spectrum[1: most + 1] = chance.standard_normal(most) + 1j * chance.standard_normal(most)
    curve = np.fft.irfft(spectrum, count)
    return curve / max(1e-12, math.sqrt(float((curve**2).mean())))


def both_sides(one: Floats, other: Floats, apart: float) -> Floats:
    """Two sounds of one kind as a room of them: ``apart`` 0 is the middle alone, 1 one on either side."""
    middle, side = (one + other) / 2, (one - other) / 2
    return np.stack([middle + apart * side, middle - apart * side], axis=1)


def two_sides(count: int, chance: np.random.Generator, shape: Callable[[Floats], Floats], apart: float) -> Floats:
    """Noise of a shape all around."""
    return both_sides(noise(count, chance, shape), noise(count, chance, shape), apart)


def at(pan: float) -> Floats:
    """The gains of two sides for a place from −1 to 1, as loud wherever it is."""
    angle = (min(1.0, max(-1.0, pan)) + 1) * math.pi / 4
    return np.array([math.cos(angle), math.sin(angle)])


def ring(count: int) -> Floats:
    return np.zeros((count, 2))


def put(on: Floats, sound: Floats, seconds: float, pan: float = 0.0, gain: float = 1.0) -> None:
    """Add a sound of one channel at a moment of a ring; what passes the end goes on at the beginning."""
    start = round(seconds * RATE) % len(on)
    sides = gain * at(pan)
    done = 0
    while done < len(sound):
        size = min(len(sound) - done, len(on) - start)
        on[start: start + size] += sound[done: done + size, None] * sides
        done, start = done + size, 0


def by_chance(seconds: float, a_second: float, chance: np.random.Generator) -> Floats:
    """Moments of a Poisson process, in order: about so many in a second, one at the least."""
    count = max(1, int(chance.poisson(a_second * seconds)))
    return np.sort(chance.random(count)) * seconds


def in_step(seconds: float, a_second: float, chance: np.random.Generator, loose: float = 0.0) -> Floats:
    """Moments in even steps that close on themselves, each off by ``loose`` of a step."""
    count = max(1, round(a_second * seconds))
    return (np.arange(count) + 0.02 + loose * chance.uniform(-0.5, 0.5, count)) * seconds / count % seconds


def modes(partials: Sequence[tuple[float, float, float]], seconds: float,
          chance: np.random.Generator | None = None) -> Floats:
    """Struck modes: frequency (Hz), level, and seconds to a thousandth, each a fading sine."""
    time = np.arange(length(seconds)) / RATE
    total = np.zeros(len(time))
    for hz, level, fade in partials:
        if hz < RATE / 2.2:
            phase = chance.uniform(0, 0.4) if chance is not None else 0.0
            total += level * np.exp(-6.9 * time / max(0.002, fade)) * np.sin(2 * np.pi * hz * time + phase)
    return fading(total)


def fading(samples: Floats, begin: float = 0.001, end: float = 0.01) -> Floats:
    """Soft at both ends, in seconds."""
    made_ = samples.copy()
    for seconds, part in ((begin, made_), (end, made_[::-1])):
        size = min(len(made_), length(seconds))
        part[:size] *= np.sin(np.linspace(0, np.pi / 2, size)) ** 2
    return made_


def burst(seconds: float, chance: np.random.Generator, low: float, high: float, attack: float = 0.002,
          slope: float = 0.0) -> Floats:
    """A short noise that sets in and fades."""
    count = length(seconds)
    time = np.arange(count) / RATE
    shape = np.minimum(1.0, time / max(attack, 1e-4)) * np.exp(-5.0 * time / seconds)
    return fading(noise(count, chance, band(low, high, slope)) * shape)


def sung(hz: Floats, level: Floats, partials: Sequence[float] = (1.0,)) -> Floats:
    """A tone that follows a frequency and a level, sample by sample; ``partials``: the levels of its harmonics."""
    phase = 2 * np.pi * np.cumsum(hz) / RATE
    total = np.zeros(len(hz))
    for number, share in enumerate(partials, 1):
        total += share * np.where(hz * number < RATE / 2.2, np.sin(number * phase), 0.0)
    return total * level
