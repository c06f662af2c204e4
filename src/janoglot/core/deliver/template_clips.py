"""A clip for each row of every template: in one archive, named as its row, a folder for each line; and in a package, in
whatever form and at whatever loudness its other clips are."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import soundfile

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Report, Stores, require
from janoglot.core.deliver.encoding import AudioFormat, encode, measured
from janoglot.core.deliver.items import Choice, ItemKind, MadeFile, Value, need
from janoglot.core.deliver.sound_items import form_of, sound_choices
from janoglot.core.mix.programme import Clip, clip_samples
from janoglot.core.mix.sides import RATE, Floats32
from janoglot.core.speech.recipe_json import recipe_from_json
from janoglot.core.speech.takes import Take, make_rendition, read_sound

_EDGES = 0.026
"""Seconds that trimming and soft edges may take from a clip's own length."""


def _write_down(material: Material) -> Data:
    return material.template_clips()


def _path(row: Data) -> str:
    return f"{row['line']:03}/{row['name']}"


def _samples(row: Data, target: float, stores: Stores) -> Floats32:
    take = Take.from_json(row["take"])
    key = make_rendition(recipe_from_json(row["recipe"]), take.seconds, take.seconds, stores.takes)
    clip = Clip(0.0, take.seconds, take.lufs, partial(read_sound, stores.takes, key), row["level_db"])
    return clip_samples(clip, target)


def _make(order: Data, stores: Stores, place: Path) -> Report:
    with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for row in order["clips"]:
            with tempfile.NamedTemporaryFile(suffix=".wav", dir=place.parent) as file:
                soundfile.write(file.name, _samples(row, order["target"], stores), RATE, subtype="PCM_24", format="WAV")
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


def _write_down_item(materials: Sequence[Material], choices: Mapping[str, Value]) -> Data:
    return {**materials[0].template_clips(), "form": form_of(choices).as_json()}


def _make_item(order: Data, stores: Stores, folder: Path) -> list[MadeFile]:
    form = AudioFormat(**order["form"])
    made = []
    plain = folder / "plain.wav"
    for number, row in enumerate(order["clips"], 1):
        soundfile.write(plain, _samples(row, order["target"], stores), RATE, subtype="FLOAT", format="WAV")
        place = folder / f"{number:04}.{form.of.ending}"
        told = encode(plain, place, form)
        plain.unlink()
        made.append(MadeFile(place.name, form.of.ending, {"number": row["line"], "what": Path(row["name"]).stem}, {
            "seconds": round(told.seconds, 3), "wanted": row["take"]["seconds"], "lufs": round(told.lufs, 2),
            "true_peak_db": round(told.true_peak_db, 2)}))
    return made


def _check_item(order: Data, place: Path, file: MadeFile) -> Report:
    seconds = measured(place)[2]
    wanted = file.report["wanted"]
    require(abs(seconds - wanted) <= _EDGES + AudioFormat(**order["form"]).of.delay,
            "It lasts {found:.3f} s, not {wanted:.3f} s.", found=seconds, wanted=wanted)
    return {}


def _since_forms(told: Mapping[str, Any]) -> Mapping[str, Any]:
    """What was once one archive, of one form."""
    return {name: value for name, value in told.items() if name != "format"}


ITEM = ItemKind(
    "templates' clips", "edition", {**sound_choices(), "lufs": Choice(None, low=-40, high=-8, none=True)},
    "{language}/templates/{number}/{what}", need(), _write_down_item, _make_item, _check_item, version=2,
    older=_since_forms)
ITEMS = (ITEM,)
DELIVERABLES = (Deliverable("template-clips.zip", "application/zip", _write_down, _make, _check, tail="_template"),)
