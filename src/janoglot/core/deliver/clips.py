"""A clip for each voiced line, in one archive."""

from __future__ import annotations

import tempfile
import zipfile
from pathlib import Path

import soundfile

from janoglot.core.deliver.deliverable import Data, Deliverable, Material, Need, Report, Stores, require
from janoglot.core.deliver.names import clip_name
from janoglot.core.edition.plan import MixPlan
from janoglot.core.mix.programme import clip_samples
from janoglot.core.mix.sides import RATE

_EDGES = 0.026
"""Seconds that trimming and soft edges may take from a line's own length."""


def _write_down(material: Material) -> Data:
    return {"plan": material.plan().as_json()}


def clip_names(plan: MixPlan) -> list[str]:
    """A name for each line, none twice."""
    return [clip_name(line.number, line.speaker, plan.language) for line in plan.lines]


def _make(order: Data, stores: Stores, place: Path) -> Report:
    plan = MixPlan.from_json(order["plan"])
    with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for line, name in zip(plan.lines, clip_names(plan), strict=True):
            with tempfile.NamedTemporaryFile(suffix=".wav", dir=place.parent) as file:
                soundfile.write(file.name, clip_samples(line.clip(stores.takes), plan.target), RATE,
                                subtype="PCM_24", format="WAV")
                archive.write(file.name, name)
    return {"clips": float(len(plan.lines))}


def _check(order: Data, place: Path, report: Report) -> Report:
    lines = order["plan"]["lines"]
    with zipfile.ZipFile(place) as archive:
        broken = archive.testzip()
        require(broken is None, "{name} in it cannot be read.", name=broken)
        names = archive.namelist()
        require(len(set(names)) == len(lines), "It holds {found} clips, not {wanted}.", found=len(set(names)),
                wanted=len(lines))
        for name, line in zip(names, lines, strict=True):
            with archive.open(name) as file:
                seconds = soundfile.info(file).duration
            require(abs(seconds - line["seconds"]) <= _EDGES, "{name} lasts {found:.2f} s, not {wanted:.2f} s.",
                    name=name, found=seconds, wanted=line["seconds"])
    return {}


DELIVERABLES = (Deliverable("clips.zip", "application/zip", _write_down, _make, _check,
                            frozenset({Need.VOICED, Need.FINISHED, Need.READ})),)
