"""Stems: the mix in the parts that it is the sum of, at the levels and through the limiting that it has as a whole."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from pathlib import Path

import numpy as np
import soundfile

from janoglot.core.mix.blocks import BLOCK, BlockMix, BlockStore, Track, audible, gain_curve
from janoglot.core.mix.sides import RATE, Floats32, laid

SUMMED = ("dialogue", "music", "effects", "ambience", "bed")
"""The stems that together are the mix."""
STEMS = (*SUMMED, "music and effects", "speakers")


def stems_of(tracks: Sequence[Track], kinds: Mapping[str, str], wanted: Sequence[str]) -> dict[str, list[Track]]:
    """By stem, the tracks that are in it; ``kinds`` gives a layer's kind by its name. Stems that nothing is in are left
    out; each speaker is one by name where “speakers” are wanted."""
    heard = audible(tracks)
    found: dict[str, list[Track]] = {}
    for stem in wanted:
        if stem == "speakers":
            for track in heard:
                if track.voice:
                    found[f"speaker {track.name}"] = [track]
            continue
        inside = [track for track in heard if (
            track.voice if stem == "dialogue" else
            not track.voice if stem == "music and effects" else
            not track.voice and kinds.get(track.name, "bed") == stem)]
        if inside:
            found[stem] = inside
    return found


def write_stems(mix: BlockMix, store: BlockStore, stems: Mapping[str, Sequence[Track]],
                place_of: Callable[[str], Path], tell: Callable[[float], None] = lambda share: None) -> None:
    """Each stem as a WAV of 24 bits, as long as the mix and of as many channels. Raises FileNotFoundError where a block
    of the mix is not kept any more."""
    with ExitStack() as stack:
        files = {name: stack.enter_context(soundfile.SoundFile(
            place_of(name), "w", RATE, mix.channels, subtype="PCM_24",
            format="RF64" if mix.size >= 2**32 else "WAV")) for name in stems}
        everyone = list(dict.fromkeys(track for tracks in stems.values() for track in tracks))
        for number in range(len(mix.blocks)):
            first, last = number * BLOCK, min((number + 1) * BLOCK, mix.samples)
            gain = _gain(mix, number, store)
            pieces = {id(track): _piece(track, first, last, mix.channels, gain) for track in everyone}
            for name, tracks in stems.items():
                total: Floats32 = np.zeros((last - first,) if mix.channels == 1 else (last - first, 2), np.float32)
                for track in tracks:
                    piece = pieces[id(track)]
                    if piece is not None:
                        total = total + piece
                files[name].write(total)
            tell(last / mix.samples)


def _gain(mix: BlockMix, number: int, store: BlockStore) -> np.float32 | Floats32:
    gain = np.float32(10 ** (mix.gain_db / 20))
    if number not in mix.limited:
        return gain
    curve = gain_curve(mix.around(number, store), gain, mix.ceiling_db)
    return curve if mix.channels == 1 else curve[:, None]


def _piece(track: Track, first: int, last: int, channels: int, gain: np.float32 | Floats32) -> Floats32 | None:
    if track.content(first, last) is None:
        return None
    return np.asarray(laid(track.piece(first, last), track.strip, channels) * gain, np.float32)
