"""The demo's tracks, the same to the sample as they have been: what is said differently here is a change to be meant."""

from __future__ import annotations

import hashlib
from pathlib import Path

from janoglot.core.dubbing import dub
from janoglot.core.script.formats import read_script
from tests.core.conftest import DEMO

CAST = {
    "en-GB": {"Narrator": "curlew", "Keeper": "bittern", "Imka": "rook", "Pell": "dunlin"},
    "es-MX": {"Narrator": "alcaudon", "Keeper": "azor", "Imka": "abubilla", "Pell": "alondra"},
    "fr-FR": {"Narrator": "busard", "Keeper": "butor", "Imka": "merle", "Pell": "pinson"},
}
TRACKS = {
    "en-GB": "cf1caef33785f6ceb051ff830c01788ad7c1a4784a012c86c54dc08a5243d3f2",
    "es-MX": "b93919bc706acb2ee1c3e70425e234acb7f0ff1e055a537b9ced7ce39a38f477",
    "fr-FR": "6f62d977e5707f5015c24e4a22ce4be1919ea5064b110c02318f69209bf4b7e8",
}
LINES = 14


def test_the_demo_sounds_as_it_always_has(tmp_path: Path) -> None:
    script = read_script((DEMO / "tidewater-clock.csv").read_bytes(), "tidewater-clock.csv")
    assert sum(bool(line.delivery) for line in script.lines) >= len(script.lines) / 3, "the demo is directed"
    script.lines = script.lines[:LINES]
    for line in script.lines:
        # Said plainly: what nobody directs is as it always was.
        line.delivery = ""
    cast = {tag: {name: voice for name, voice in voices.items() if name in script.speakers}
            for tag, voices in CAST.items()}
    dub(script, "en-GB", ["es-MX", "fr-FR"], cast, tmp_path / "out", tmp_path / "takes")
    assert {tag: hashlib.sha256((tmp_path / "out" / tag / "mix.wav").read_bytes()).hexdigest() for tag in CAST} == TRACKS
