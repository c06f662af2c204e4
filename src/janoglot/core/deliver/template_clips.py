"""A clip for each row of every template, in one archive: named as its row, a folder for each line."""

from __future__ import annotations

import tempfile
import zipfile
from functools import partial
from pathlib import Path

import soundfile

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Report, Stores, require
from janoglot.core.mix.programme import Clip, clip_samples
from janoglot.core.mix.sides import RATE
from janoglot.core.speech.recipe_json import recipe_from_json
from janoglot.core.speech.takes import Take, make_rendition, read_sound

_EDGES = 0.026
"""Seconds that trimming and soft edges may take from a clip's own length."""


def _write_down(material: Material) -> Data:
    return material.template_clips()


def _path(row: Data) -> str:
    return f"{row['line']:03}/{row['name']}"


def _make(order: Data, stores: Stores, place: Path) -> Report:
    with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for row in order["clips"]:
            take = Take.from_json(row["take"])
            key = make_rendition(recipe_from_json(row["recipe"]), take.seconds, take.seconds, stores.takes)
            clip = Clip(0.0, take.seconds, take.lufs, partial(read_sound, stores.takes, key), row["level_db"])
            with tempfile.NamedTemporaryFile(suffix=".wav", dir=place.parent) as file:
                soundfile.write(file.name, clip_samples(clip, order["target"]), RATE, subtype="PCM_24", format="WAV")
                archive.write(file.name, _path(row))
    return {"clips": float(len(order["clips"]))}


def _check(order: Data, place: Path, report: Report) -> Report:
    rows = order["clips"]
    with zipfile.ZipFile(place) as archive:
        broken = archive.testzip()
        require(broken is None, "{name} in it cannot be read.", name=broken)
        names = archive.namelist()
        require(names == [_path(row) for row in rows] and len(set(names)) == len(rows),
                "It holds {found} clips, not {wanted}.", found=len(set(names)), wanted=len(rows))
        for name, row in zip(names, rows, strict=True):
            with archive.open(name) as file:
                seconds = soundfile.info(file).duration
            wanted = row["take"]["seconds"]
            require(abs(seconds - wanted) <= _EDGES, "{name} lasts {found:.2f} s, not {wanted:.2f} s.",
                    name=name, found=seconds, wanted=wanted)
    return {}


DELIVERABLES = (Deliverable("template-clips.zip", "application/zip", _write_down, _make, _check, tail="_template"),)
