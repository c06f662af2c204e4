"""A sound world: three hours with eight layers, sixty cues, two rooms and ducking on one core; and a changed line in
two hours, against the whole of them."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bench.result import Result
from janoglot.launcher.services import die_with_parent

if TYPE_CHECKING:
    from janoglot.core.mix.blocks import Track
    from janoglot.core.mix.programme import Clip

HOURS = 3.0
LAYERS = ("music", "score", "ambience", "weather", "sea", "effects", "steps", "bed")


def _spent() -> float:
    used = resource.getrusage(resource.RUSAGE_SELF)
    return used.ru_utime + used.ru_stime


def _voices(hours: float, folder: Path, apart: float = 1.5) -> list[Clip]:
    """Speech for about two thirds of the time, as in a drama; the fourth speaker in the seventh part of it is heard
    from a room, the second from another."""
    from janoglot.core.mix.programme import Clip
    from janoglot.core.speech.catalogue import voice_named
    from janoglot.core.speech.takes import TakeRecipe, make_take, read_sound
    from janoglot.core.store import FolderStore

    store = FolderStore(folder)
    voices = ("curlew", "wren", "siskin", "plover")
    takes = [
        make_take(
            TakeRecipe(
                f"Under floor {n} the water turned, and the single hand moved on by the width of a hair.",
                voice_named(voices[n % 4]),
            ),
            store,
        )
        for n in range(40)
    ]
    clips: list[Clip] = []
    at, number = 0.0, 0
    while at < hours * 3600 - 20:
        take = takes[number % len(takes)]
        part = int(7 * at / (hours * 3600))
        clips.append(
            Clip(
                at,
                take.seconds,
                take.lufs,
                lambda key=f"{take.hash}.wav": read_sound(store, key),  # type: ignore[misc]
                bus=voices[number % 4],
                key=f"{take.hash}@{number}",
                room="hall"
                if part == 3 and number % 4 == 3
                else "telephone"
                if part == 5 and number % 4 == 1
                else None,
            )
        )
        at += take.seconds * apart
        number += 1
    return clips


def _under(hours: float, clips: list[Clip]) -> list[Track]:
    """Sixty cues in eight layers, of sounds that are kept: each layer sounds for most of the time."""
    from janoglot.core.mix.cues import Cue, Duck, Layer, Place, PlacedCue
    from janoglot.core.mix.sides import RATE
    from janoglot.core.mix.synthesis.describing import described
    from janoglot.core.mix.synthesis.library import make_sound
    from janoglot.core.mix.under import CueSound, UnderTrack

    sounds = {
        text: CueSound(make_sound(described(text).parts, 12.0), -26.0, True, text)
        for text in ("surf", "rain", "howling wind", "clockwork", "slow footsteps on wood", "birdsong", "crowd", "fire")
    }
    spoken = [(clip.start, clip.start + clip.seconds) for clip in clips]
    names, length, tracks = list(sounds), hours * 3600, []
    for index, name in enumerate(LAYERS):
        layer = Layer(
            name, "ambience" if index > 1 else "music", -18.0, 0.1 * index, duck=Duck(9.0 if index < 4 else 0.0)
        )
        count = 8 if index < 4 else 7
        lasts = length / count * (0.9 if index < 5 else 0.15)
        cues = [PlacedCue(Cue(name, {"made": names[index]}, Place(0.0), loop=True, fade_in=2.0, fade_out=3.0),
                          layer, number * length / count, lasts) for number in range(count)]
        tracks.append(UnderTrack(layer, cues, lambda one: sounds[one.cue.source["made"]], -16.0, spoken))
    assert RATE == 48_000
    return tracks  # type: ignore[return-value]


def whole(hours: float) -> tuple[float, float]:
    """× real time, and MB at the most."""
    from janoglot.core.mix.blocks import BlockMixer, PassingBlocks
    from janoglot.core.mix.programme import tracks_of

    with tempfile.TemporaryDirectory(prefix="janoglot-bench-") as folder, tempfile.TemporaryFile(dir=folder) as raw:
        clips = _voices(hours, Path(folder))
        tracks = tracks_of(clips, -16.0, _under(hours, clips))
        began, spent = time.perf_counter(), _spent()
        store = PassingBlocks(raw, 2)
        mix = BlockMixer(tracks, hours * 3600, 2, store).mix(-16.0)
        mix.write(Path(folder) / "mix.wav", store)
        took = max(time.perf_counter() - began, _spent() - spent)
        return hours * 3600 / took, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def changed(lines: int = 2_000) -> tuple[float, float]:
    """Seconds from a changed line until the mix can be played, and that as a share of a whole mix."""
    from dataclasses import replace

    from janoglot.core.mix.blocks import BlockMixer, KeptBlocks
    from janoglot.core.mix.programme import tracks_of
    from janoglot.core.store import FolderStore

    hours = 2.0
    with tempfile.TemporaryDirectory(prefix="janoglot-bench-") as folder:
        few = _voices(hours, Path(folder))
        # As many lines as there are to be, over the two hours.
        clips = [
            replace(
                few[number % len(few)],
                start=number * hours * 3600 / lines,
                key=f"{few[number % len(few)].key}/{number}",
            )
            for number in range(lines)
        ]
        under = _under(hours, clips)
        blocks = FolderStore(Path(folder) / "blocks")

        def mixed(now: list[Clip]) -> float:
            began = time.perf_counter()
            mix = BlockMixer(tracks_of(now, -16.0, under), hours * 3600, 2, kept := KeptBlocks(blocks, 2)).mix(-16.0)
            next(iter(mix.bytes_of(0, 480_000, kept)))
            return time.perf_counter() - began

        everything = mixed(clips)
        again = []
        for number in range(200, lines, lines // 7):
            other = list(clips)
            other[number] = replace(clips[number], key=f"anew {number}", level_db=-1.0)
            again.append(mixed(other))
        took = sorted(again)[len(again) // 2]
        return took, 100 * took / everything


def _child(*arguments: str) -> list[float]:
    environment = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    out = subprocess.run([sys.executable, "-m", "bench.sound_world", *arguments], env=environment, capture_output=True,
                         text=True, check=True, preexec_fn=die_with_parent).stdout
    return [float(one) for one in out.split()]


def run() -> list[Result]:
    speed, memory = _child("whole", str(HOURS))
    took, share = _child("changed")
    return [
        Result(f"{HOURS:g} hours with 8 layers, 60 cues, 2 rooms and ducking, on one core", speed, "× real time", 100,
               at_least=True),
        Result("its memory", memory, "MB", 400),
        Result("a line changed in 2 hours of 2,000 lines, until the mix can be played", took, "s", 1.0),
        Result("… against the whole mix", share, "%", 5.0),
    ]


if __name__ == "__main__":
    made: Callable[..., Any] = whole if sys.argv[1] == "whole" else changed
    print(*made(*(float(one) for one in sys.argv[2:])))
