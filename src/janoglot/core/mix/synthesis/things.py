"""Steps, doors, clocks, bells, telephones, engines: things that are struck, rubbed, rung or driven."""

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
    in_step,
    length,
    modes,
    noise,
    put,
    ring,
    slow,
    sung,
)

_WOOD = ((1.0, 1.0, 0.05), (1.58, 0.5, 0.04), (2.24, 0.4, 0.03), (2.92, 0.2, 0.025), (3.5, 0.15, 0.02))
"""Ratios, levels and seconds of a wooden board's modes."""
_BELL = ((0.5, 0.7, 1.0), (1.0, 0.9, 0.7), (1.2, 0.8, 0.55), (1.5, 0.35, 0.4), (2.0, 1.0, 0.42), (2.67, 0.4, 0.25),
         (3.0, 0.3, 0.22), (4.2, 0.25, 0.15), (5.4, 0.15, 0.1))
"""A bell's: hum, prime, tierce, quint, nominal and above; seconds as shares of the hum's."""
_TICK = ((1.0, 1.0, 0.012), (1.47, 0.6, 0.01), (2.1, 0.4, 0.008))
_SWITCH = ((1.0, 1.0, 0.008), (1.7, 0.7, 0.006), (2.9, 0.4, 0.004))


def _struck(hz: float, chance: np.random.Generator, modes_of: tuple[tuple[float, float, float], ...] = _WOOD,
            fade: float = 1.0, seconds: float = 0.4) -> Floats:
    return modes([(hz * ratio * chance.uniform(0.995, 1.005), level, lasts * fade) for ratio, level, lasts in modes_of],
                 seconds, chance)


def footsteps(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    wood, gravel, heavy = given["wood"], given["gravel"], given["weight"]
    for number, moment in enumerate(in_step(seconds, given["pace"], chance, 0.07)):
        pan, gain = 0.12 * (-1) ** number, chance.uniform(0.7, 1.0)
        for later, share in ((0.0, 1.0), (0.075 + 0.03 * heavy, 0.55)):  # the heel, then the ball of the foot
            thump = burst(0.07 + 0.05 * heavy, chance, 50, 220 + 500 * (1 - heavy), 0.003, 3.0)
            put(made, thump, moment + later, pan, gain * share * (0.6 + heavy))
            if wood:
                board = _struck(chance.uniform(150, 210) * (1.4 - 0.5 * heavy), chance, fade=1 + wood)
                put(made, board, moment + later, pan, gain * share * 0.8 * wood)
                put(made, burst(0.01, chance, 1500, 5000, 0.0005), moment + later, pan, gain * share * 0.25)
            if gravel:
                for _ in range(int(18 * gravel)):
                    put(made, burst(chance.uniform(0.003, 0.012), chance, 1800, 9000, 0.0004),
                        moment + later + chance.exponential(0.03), pan + chance.uniform(-0.15, 0.15),
                        gain * share * chance.gamma(1.0, 0.16) * gravel)
    return made


def knocks(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    count = int(given["times"])
    for number in range(count):
        hz = (240 - 110 * given["size"]) * chance.uniform(0.97, 1.03)
        knock = _struck(hz, chance, fade=1.2 + given["size"])
        knock[: length(0.012)] += 0.6 * burst(0.012, chance, 400, 3000, 0.0004)
        put(made, knock, 0.03 + number * (0.28 - 0.1 * given["hurry"]), 0.0, 1.0 - 0.12 * (number == 0))
    return made


def creak(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    """It sticks and slips: the slips come quicker while it is pushed quicker, and ring the wood."""
    made = ring(length(seconds))
    modes_ = [(hz * (1.5 - given["size"]), 1 / (k + 1), 0.03) for k, hz in enumerate((310, 640, 1130, 1720, 2500))]
    ringing = modes(modes_, 0.08, chance)
    moment, upto = 0.05, seconds - 0.15
    push = 0.5 + 0.5 * slow(length(seconds), chance, 1.2)
    while moment < upto:
        speed = float(np.clip(push[min(len(push) - 1, round(moment * RATE))], 0.12, 1.4))
        put(made, ringing, moment, 0.1, (0.25 + 0.75 * speed) * chance.uniform(0.7, 1.0))
        moment += 1 / (18 + 120 * speed * (0.4 + given["speed"])) * chance.uniform(0.85, 1.15)
    return made


def slam(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    big = given["size"]
    boom = burst(0.35 + 0.5 * big, chance, 30, 260 - 120 * big, 0.002, 4.0)
    put(made, 1.6 * boom, 0.02, 0.0, given["force"])
    put(made, _struck(150 - 60 * big, chance, fade=2.5), 0.02, 0.0, given["force"])
    put(made, burst(0.03, chance, 700, 6000, 0.0005), 0.02, 0.0, given["force"])
    for moment in (0.055, 0.1 + 0.05 * big):  # the latch
        put(made, _struck(1900, chance, fade=0.6, seconds=0.1), moment, 0.08, 0.35 * given["latch"])
    return made


def ticking(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    size, case = given["size"], given["case"]
    # Tick and tock, in pairs, so that they meet at the seam.
    for number, moment in enumerate(in_step(seconds, 2 * max(1, round(given["rate"] * seconds / 2)) / seconds, chance)):
        hz = (3300 - 2100 * size) * (1.0 if number % 2 else 1.12)
        put(made, _struck(hz, chance, _TICK, seconds=0.06), moment, 0.05)
        put(made, burst(0.004, chance, 2500, 11_000, 0.0002), moment, 0.05, 0.5)
        if case:
            put(made, _struck(180 + 240 * (1 - size), chance, fade=1.6), moment + 0.001, 0.0, 0.55 * case)
    return made


def bell(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    hz = 620 * 2 ** (-2.4 * given["size"])
    lasts = min(seconds, 3.0 + 9.0 * given["size"])
    partials = [(2 * hz * ratio * chance.uniform(0.998, 1.002), level, lasts * share) for ratio, level, share in _BELL]
    # No casting is quite round: each mode is two that beat.
    partials += [(one * (1 + 0.0016), 0.5 * level, fade) for one, level, fade in partials]
    for moment in in_step(seconds, given["strokes"] / seconds, chance, 0.0):
        put(made, modes(partials, lasts, chance), moment, 0.0)
        put(made, burst(0.02, chance, 900, 7000, 0.0004), moment, 0.0, 0.5)
    return made


def chime(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    tubes = [660 * 2 ** (step / 12) * 2 ** (0.8 - 1.6 * given["size"]) for step in (0, 2, 4, 7, 9, 12)]
    for moment in by_chance(seconds, 0.3 + 3.5 * given["wind"], chance):
        hz = tubes[int(chance.integers(len(tubes)))]
        # A free bar's modes.
        sound = modes([(hz, 1.0, 2.4), (2.756 * hz, 0.5, 1.3), (5.404 * hz, 0.22, 0.7)], 2.5, chance)
        put(made, sound, moment, chance.uniform(-0.7, 0.7), chance.uniform(0.3, 1.0))
    return made


def buzzer(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    time = np.arange(count) / RATE
    sounding = ((time % (seconds / given["times"])) < 0.62 * seconds / given["times"]).astype(float)
    sounding = np.convolve(sounding, np.hanning(97) / np.hanning(97).sum(), "same")
    tone = sung(np.full(count, given["pitch"]), sounding, [1 / number**0.6 for number in range(1, 26)])
    return np.stack([tone, tone], axis=1)


def telephone(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    """Two little bells, struck twenty times a second."""
    made = ring(length(seconds))
    rings = max(1, round(seconds / 3.0))
    for number in range(rings):
        for turn, stroke in enumerate(np.arange(0.0, 1.3, 1 / 22)):
            hz = (1650, 1980)[turn % 2] * (1.25 - 0.5 * given["size"])
            put(made, modes([(hz, 1, 0.5), (2.1 * hz, 0.5, 0.3), (3.4 * hz, 0.3, 0.2)], 0.5, chance),
                number * seconds / rings + stroke, 0.0, 0.5)
    return made


_TONES = {0: ((425.0,), 1.0, 0.0), 1: ((425.0,), 1.0, 4.0), 2: ((425.0,), 0.5, 0.5)}
"""Of a line: dialling, ringing, engaged. Frequencies, seconds on and off (ITU-T E.180)."""


def line_tone(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    frequencies, on, off = _TONES[round(given["which"])]
    time = np.arange(count) / RATE
    cycle = on + off
    rounds = max(1, round(seconds / cycle)) if off else 1
    share = on * seconds / (rounds * cycle)
    sounding = np.ones(count) if not off else ((time % (seconds / rounds)) < share).astype(float)
    sounding = np.convolve(np.concatenate([sounding[-300:], sounding, sounding[:300]]), np.hanning(241) / 120.0,
                           "same")[300:-300]
    # To whole periods, so that the end meets the beginning.
    tone = sum(sung(np.full(count, round(hz * seconds) / seconds), sounding) for hz in frequencies)
    return np.stack([np.asarray(tone)] * 2, axis=1)


def static(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    hiss = noise(count, chance, band(300, 3400)) * (1 + 0.3 * slow(count, chance, 2.0))
    whistle = sung(1100 + 500 * slow(count, chance, 0.5), np.full(count, 0.12 * given["whistle"]))
    made = np.stack([hiss * 0.4 + whistle] * 2, axis=1)
    for moment in by_chance(seconds, 2 + 50 * given["crackle"], chance):
        put(made, burst(chance.uniform(0.002, 0.05), chance, 400, 5000, 0.0003), moment, 0.0, chance.gamma(1.2, 0.8))
    return made


def engine(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    fires = given["speed"]
    hz = round(fires * seconds) / seconds * (1 + 0.004 * slow(count, chance, 4.0))
    size = given["size"]
    partials = [1 / number ** (0.8 + 0.7 * given["muffled"]) * chance.uniform(0.5, 1.0) for number in range(1, 40)]
    tone = sung(hz, np.ones(count), partials)
    knock = noise(count, chance, band(80, 900 * (1.5 - given["muffled"]), 3.0)) * (
        0.5 + 0.5 * np.sin(2 * np.pi * np.cumsum(hz) / RATE)) ** 3
    rumble = noise(count, chance, band(30, 140, 2.0))
    mono = 0.5 * tone + 0.7 * knock + 0.8 * size * rumble
    return both_sides(mono, mono + 0.1 * noise(count, chance, band(500, 4000, 4.0)), 0.4)


def foghorn(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    blasts = max(1, round(seconds / 12))
    for number in range(blasts):
        count = length(min(3.2, 0.8 * seconds / blasts))
        time = np.arange(count) / count
        level = np.clip(time / 0.12, 0, 1) * np.clip((1 - time) / 0.1, 0, 1)
        bent = (1 - 0.05 * np.clip((time - 0.8) / 0.2, 0, 1)) * (0.97 + 0.03 * np.clip(time / 0.1, 0, 1))
        hz = (150 - 90 * given["size"]) * bent
        tone = sung(hz, level, [1, 0.8, 0.6, 0.42, 0.3, 0.2, 0.14, 0.1, 0.07, 0.05])
        put(made, fading(tone), number * seconds / blasts + 0.1, 0.1)
        for echo in range(1, 5):
            put(made, fading(tone), number * seconds / blasts + 0.1 + 0.55 * echo, (-1) ** echo * 0.6,
                given["distance"] * 0.5**echo)
    return made


def whoosh(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    count = length(seconds)
    lasts = min(seconds, 0.3 + 1.2 * given["size"])
    part = length(lasts)
    time = np.arange(part) / part
    swell = np.exp(-0.5 * ((time - 0.45) / 0.17) ** 2)
    low, high = (noise(part, chance, band(edge, 3 * edge, 3.0)) for edge in (220, 1500))
    sound = fading(low * swell + high * swell**2 * 0.7)
    made = ring(count)
    steps = np.linspace(-0.8, 0.8, 8)
    for number, pan in enumerate(steps):  # it goes by
        window = np.exp(-0.5 * ((time - (number + 0.5) / len(steps)) / (0.7 / len(steps))) ** 2)
        put(made, sound * window, 0.0, float(pan))
    return made


def click(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    hz = 4200 - 3000 * given["size"]
    for moment, gain in ((0.01, 1.0), (0.01 + 0.05 + 0.05 * given["size"], 0.6)):
        put(made, _struck(hz, chance, _SWITCH, seconds=0.05), moment, 0.0, gain)
        put(made, burst(0.004, chance, 1500, 9000, 0.0002), moment, 0.0, gain)
    return made


def machine(seconds: float, chance: np.random.Generator, given: Mapping[str, float]) -> Floats:
    made = ring(length(seconds))
    for number, moment in enumerate(in_step(seconds, given["rate"], chance, 0.02)):
        big = number % 4 == 0
        put(made, _struck(320 if big else 520, chance, fade=0.8 + given["metal"]), moment, 0.1, 1.0 if big else 0.6)
        put(made, burst(0.09, chance, 300, 5000, 0.01), moment + 0.04, -0.1, 0.25)
    hum = sung(np.full(len(made), round(50 * seconds) / seconds), np.full(len(made), 0.06), [1, 0.7, 0.5, 0.2])
    return made + hum[:, None]


_SIZE = Parameter("size", 0.0, 1.0, 0.5, "0 is small, 1 large")
_MODAL = "Cook, Real Sound Synthesis for Interactive Applications (2002)"
GENERATORS = (
    Generator("footsteps", ("footsteps", "steps", "walking", "footstep", "walk"), (
        Parameter("pace", 0.5, 4.0, 1.8, "steps a second"), Parameter("weight", 0.0, 1.0, 0.5, "0 is a child, 1 heavy"),
        Parameter("wood", 0.0, 1.0, 0.5, "how much the floor rings"),
        Parameter("gravel", 0.0, 1.0, 0.0, "how loose the ground is")),
        "a thump of heel and ball, the modes of boards, grains that give way", "Cook, Modeling Bill's Gait (2002)",
        footsteps),
    Generator("knock", ("knock", "knocking", "knocks", "rap"), (
        Parameter("times", 1, 8, 3, "how often"), _SIZE, Parameter("hurry", 0.0, 1.0, 0.3, "how hurried")),
        "struck modes of a board", _MODAL, knocks, 2.0, True),
    Generator("creak", ("creak", "creaking", "creaky door", "squeak"), (
        _SIZE, Parameter("speed", 0.0, 1.0, 0.4, "how quick it is moved")),
        "stick and slip: impulses whose rate follows the push, through the modes of wood",
        "Farnell (2010); Avanzini, Serafin and Rocchesso (2005)", creak, 3.0, True),
    Generator("slam", ("slam", "slams", "door slam", "bang", "shuts"), (
        _SIZE, Parameter("force", 0.2, 1.0, 0.8, "how hard"), Parameter("latch", 0.0, 1.0, 0.5, "how much of a latch")),
        "a boom of low noise, struck modes, a latch", _MODAL, slam, 2.0, True),
    Generator("clock", ("clock", "ticking", "tick", "wall clock", "watch"), (
        Parameter("rate", 0.5, 6.0, 2.0, "ticks a second"), _SIZE,
        Parameter("case", 0.0, 1.0, 0.5, "how much of a wooden case")),
        "tick and tock: short metal modes, and those of the case", _MODAL, ticking),
    Generator("bell", ("bell", "tolling", "church bell", "toll"), (
        Parameter("strokes", 1, 24, 3, "how many"), _SIZE), "the modes of a bell, each of two that beat",
        "Rossing and Perrin, Vibrations of Bells (1987)", bell, 14.0),
    Generator("chime", ("chime", "chimes", "wind chime", "glass chimes"), (
        Parameter("wind", 0.0, 1.0, 0.4, "how often"), _SIZE), "free bars struck by chance",
        "Fletcher and Rossing, The Physics of Musical Instruments (1998)", chime),
    Generator("buzzer", ("buzzer", "buzz", "doorbell"), (
        Parameter("times", 1, 8, 1, "how often"), Parameter("pitch", 60, 400, 130, "Hz")),
        "a row of harmonics, on and off", "Farnell (2010)", buzzer, 1.5, True),
    Generator("telephone", ("telephone", "phone ringing", "phone", "ringing"), (_SIZE,),
        "two small bells, struck in turn", "Farnell (2010)", telephone, 6.0),
    Generator("line tone", ("dial tone", "engaged tone", "busy tone", "line tone"), (
        Parameter("which", 0, 2, 0, "0 dialling, 1 ringing, 2 engaged"),), "425 Hz in the cadences of the network",
        "ITU-T E.180", line_tone, 10.0),
    Generator("static", ("static", "radio static", "radio", "interference", "crackle"), (
        Parameter("crackle", 0.0, 1.0, 0.4, "how often"), Parameter("whistle", 0.0, 1.0, 0.3, "how much it whistles")),
        "noise in a receiver's band, a beat that wanders, cracks", "Farnell (2010)", static),
    Generator("engine", ("engine", "motor", "boat engine", "diesel"), (
        Parameter("speed", 6.0, 120.0, 24.0, "firings a second"), _SIZE,
        Parameter("muffled", 0.0, 1.0, 0.5, "how far inside")),
        "harmonics of the firings, noise that is gated by them, a rumble", "Farnell (2010)", engine),
    Generator("foghorn", ("foghorn", "fog horn", "ship's horn", "horn", "ship"), (
        _SIZE, Parameter("distance", 0.0, 1.0, 0.5, "how much comes back")), "a driven horn's harmonics with echoes",
        "Fletcher and Rossing (1998)", foghorn, 14.0),
    Generator("whoosh", ("whoosh", "swish", "pass by"), (_SIZE,), "noise that swells and goes by", "Farnell (2010)",
              whoosh, 1.6, True),
    Generator("click", ("click", "switch", "lock", "button"), (_SIZE,), "two short strikes", _MODAL, click, 0.5, True),
    Generator("machine", ("machine", "machinery", "mechanism", "gears", "factory", "clockwork"), (
        Parameter("rate", 0.5, 12.0, 4.0, "strokes a second"), Parameter("metal", 0.0, 1.0, 0.5, "how much it rings")),
        "strokes in fours over a hum", _MODAL, machine),
)
