"""Instruments for music beds, each one note at a time: small physical and spectral models of our own."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from scipy import signal

from janoglot.core.mix.synthesis.base import RATE, Floats, band, fading, length, modes, noise

Play = Callable[[float, float, float, np.random.Generator], Floats]
"""Hz, seconds it is held, how hard (0 … 1), and chance; gives one channel, ringing on past its end."""


def _plucked(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    """A string that is plucked: what runs round it loses its brightness."""
    count = length(min(6.0, seconds + 1.6))
    period = RATE / hz
    size = max(2, int(period - 0.5))
    excited = chance.uniform(-1, 1, size)
    soft = 1 + int((1 - hard) * 6)
    excited = np.convolve(np.concatenate([excited, excited]), np.ones(soft) / soft, "same")[:size]
    start = np.zeros(count)
    start[:size] = excited
    fraction = period - 0.5 - size
    loss = 0.9985 if hz < 300 else 0.996
    # One pass of the loop: the mean of two neighbours, and the rest of a period by a straight line between samples.
    feedback = np.zeros(size + 3)
    feedback[0] = 1.0
    taps = np.convolve([0.5, 0.5], [1 - fraction, fraction]) * loss
    feedback[size: size + 3] -= taps
    return fading(np.asarray(signal.lfilter([1.0], feedback, start)), 0.001, 0.3)


def _piano(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    """A struck string, a little stiff: partials sharper and shorter the higher they are."""
    stiff = 0.0004
    partials = [(hz * n * math.sqrt(1 + stiff * n * n), (0.62 + 0.25 * hard) ** (n - 1) / n**0.4,
                 max(0.3, 5.5 * (220 / hz) ** 0.5 / n**0.7)) for n in range(1, 13)]
    sound = modes(partials, min(5.0, seconds + 1.5), chance)
    knock = noise(len(sound), chance, band(120, 1_800)) * np.exp(-np.arange(len(sound)) / (0.012 * RATE))
    released = np.exp(-np.maximum(0.0, np.arange(len(sound)) / RATE - seconds) / 0.35)
    return (sound + 0.05 * knock) * released


def _strings(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    """Several bowed strings, none quite in tune with another."""
    count = length(seconds + 0.9)
    time = np.arange(count) / RATE
    total = np.zeros(count)
    for _ in range(4):
        sway = 1 + 0.0022 * np.sin(2 * np.pi * chance.uniform(4.6, 5.6) * time + chance.uniform(0, 6))
        phase = 2 * np.pi * np.cumsum(hz * 2 ** (chance.normal(0, 5) / 1200) * sway) / RATE
        for n in range(1, max(2, min(16, int(7_000 / hz)))):
            total += np.sin(n * phase + chance.uniform(0, 6)) / n ** (1.5 - 0.4 * hard)
    rise, fall = 0.16 + 0.25 * (1 - hard), 0.5
    shape = np.clip(time / rise, 0, 1) * np.clip((seconds + fall - time) / fall, 0, 1)
    return fading(total * shape**1.3, 0.01, 0.05)


def _flute(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    """An air column: few harmonics, and breath in their bands."""
    count = length(seconds + 0.2)
    time = np.arange(count) / RATE
    depth = 0.004 * np.clip((time - 0.25) / 0.4, 0, 1)
    phase = 2 * np.pi * np.cumsum(hz * (1 + depth * np.sin(2 * np.pi * 4.8 * time))) / RATE
    tone = np.sin(phase) + (0.22 + 0.2 * hard) * np.sin(2 * phase) + 0.1 * np.sin(3 * phase)
    breath = noise(count, chance, band(max(200.0, hz * 0.9), min(9_000.0, hz * 4)))
    shape = np.clip(time / 0.07, 0, 1) * np.clip((seconds + 0.15 - time) / 0.15, 0, 1)
    return fading((tone + 0.05 * breath) * shape, 0.004, 0.02)


def _bells(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    """Frequency modulation whose ratio is no whole number."""
    time = np.arange(length(3.2)) / RATE
    index = (1.5 + 3 * hard) * np.exp(-time / 0.6)
    wave = np.sin(2 * np.pi * hz * time + index * np.sin(2 * np.pi * hz * 1.41 * time))
    return fading(wave * np.exp(-time / 0.85), 0.002, 0.2)


def _bass(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    time = np.arange(length(seconds + 0.25)) / RATE
    phase = 2 * np.pi * hz * time
    tone = (
        np.sin(phase) + 0.45 * np.sin(2 * phase) * np.exp(-time / 0.5) + 0.2 * np.sin(3 * phase) * np.exp(-time / 0.2)
    )
    shape = np.clip(time / 0.012, 0, 1) * np.exp(-time / 1.6) * np.clip((seconds + 0.2 - time) / 0.2, 0, 1)
    return fading(tone * shape, 0.002, 0.02)


def _pad(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    """A soft choir of sines that drift."""
    count = length(seconds + 1.6)
    time = np.arange(count) / RATE
    total = np.zeros(count)
    for cents in (-7, 0, 6):
        for n, share in ((1, 1.0), (2, 0.35), (3, 0.12)):
            total += share * np.sin(2 * np.pi * hz * n * 2 ** (cents / 1200) * time + chance.uniform(0, 6))
    shape = np.clip(time / 0.8, 0, 1) * np.clip((seconds + 1.5 - time) / 1.5, 0, 1)
    return fading(total * np.sin(shape * np.pi / 2) ** 2, 0.02, 0.05)


def _brush(hz: float, seconds: float, hard: float, chance: np.random.Generator) -> Floats:
    """A brush on a skin: no pitch but a low or a high one."""
    count = length(0.28)
    time = np.arange(count) / RATE
    if hz < 100:
        return fading(np.sin(2 * np.pi * (58 + 60 * np.exp(-time / 0.03)) * time) * np.exp(-time / 0.09), 0.002, 0.02)
    return fading(noise(count, chance, band(1_800, 9_000)) * np.exp(-time / (0.03 + 0.05 * hard)), 0.001, 0.02)


@dataclass(frozen=True, slots=True)
class Instrument:
    """``low`` and ``high``: MIDI notes that it plays. ``level``: against the others. ``model`` and ``source``: what is
    reckoned, and after whom."""

    play: Play
    low: int
    high: int
    level: float
    pan: float
    model: str
    source: str


INSTRUMENTS: Mapping[str, Instrument] = {
    "plucked": Instrument(
        _plucked,
        45,
        84,
        0.8,
        -0.25,
        "a delay line whose loop loses brightness",
        "Karplus and Strong (1983); Jaffe and Smith (1983)",
    ),
    "piano": Instrument(_piano, 33, 96, 0.75, 0.15, "partials of a stiff string", "Fletcher and Rossing (1998)"),
    "strings": Instrument(
        _strings, 36, 91, 0.55, 0.0, "detuned rows of harmonics with vibrato", "Risset and Mathews (1969)"
    ),
    "flute": Instrument(_flute, 60, 96, 0.5, 0.3, "few harmonics and bands of breath", "Fletcher and Rossing (1998)"),
    "bells": Instrument(_bells, 60, 100, 0.35, -0.4, "frequency modulation", "Chowning (1973)"),
    "bass": Instrument(_bass, 28, 52, 0.8, 0.0, "a decaying row of three harmonics", "Risset and Mathews (1969)"),
    "pad": Instrument(_pad, 45, 79, 0.5, 0.0, "sines that beat", "Risset and Mathews (1969)"),
    "brush": Instrument(_brush, 0, 127, 0.5, 0.1, "noise and a falling sine", "Farnell (2010)"),
}
