"""The finished track as WAV, FLAC and MP3."""

from __future__ import annotations

import json
import tempfile
from functools import partial
from pathlib import Path

import soundfile

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Need, Report, Stores, require
from janoglot.core.deliver.encoding import AudioFormat, encode
from janoglot.core.mix.blocks import BlockMix, KeptBlocks
from janoglot.core.mix.sides import CEILING, RATE

_NEEDS = frozenset({Need.VOICED, Need.FINISHED, Need.READ, Need.MIXED})
_LOUDNESS, _PEAK = 0.2, 0.1
"""LU and dB that a file may be beside what it should be: about what an encoder does by itself."""
_LENGTH = {"WAV": 0.0, "FLAC": 0.0, "MP3": 0.1}
"""Seconds. MP3 comes in blocks."""
_DEPTH = {"WAV": "PCM_24", "FLAC": "PCM_24", "MP3": "MPEG_LAYER_III"}


def _write_down(material: Material) -> Data:
    key, lufs, seconds = material.mix()
    return {"mix": key, "lufs": lufs, "seconds": seconds}


def _make(layout: str | None, order: Data, stores: Stores, place: Path) -> Report:
    mix = BlockMix.from_json(json.loads(stores.mixes.path(order["mix"]).read_text()))
    blocks = KeptBlocks(stores.mixes, mix.channels)
    if layout is None:
        # It was measured when it was mixed.
        mix.write(place, blocks)
        return {"lufs": order["lufs"]}
    with tempfile.TemporaryDirectory(dir=place.parent) as folder:
        whole = Path(folder) / "mix.wav"
        mix.write(whole, blocks)
        made = encode(whole, place, AudioFormat(layout.lower()), order["lufs"])
    return {"lufs": round(made.lufs, 2), "true_peak_db": round(made.true_peak_db, 2)}


def _check(layout: str, order: Data, place: Path, report: Report) -> Report:
    found = soundfile.info(place)
    require(found.subtype == _DEPTH[layout], "It holds {found}, not {wanted}.", found=found.subtype,
            wanted=_DEPTH[layout])
    require(found.samplerate == RATE, "It has {found} samples a second, not {wanted}.", found=found.samplerate,
            wanted=RATE)
    seconds = found.frames / RATE
    require(abs(seconds - order["seconds"]) <= _LENGTH[layout] + 1.5 / RATE,
            "It lasts {found:.3f} s, not {wanted:.3f} s.", found=seconds, wanted=order["seconds"])
    require(abs(report["lufs"] - order["lufs"]) <= _LOUDNESS, "It has {found:.1f} LUFS, not {wanted:.1f}.",
            found=report["lufs"], wanted=order["lufs"])
    peak = report.get("true_peak_db", CEILING)
    require(peak <= CEILING + _PEAK, "Its peaks reach {found:.1f} dBTP; {most:g} is the most.", found=peak,
            most=CEILING)
    return {"seconds": round(seconds, 3)}


def _track(name: str, kind: str, layout: str | None) -> Deliverable:
    return Deliverable(name, kind, _write_down, partial(_make, layout), partial(_check, layout or "WAV"), _NEEDS)


DELIVERABLES = (_track("mix.wav", "audio/wav", None), _track("mix.flac", "audio/flac", "FLAC"),
                _track("mix.mp3", "audio/mpeg", "MP3"))
