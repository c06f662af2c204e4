"""People and animals: crowds, applause, hearts, gulls, birds, insects; and the tone of a room that they are in."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from janoglot.core.mix.synthesis.base import (
    RATE,
    Floats,
    Generator,
    Parameter,
    band,
    burst,
    by_chance,
    fading,
    in_step,
    length,
    put,
    ring,
    slow,
    sung,
    two_sides,
)

_VOWELS = ((730, 1090, 2440), (530, 1840, 2480), (270, 2290, 3010), (570, 840, 2410), (300, 870, 2240))
"""The first three formants, Hz (Peterson and Barney 1952)."""


def _syllable(chance: np.random.Generator, low: float) -> Floats:
    count = length(chance.uniform(0.09, 0.22))
    time = np.arange(count) / count
    hz = low * (1 + 0.25 * chance.standard_normal() * (time - 0.5))
    level = np.sin(np.pi * time) ** 0.7
    formants = _VOWELS[int(chance.integers(len(_VOWELS)))]
    partials = []
    for number in range(1, 24):
        at_hz = number * low
        partials.append(sum(1 / (1 + ((at_hz - one) / 110) ** 2) for one in formants) / number**0.4)
    return sung(hz, level, partials)


def crowd(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    """Many who speak at once, none of whom is understood."""
    made = ring(length(seconds))
    people = 4 + round(28 * given["size"])
    for _ in range(people):
        low, pan = chance.choice((110.0, 125.0, 190.0, 215.0)) * chance.uniform(0.9, 1.1), chance.uniform(-0.9, 0.9)
        far = chance.uniform(0.3, 1.0)
        syllables = [_syllable(chance, low) for _ in range(8)]
        moment = chance.uniform(0, seconds)
        upto = moment + seconds
        while moment < upto:
            for _ in range(int(chance.integers(4, 14))):
                put(made, syllables[int(chance.integers(8))], moment, pan, far * chance.uniform(0.5, 1.0))
                moment += chance.uniform(0.12, 0.24)
            moment += chance.exponential(0.6 + 2.5 * (1 - given["lively"]))
            if moment >= upto:
                break
    return made + 0.15 * two_sides(len(made), chance, band(150, 1500, 5.0), 0.7)


def applause(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for _ in range(6 + round(70 * given["size"])):
        hz, pan = chance.uniform(700, 2600), chance.uniform(-0.95, 0.95)
        clap = burst(0.035, chance, hz * 0.7, hz * 1.6, 0.0008)
        for moment in in_step(seconds, chance.normal(3.6, 0.5) * (0.7 + 0.5 * given["lively"]), chance, 0.35):
            put(made, clap, moment + chance.uniform(0, 0.3), pan, chance.uniform(0.4, 1.0))
    return made


def heartbeat(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for moment in in_step(seconds, given["rate"] / 60, chance, 0.03):
        for later, hz, gain in ((0.0, 52, 1.0), (0.29 * (60 / given["rate"]) ** 0.5, 68, 0.7)):
            time = np.arange(length(0.18)) / RATE
            beat = sung(hz * (1.4 - 2.0 * time), np.exp(-time * 26), [1, 0.5, 0.2])
            beat += 0.3 * burst(0.18, chance, 30, 160, 0.004, 3.0)
            put(made, fading(beat), moment + later, 0.0, gain)
    return made


def gulls(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for moment in by_chance(seconds, 0.12 + 0.6 * given["often"], chance):
        base, pan = chance.uniform(700, 1050), chance.uniform(-0.9, 0.9)
        near = (1 - 0.75 * given["distance"]) * chance.uniform(0.4, 1.0)
        for number in range(int(chance.integers(2, 7))):
            count = length(chance.uniform(0.22, 0.42))
            time = np.arange(count) / count
            # Up quickly, over, and down: with a row of harmonics and a rough throat.
            hz = base * (1 + 0.55 * np.sin(np.pi * time**0.6)) * (1 + 0.012 * slow(count, chance, 70.0))
            cry = sung(hz, np.sin(np.pi * time) ** 0.6, [1, 0.9, 0.55, 0.35, 0.22, 0.12, 0.06])
            for echo, gain in ((0.0, 1.0), (0.09, 0.25 * given["distance"]), (0.21, 0.18 * given["distance"])):
                put(made, fading(cry, 0.01, 0.03), moment + 0.38 * number + echo, pan, gain * near)
    return made


def songbirds(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for _ in range(2 + round(5 * given["often"])):
        pan, base = chance.uniform(-0.95, 0.95), chance.uniform(2200, 4800)
        phrase = [(chance.uniform(0.04, 0.14), chance.uniform(0.75, 1.35), chance.uniform(0.75, 1.35),
                   chance.uniform(0, 0.04)) for _ in range(int(chance.integers(3, 9)))]
        for moment in by_chance(seconds, 0.12 + 0.2 * given["often"], chance):
            for lasts, begin, end, rest in phrase:
                time = np.arange(length(lasts)) / length(lasts)
                hz = base * (begin + (end - begin) * time) * (1 + 0.03 * np.sin(2 * np.pi * 28 * lasts * time))
                put(made, fading(sung(hz, np.sin(np.pi * time)), 0.004, 0.006), moment, pan, 0.6)
                moment += lasts + rest
    return made


def crickets(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for _ in range(2 + round(6 * given["many"])):
        hz, pan, rate = chance.uniform(4100, 5200), chance.uniform(-0.95, 0.95), chance.uniform(1.6, 2.6)
        time = np.arange(length(0.018)) / length(0.018)
        pulse = sung(np.full(len(time), hz), np.sin(np.pi * time) ** 2, [1, 0.15])
        gain = chance.uniform(0.2, 1.0)
        for moment in in_step(seconds, rate, chance, 0.15):
            for number in range(3):
                put(made, pulse, moment + 0.032 * number, pan, gain)
    return made


def room(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    made = two_sides(count, chance, band(40, 250 + 1200 * (1 - given["size"]), 5.0), 0.6)
    hum = sung(np.full(count, round(50 * seconds) / seconds), np.full(count, 0.5 * given["hum"]), [0.6, 1, 0.3, 0.4])
    return made + hum[:, None]


GENERATORS = (
    Generator("crowd", ("crowd", "murmur", "people talking", "chatter", "audience", "voices", "party"), (
        Parameter("size", 0.0, 1.0, 0.5, "0 is a few, 1 a hall"),
        Parameter("lively", 0.0, 1.0, 0.5, "how seldom they pause")),
        "voices of harmonics under vowels' formants, each on its own", "Peterson and Barney (1952)", crowd),
    Generator("applause", ("applause", "clapping", "claps"), (
        Parameter("size", 0.0, 1.0, 0.5, "0 is a few, 1 a hall"), Parameter("lively", 0.0, 1.0, 0.5, "how eager")),
        "claps of many hands, each pair at its own rate", "Repp, The Sound of Two Hands Clapping (1987)", applause),
    Generator("heartbeat", ("heartbeat", "heart", "pulse"), (
        Parameter("rate", 40, 180, 70, "beats a minute"),), "two low thumps that fall in pitch", "Farnell (2010)",
        heartbeat),
    Generator("gulls", ("gull", "gulls", "seagull", "seagulls"), (
        Parameter("often", 0.0, 1.0, 0.4, "how often"), Parameter("distance", 0.0, 1.0, 0.4, "0 is here, 1 far away")),
        "rising and falling harmonics with a rough throat", "Farnell (2010)", gulls),
    Generator("birds", ("bird", "birds", "birdsong", "songbirds"), (Parameter("often", 0.0, 1.0, 0.5, "how often"),),
        "phrases of short sweeps, each bird with its own", "Farnell (2010)", songbirds),
    Generator("crickets", ("cricket", "crickets", "insects", "cicadas"), (
        Parameter("many", 0.0, 1.0, 0.4, "how many"),), "trains of three pulses",
        "Bennet-Clark, Wing Resonances in Crickets (1999)", crickets),
    Generator("room", ("room", "room tone", "quiet room", "hall tone", "silence"), (
        Parameter("size", 0.0, 1.0, 0.5, "0 is small, 1 a hall"), Parameter("hum", 0.0, 1.0, 0.2, "of the mains")),
        "low noise and the mains", "Farnell (2010)", room),
)
