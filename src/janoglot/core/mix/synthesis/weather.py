"""Weather, water and fire."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from janoglot.core.mix.synthesis.base import (
    RATE,
    Floats,
    Generator,
    Parameter,
    band,
    both_sides,
    burst,
    by_chance,
    fading,
    length,
    modes,
    noise,
    put,
    ring,
    slow,
    sung,
    two_sides,
)

DISTANCE = Parameter("distance", 0.0, 1.0, 0.3, "0 is here, 1 far away")


def _far(distance: float, high: float) -> float:
    """The highest frequency that is left of a sound at a distance: air takes the upper ones first."""
    return float(high * 10 ** (-0.9 * distance))


def rain(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    density, metal, distance = given["density"], given["metal"], given["distance"]
    count = length(seconds)
    wash = two_sides(count, chance, band(500, _far(distance, 11_000), 3.0), 0.9)
    swell = (1 + 0.12 * slow(count, chance, 0.4))[:, None]
    made: Floats = wash * swell * (0.02 + 0.5 * density**1.3)
    # Single drops: a click of the surface, and where it is of metal its modes.
    kinds = []
    for _ in range(24):
        hz = chance.uniform(1200, 5200)
        click = burst(0.012, chance, 1500, _far(distance, 9000), 0.0004)
        if metal > 0:
            ringing = modes([(hz * ratio, 1 / ratio, 0.05 + 0.14 * metal) for ratio in (1.0, 1.59, 2.43)], 0.2, chance)
            ringing[: len(click)] += click
            click = (1 - metal) * np.pad(click, (0, len(ringing) - len(click))) + metal * ringing
        kinds.append(click)
    for moment in by_chance(seconds, 8 + 160 * density, chance):
        put(made, kinds[int(chance.integers(len(kinds)))], moment, chance.uniform(-0.9, 0.9),
            (1 - 0.8 * distance) * chance.gamma(1.2, 0.22))
    return made


def drips(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for moment in by_chance(seconds, given["rate"], chance):
        # A bubble sings at the pitch of its radius, and rises as it comes up.
        hz = 3.0 / (chance.uniform(0.0012, 0.0035) * (0.5 + given["size"]))
        time = np.arange(length(0.14)) / RATE
        drop = sung(hz * (1 + 2.2 * time), np.exp(-time * (28 + hz / 90)))
        put(made, fading(drop), moment, chance.uniform(-0.7, 0.7), chance.uniform(0.3, 1.0))
        for echo in range(1, 5):
            put(made, fading(drop), moment + 0.043 * echo * (1 + given["echo"]), chance.uniform(-1, 1),
                0.3 * given["echo"] * 0.6**echo)
    return made


def wind(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    sides = []
    gusts = slow(count, chance, 0.15 + 0.35 * given["gusts"])
    for _ in range(2):
        own = gusts + 0.35 * slow(count, chance, 0.6)
        strength = np.clip(0.5 + 0.5 * given["strength"] + 0.38 * given["gusts"] * own, 0.05, 2.0)
        low = noise(count, chance, band(60, 420, 4.0)) * strength
        high = noise(count, chance, band(380, 1500 + 2500 * given["strength"], 5.0)) * strength**2
        # What it whistles round: a narrow band whose level goes with the gusts.
        edge = 500 + 500 * given["howl"]
        howl = noise(count, chance, lambda hz, edge=edge: np.exp(-0.5 * ((hz - edge) / 22.0) ** 2)) * strength**3  # type: ignore[misc]
        sides.append(low + 0.6 * high + 0.5 * given["howl"] * howl)
    return both_sides(sides[0], sides[1], 0.8)


def surf(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    made = 0.05 * two_sides(count, chance, band(70, _far(given["distance"], 2500), 4.0), 0.7)
    waves = max(1, round(seconds / (4.0 + 6.0 * given["size"])))
    for number in range(waves):
        lasts = (4.0 + 5.0 * given["size"]) * chance.uniform(0.8, 1.2)
        time = np.arange(length(lasts)) / RATE
        # It gathers, breaks, and runs back over the stones: slower and duller one after the other.
        gather = np.clip(time / (0.38 * lasts), 0, 1) ** 3 * (time < 0.4 * lasts)
        after = np.exp(-3.2 * np.maximum(0.0, time - 0.4 * lasts) / lasts) * (time >= 0.4 * lasts)
        body = noise(len(time), chance, band(110, _far(given["distance"], 3200), 3.0)) * (gather + after)
        hiss = noise(len(time), chance, band(1800, _far(given["distance"], 9000), 2.0)) * after**0.7 * np.clip(
            (time - 0.42 * lasts) / (0.2 * lasts), 0, 1)
        gain = chance.uniform(0.6, 1.0)
        for pan in (-0.6, 0.6):
            put(made, fading(body + 0.5 * given["stones"] * hiss, 0.05, 0.3), number * seconds / waves, pan
                + chance.uniform(-0.3, 0.3), gain)
    return made


def stream(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = 0.12 * two_sides(length(seconds), chance, band(300, 5000, 4.0), 0.8)
    for moment in by_chance(seconds, 20 + 130 * given["flow"], chance):
        hz = chance.lognormal(np.log(900), 0.45)
        time = np.arange(length(0.05)) / RATE
        put(made, fading(sung(hz * (1 + 3 * time), np.exp(-time * 90))), moment, chance.uniform(-0.9, 0.9),
            chance.gamma(1.5, 0.12))
    return made


def lapping(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for moment in by_chance(seconds, 0.6 + 1.6 * given["rate"], chance):
        lasts = chance.uniform(0.25, 0.7)
        slap = burst(lasts, chance, 140, 1400, 0.03, 3.0)
        put(made, slap, moment, chance.uniform(-0.6, 0.6), chance.uniform(0.3, 0.9))
        for _ in range(int(chance.integers(2, 7))):
            hz = chance.uniform(350, 1100)
            time = np.arange(length(0.08)) / RATE
            put(made, fading(sung(hz * (1 + 2.5 * time), np.exp(-time * 45))), moment + chance.uniform(0.03, lasts),
                chance.uniform(-0.6, 0.6), 0.16)
    return made


def thunder(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    claps = max(1, round(seconds / 25 * (1 + given["often"] * 2)))
    for number in range(claps):
        lasts = min(seconds, 5 + 6 * chance.random())
        time = np.arange(length(lasts)) / RATE
        # The channel is crooked: its pieces arrive one after another, each rolling on.
        rumble = np.zeros(len(time))
        for start in np.sort(chance.random(14)) ** 1.6 * 0.6 * lasts:
            after = np.maximum(0.0, time - start)
            rumble += chance.uniform(0.3, 1) * np.exp(-2.2 * after) * (time >= start) * np.minimum(1, after / 0.06)
        roll = noise(len(time), chance, band(28, _far(given["distance"], 700), 5.0)) * rumble
        if given["distance"] < 0.6:
            crack = burst(0.5, chance, 250, _far(given["distance"], 7000), 0.001, 2.0)
            roll[: len(crack)] += 2.2 * (0.6 - given["distance"]) * crack
        put(made, fading(roll, 0.002, 0.4), (number + chance.uniform(0, 0.5)) * seconds / claps,
            chance.uniform(-0.5, 0.5))
    return made


def fire(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    flicker = (1 + 0.4 * slow(count, chance, 3.0))[:, None]
    made = two_sides(count, chance, band(50, 500, 4.0), 0.5) * flicker * (0.2 + 0.5 * given["size"])
    made += 0.08 * two_sides(count, chance, band(1500, 7000, 2.0), 0.8)
    for moment in by_chance(seconds, 4 + 30 * given["crackle"], chance):
        hz = chance.uniform(800, 5000)
        put(made, burst(chance.uniform(0.004, 0.02), chance, hz, 2 * hz, 0.0003), moment, chance.uniform(-0.6, 0.6),
            chance.gamma(1.0, 0.7))
    return made


_SIZE = Parameter("size", 0.0, 1.0, 0.5, "0 is small, 1 large")
GENERATORS = (
    Generator("rain", ("rain", "downpour", "drizzle", "shower", "raining"), (
        Parameter("density", 0.0, 1.0, 0.45, "0 is a drizzle, 1 a downpour"),
        Parameter("metal", 0.0, 1.0, 0.0, "0 falls on earth, 1 on a roof of tin"), DISTANCE),
        "shaped noise for the many drops, a Poisson process of single ones, each with the modes of what it falls on",
        "van den Doel, Physically Based Models for Liquid Sounds (2005); Farnell, Designing Sound (2010)", rain),
    Generator("drips", ("drip", "drips", "dripping", "drops", "water drops", "leak"), (
        Parameter("rate", 0.2, 12.0, 1.2, "drops a second"), _SIZE,
        Parameter("echo", 0.0, 1.0, 0.4, "0 is outside, 1 a cave")),
        "bubbles that sing at the pitch of their radius and rise", "Minnaert (1933); van den Doel (2005)", drips),
    Generator("wind", ("wind", "breeze", "gale", "gusts", "draught", "storm"), (
        Parameter("strength", 0.0, 1.0, 0.4, "0 is a breeze, 1 a gale"),
        Parameter("gusts", 0.0, 1.0, 0.5, "how unsteady"), Parameter("howl", 0.0, 1.0, 0.2, "what it whistles round")),
        "noise in bands whose level follows slow gusts, and the narrow band of an edge", "Farnell (2010)", wind),
    Generator("surf", ("surf", "waves", "sea", "ocean", "breakers", "beach"), (
        _SIZE, Parameter("stones", 0.0, 1.0, 0.4, "0 is sand, 1 shingle"), DISTANCE),
        "noise that gathers, breaks and runs back, duller and hissing", "Farnell (2010)", surf, 24.0),
    Generator("stream", ("stream", "brook", "river", "creek", "running water"), (
        Parameter("flow", 0.0, 1.0, 0.4, "0 trickles, 1 rushes"),), "a Poisson process of rising bubbles over noise",
        "van den Doel (2005)", stream),
    Generator("lapping", ("lapping", "harbour", "water lapping", "quay", "moored"), (
        Parameter("rate", 0.0, 1.0, 0.4, "how often it slaps"),), "soft slaps of noise, each with a few bubbles",
        "van den Doel (2005)", lapping),
    Generator("thunder", ("thunder", "thunderstorm", "lightning"), (
        DISTANCE, Parameter("often", 0.0, 1.0, 0.2, "how often")),
        "low noise in pieces that arrive one after another, and near a crack",
        "Few, Power Spectrum of Thunder (1969); Farnell (2010)", thunder, 20.0),
    Generator("fire", ("fire", "campfire", "fireplace", "flames", "crackling"), (
        _SIZE, Parameter("crackle", 0.0, 1.0, 0.5, "how often it spits")),
        "a roar of low noise, a hiss, and a Poisson process of cracks", "Farnell (2010)", fire),
)
