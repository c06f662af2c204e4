"""What the command line makes of a production that was taken out is, to the sample, what the server makes of it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.core.dubbing import dub
from janoglot.core.script.formats import read_script
from janoglot.productions.models import (
    Casting,
    LineCasting,
    LineDirection,
    LineTiming,
    Part,
    Production,
    Speaker,
    Wording,
)
from tests.server.conftest import Call, content, edition_path, handed, lines

LIGHT = {"en-GB": {"Pilot": "bittern", "Cook": "rook"}, "es-MX": {"Pilot": "azor", "Cook": "abubilla"}}


@pytest.fixture
def decided(production: Production, call: Call) -> Production:
    """A production in which everything is set that a take, a place or a mix can depend on."""
    ids = [line.pk for line in production.lines.all()]
    speakers = {one.name: one.pk for one in Speaker.objects.filter(production=production)}
    for tag, cast in LIGHT.items():
        for name, voice in cast.items():
            call("owner", "put", f"{edition_path(production, tag)}castings/{speakers[name]}/", {"voice": voice})
    path = edition_path(production)
    call("owner", "put", f"{path}castings/{speakers['Pilot']}/", {"pace": 1.1, "level_db": -3.0, "younger": 0.4,
                                                                 "note": "dry"})
    call("owner", "put", f"{path}lines/{ids[1]}/casting/", {"pitch": 2.0, "voice": "alondra"})
    call("owner", "post", f"/api/productions/{production.pk}/script/mark/", {"lines": [ids[0]], "in_sight": True})
    call("owner", "patch", f"{path}timing/", {"settings": {
        "hard_fast": 1.2, "run_on": 0.2, "speakers": {str(speakers["Cook"]): {"comfortable_fast": 1.05}}}})
    call("owner", "patch", f"{path}timing/lines/", {"lines": [ids[2]], "own": {"mode": "pinned", "at": 6.4}})
    call("owner", "patch", f"/api/productions/{production.pk}/", {"fps": 24.0, "target_lufs": -23.0})
    first = Part.objects.filter(production=production).first()
    assert first is not None
    call("owner", "patch", f"/api/parts/{first.pk}/", {"start": 0.5, "end": 5.2, "may_grow": True})
    # Too much for its part: the picture is held for it.
    call("owner", "put", f"{path}wordings/{ids[1]}/", {
        "text": "Entonces la sopa debe esperar, y el pan, y el café, y todo lo demás también.", "revision": 1})
    call("owner", "patch", f"{path}wordings/", {"lines": [ids[0]], "state": "approved"})
    call("owner", "put", f"{path}lines/{ids[0]}/direction/", {
        "variant": 2, "moods": [{"mood": "tired", "strength": 0.8}],
        "marks": [{"kind": "stress", "word": 1}, {"kind": "pause", "word": 2, "amount": 0.3}]})
    call("owner", "put", f"{path}lines/{ids[2]}/direction/", {
        "marks": [{"kind": "alias", "word": 0, "said": "todito"}, {"kind": "ipa", "word": 2, "said": "ˈmaɾea"}]})
    call("owner", "put", f"{path}castings/{speakers['Cook']}/", {"moods": [{"mood": "dry"}], "livelier": -0.5})
    call("owner", "put", f"{path}parts/{first.pk}/speakers/{speakers['Cook']}/direction/", {
        "settings": {"softer": 0.6}, "moods": [{"mood": "urgent", "strength": 0.5}]})
    call("owner", "post", f"{path}lexicon/", {"phrase": "sopa", "kind": "alias", "said": "sopita"})
    world = {"layers": [], "cues": [
        {"layer": "ambience", "sound": {"made": "distant surf", "number": 2}, "at": 0, "loop": True, "fade_in": 1},
        {"layer": "music", "sound": {"composed": {"mood": "playful", "seconds": 20}}, "at": {"part": first.name}, "until": {"line": 3, "edge": "end", "seconds": 3}, "fit": True},
        {"layer": "effects", "sound": {"made": "three knocks"}, "at": {"line": 2, "seconds": -0.4}}],
        "speakers": [{"speaker": "Cook", "pan": 0.3}], "places": [{"room": "hall", "part": first.name, "amount": 0.4}], "fades": [{"line": 1, "seconds": 0.5}],
        "deeper": [{"line": 2, "db": 5}], "editions": {"es-MX": {"layers": {"music": {"level_db": -20}}, "speakers": {"Cook": {"level_db": -2}}}}}
    assert call("owner", "put", f"/api/productions/{production.pk}/sounds/", world).status_code == 200
    return production


def taken_out(call: Call, production: Production) -> bytes:
    return content(handed(call, f"/api/productions/{production.pk}/", "script.json"))


def test_the_tracks_are_the_same(decided: Production, call: Call, tmp_path: Path) -> None:
    tracks = {}
    for tag in LIGHT:
        path = edition_path(decided, tag)
        call("owner", "post", f"{path}voicings/", {})
        mix = call("owner", "post", f"{path}mixes/", {}).json()
        told = call("owner", "get", f"{path}mixes/").json()
        assert told["state"] == "ready"
        sound = b"".join(call("owner", "get", f"{path}mixes/{mix['recipe']}/sound.wav").streaming_content)
        tracks[tag] = (mix["recipe"], sound)
    assert call("owner", "get", edition_path(decided)).json()["holds"], "something is held, or this proves less"
    script = read_script(taken_out(call, decided), "ferry.json")
    report = dub(script, script.source_language or "", ["es-MX"], {}, tmp_path / "out", tmp_path / "takes")
    assert report["target_lufs"] == -23.0
    for tag, (recipe, sound) in tracks.items():
        assert report["editions"][tag]["mix"] == recipe
        assert (tmp_path / "out" / tag / "mix.wav").read_bytes() == sound
        server = {x["number"]: x for x in lines(call, decided, tag)}
        for row in report["editions"][tag]["lines"]:
            assert (row["start"], row["natural"]) == (server[row["index"]]["start"], server[row["index"]]["natural"])
            assert row["voice"] == server[row["index"]]["voice"]


def test_what_is_taken_out_comes_in_again_whole(decided: Production, call: Call) -> None:
    told = taken_out(call, decided)
    draft = call("owner", "post", "/api/imports/", {"file": SimpleUploadedFile("ferry.json", told)},
                 format="multipart").json()["draft"]
    made = Production.objects.get(pk=call("owner", "post", f"/api/imports/{draft}/production/", {
        "name": "Again"}).json()["id"])
    assert json.loads(taken_out(call, made)) == json.loads(told)
    for model in (Casting, LineCasting, LineTiming, LineDirection):
        of: Any = model
        assert of.objects.filter(edition__production=made).count() == of.objects.filter(
            edition__production=decided).count() > 0
    assert Wording.objects.filter(edition__production=made, state="approved").count() == 1
    for tag in LIGHT:
        keys = ("words", "state", "own", "timing", "slot", "in_sight", "voice")
        assert [[x[key] for key in keys if key != "state"] for x in lines(call, made, tag)] == [
            [x[key] for key in keys if key != "state"] for x in lines(call, decided, tag)]


@pytest.mark.parametrize(("change", "why"), [
    (lambda whole: whole["editions"]["es-MX"]["timing"].update(hard_fast=9), "must lie between"),
    (lambda whole: whole["editions"]["es-MX"]["cast"]["Pilot"].update(voice="nobody"), "nobody"),
    (lambda whole: whole["editions"]["es-MX"]["cast"]["Pilot"].update(pace="fast"), "no number"),
    (lambda whole: whole["lines"][0].update(own={"es-MX": {"timing": {"mode": "sideways"}}}), "sideways"),
    (lambda whole: whole["lines"][0].update(own={"es-MX": {"direction": {"variant": -1}}}), "0 to 999"),
    (lambda whole: whole["lines"][0].update(own={"es-MX": {"direction": {"said": "One.", "marks": [
        {"kind": "stress", "word": 4}]}}}), "no such word"),
])
def test_what_cannot_be_is_refused_and_nothing_is_made(decided: Production, call: Call, change: Any, why: str) -> None:
    whole = json.loads(taken_out(call, decided))
    change(whole)
    draft = call("owner", "post", "/api/imports/", {"text": json.dumps(whole)}).json()["draft"]
    before = Production.objects.count()
    answer = call("owner", "post", f"/api/imports/{draft}/production/", {"name": "Bad"})
    assert answer.status_code == 400
    assert why in answer.json()["message"]
    assert Production.objects.count() == before
