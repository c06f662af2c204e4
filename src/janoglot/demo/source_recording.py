"""The demo's source recording: its English voices in their rooms over a sea, and a simple drawn picture that moves with
them, so that it can be seen whether a dub is in step.

Shipped as ``demo/tidewater-clock.mp4``; made again by ``python -m janoglot.demo.source_recording FOLDER TO``, of the
folder that ``./janoglot dub … --languages en-GB --cues demo/tidewater-clock.sounds.json --out FOLDER`` has written.
"""

from __future__ import annotations

import json
import math
import sys
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from PIL import Image, ImageDraw

from janoglot.core.media.source import picture_of

WIDTH, HEIGHT, FPS = 480, 270, 25
_HORIZON = 168
_FIGURES = {"Keeper": (150, (138, 74, 32)), "Imka": (215, (96, 74, 150)), "Pell": (280, (52, 110, 62))}
_NIGHT, _SEA, _WALL, _LAMP = (22, 40, 54), (36, 84, 104), (92, 88, 80), (240, 176, 74)
Colour = tuple[int, int, int]


def frames(lines: list[dict[str, Any]], levels: np.ndarray[Any, Any], seconds: float) -> Any:
    """The picture, frame by frame. ``levels``: how loud it is in each."""
    for number in range(math.ceil(seconds * FPS)):
        now = number / FPS
        speaking = next(
            (line for line in lines if line["start"] is not None and line["start"] <= now < line["end"]), None
        )
        yield _drawn(now, seconds, speaking["speaker"] if speaking else "", float(levels[min(number, len(levels) - 1)]))


def _drawn(now: float, seconds: float, speaker: str, level: float) -> Image.Image:
    image = Image.new("RGB", (WIDTH, HEIGHT), _NIGHT)
    draw = ImageDraw.Draw(image)
    tide = _HORIZON + 22 - 26 * now / seconds
    draw.rectangle((0, tide, WIDTH, HEIGHT), fill=_SEA)
    for row in range(4):
        crest = [
            (x, tide + 8 + row * 17 + 3 * math.sin(x / 17 + now * (1.3 + 0.2 * row) + row))
            for x in range(0, WIDTH + 8, 8)
        ]
        draw.line(crest, fill=_lighter(_SEA, 18 + 8 * row), width=2)
    # The house at the end of the wall, and its clock of one hand.
    draw.rectangle((340, 60, 430, _HORIZON + 30), fill=_WALL)
    draw.polygon(((330, 62), (385, 22), (440, 62)), fill=_lighter(_WALL, -25))
    draw.ellipse((357, 74, 413, 130), fill=(225, 222, 208))
    angle = 2 * math.pi * now / 60
    draw.line((385, 102, 385 + 24 * math.sin(angle), 102 - 24 * math.cos(angle)), fill=_NIGHT, width=4)
    draw.rectangle((375, 142, 395, 164), fill=_LAMP if speaker == "Narrator" else _lighter(_WALL, -35))
    draw.rectangle((0, _HORIZON - 4, 345, _HORIZON + 14), fill=_lighter(_WALL, -18))
    for name, (x, colour) in _FIGURES.items():
        said = name == speaker
        draw.rectangle((x - 14, _HORIZON - 52, x + 14, _HORIZON - 4), fill=colour)
        draw.ellipse((x - 17, _HORIZON - 86, x + 17, _HORIZON - 52), fill=(214, 180, 150))
        for eye in (-6, 6):
            draw.ellipse((x + eye - 2, _HORIZON - 75, x + eye + 2, _HORIZON - 71), fill=_NIGHT)
        # The mouth is as open as it is loud.
        gap = max(1.0, 9 * level) if said else 1.0
        draw.ellipse((x - 6, _HORIZON - 62 - gap / 2, x + 6, _HORIZON - 62 + gap / 2), fill=(110, 40, 40))
        if said:
            draw.line((x - 14, _HORIZON - 2, x + 14, _HORIZON - 2), fill=_LAMP, width=3)
    gull = (now * 23) % (WIDTH + 80) - 40
    wing = 5 * math.sin(now * 7)
    draw.line(((gull - 10, 40 - wing), (gull, 44), (gull + 10, 40 - wing)), fill=(220, 226, 226), width=2)
    return image


def _lighter(colour: Colour, by: int) -> Colour:
    red, green, blue = (min(255, max(0, one + by)) for one in colour)
    return red, green, blue


def make(folder: Path, to: Path) -> None:
    """Of a dub's ``report.json`` and its English track, a video of less than 4 MB."""
    lines = json.loads((folder / "report.json").read_text())["editions"]["en-GB"]["lines"]
    track = folder / "en-GB" / "mix.wav"
    samples, rate = soundfile.read(track, dtype="float32", always_2d=True)
    size = rate // FPS
    whole = np.abs(samples).max(axis=1)[: len(samples) // size * size].reshape(-1, size).max(axis=1)
    levels = np.clip(whole / max(1e-6, float(np.percentile(whole, 97))), 0, 1)
    seconds = len(samples) / rate
    with picture_of(track, to, WIDTH, HEIGHT, FPS, seconds) as picture:
        for image in frames(lines, levels, seconds):
            picture.write(image.tobytes())
    if to.stat().st_size > 4_000_000:
        raise SystemExit(f"{to} has {to.stat().st_size} bytes.")


if __name__ == "__main__":
    make(Path(sys.argv[1]), Path(sys.argv[2]))


