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
    "en-GB": "b58d1a2db72efc0ea639c8c4975249a1d686415bb4e4be5cf15fdd2a0f8aa973",
    "es-MX": "1c3bc34c1811250e308c2a915d506a56a349517c2542e60c3a71c030a0c8ab8e",
    "fr-FR": "ad9723f995e589799298fc68d9ea87d71a05d8099296876219eedd69e0d6838d",
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
