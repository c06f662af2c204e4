"""Every generator by name, and a sound of several of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from janoglot.core.errors import BadInput
from janoglot.core.graph import recipe_hash
from janoglot.core.mix.synthesis import living, things, weather
from janoglot.core.mix.synthesis.base import Generator, Stereo, levelled, made

VERSION = 1
"""Of the way that sounds are made: part of their names."""
GENERATORS: Mapping[str, Generator] = {
    one.name: one for module in (weather, things, living) for one in module.GENERATORS}
MOST_PARTS = 8


@dataclass(frozen=True, slots=True)
class Part:
    """One generator in a sound: its parameters by name, where they are not the usual ones, and a level in dB."""

    sound: str
    settings: Mapping[str, float] = field(default_factory=dict)
    level_db: float = 0.0


def sound_table() -> Iterator[str]:
    """Every generator as a row of Markdown."""
    yield "| sound | goes by | parameters | what is reckoned | after |"
    yield "|---|---|---|---|---|"
    for one in GENERATORS.values():
        parameters = "; ".join(f"{each.name} {each.low:g} … {each.high:g} ({each.usual:g}): {each.what}"
                               for each in one.parameters)
        yield f"| {one.name} | {', '.join(one.words)} | {parameters} | {one.model} | {one.source} |"


def generator_named(name: str) -> Generator:
    """Raises BadInput."""
    found = GENERATORS.get(name)
    if found is None:
        raise BadInput("There is no sound “{name}” here. There are: {all}.", name=name, all=", ".join(GENERATORS))
    return found


def sound_key(parts: Sequence[Part], seconds: float, number: int) -> str:
    """Names the sound that these parts make: the same parts and number are the same sound anywhere."""
    rows = [[part.sound, dict(generator_named(part.sound).settings(part.settings)), part.level_db] for part in parts]
    return recipe_hash("made sound", parts=rows, seconds=round(seconds, 3), number=number, version=VERSION)


def make_sound(parts: Sequence[Part], seconds: float, number: int = 0) -> Stereo:
    """All parts at once, shape (n, 2) at 48 kHz; it loops without a seam. ``number``: another one is another sound of
    the same kind. Raises BadInput."""
    if not 0 < len(parts) <= MOST_PARTS:
        raise BadInput("A sound has from 1 to {most} parts.", most=MOST_PARTS)
    total: Stereo = np.zeros((1, 2), np.float32)
    for part in parts:
        generator = generator_named(part.sound)
        sound = made(generator, seconds, number, part.settings) * np.float32(10 ** (part.level_db / 20))
        total = total + sound
    return total if len(parts) == 1 and not parts[0].level_db else levelled(total.astype(np.float64))
