"""What lies under the voices, by the interface for programs: one plan for all editions, in every mix of them."""

from __future__ import annotations

import io
import json
from typing import Any
from urllib.parse import quote

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.core.mix.cues import sound_plan_of
from janoglot.editions.state import EditionState
from janoglot.mix.models import Mix
from janoglot.productions.models import Line, Media, Production, SoundWorld, Speaker
from janoglot.productions.taking_out import production_script
from tests.server.conftest import Call, content, edition_path

SEA = {"layer": "ambience", "sound": {"made": "gentle surf", "number": 2}, "at": {"seconds": 0}, "loop": True}
KNOCK = {"layer": "effects", "sound": {"made": "three knocks"}, "at": {"line": 3, "edge": "start", "seconds": -0.5}}


@pytest.fixture
def voiced(production: Production, call: Call) -> str:
    path = edition_path(production)
    for speaker, voice in zip(Speaker.objects.filter(production=production), ("azor", "abubilla"), strict=False):
        call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": voice})
    call("owner", "post", f"{path}voicings/", {})
    return path


def set_world(call: Call, production: Production, **plan: Any) -> dict[str, Any]:
    answer = call("owner", "put", f"/api/productions/{production.pk}/sounds/", {"layers": [], "cues": [], **plan})
    assert answer.status_code == 200, answer.json()
    told: dict[str, Any] = answer.json()
    return told


def mixed(call: Call, path: str) -> tuple[str, np.ndarray[Any, Any]]:
    recipe = call("owner", "post", f"{path}mixes/", {}).json()["recipe"]
    told = call("owner", "get", f"{path}mixes/{recipe}/").json()
    assert told["state"] == "ready", told
    samples, _ = soundfile.read(io.BytesIO(content(call("reader", "get", f"{path}mixes/{recipe}/sound.wav"))), always_2d=True)
    return recipe, samples


def test_a_sound_world_is_in_every_edition_s_mix_and_undone(call: Call, production: Production, voiced: str) -> None:
    sounds = f"/api/productions/{production.pk}/sounds/"
    assert call("reader", "get", sounds).json().items() >= {"layers": [], "cues": [], "editions": {}}.items()
    bare, before = mixed(call, voiced)
    assert before.shape[1] == 1
    told = call("editor", "put", sounds, {"layers": [], "cues": [SEA, KNOCK]}).json()
    assert [layer["kind"] for layer in told["layers"]] == ["ambience", "effects"] and told["layers"][0]["duck"]["amount_db"] == 4
    assert call("owner", "put", sounds, told).json() == told, "as it is told it is taken again"
    recipe, after = mixed(call, voiced)
    assert recipe != bare and after.shape[1] == 2 and np.abs(after[:24_000]).max() > 0.002, "the sea is heard before anybody speaks"
    # A change of one cue is another mix; without any it is the one that was.
    call("owner", "put", sounds, {**told, "cues": [{**SEA, "gain_db": -6}]})
    assert mixed(call, voiced)[0] not in (bare, recipe)
    call("owner", "put", sounds, {"layers": told["layers"], "cues": []})
    assert mixed(call, voiced)[0] == bare
    for _ in range(3):
        if SoundWorld.objects.exists():
            call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
    assert not SoundWorld.objects.exists()


def test_one_thing_moved_on_and_on_is_one_to_undo_and_others_are_others(call: Call, production: Production, voiced: str) -> None:
    told = set_world(call, production, cues=[SEA])
    for gain in (-1, -2, -3):
        told["cues"][0]["gain_db"] = gain
        told = set_world(call, production, **told)
    told = set_world(call, production, **{**told, "cues": [*told["cues"], KNOCK]})
    set_world(call, production, **{**told, "cues": []})
    undo, found = f"/api/productions/{production.pk}/undo/", []
    for _ in range(4):
        call("owner", "post", undo, {})
        row = SoundWorld.objects.filter(production=production).first()
        found.append([cue.get("gain_db", 0) for cue in row.plan["cues"]] if row else None)
    assert found == [[-3, 0], [-3], [0], None]


def test_what_is_tied_moves_with_its_line(call: Call, production: Production, voiced: str) -> None:
    sounds = f"/api/productions/{production.pk}/sounds/"
    call("owner", "put", sounds, {"layers": [], "cues": [KNOCK]})
    first, _ = mixed(call, voiced)
    line = production.lines.last()  # type: ignore[attr-defined]
    def knocked() -> float:
        state = EditionState.load(production.editions.get(language="es-MX"))
        [cue] = state.placed_cues[0]
        return cue.start

    before = knocked()
    call("owner", "patch", f"{voiced}timing/lines/", {"lines": [line.pk], "own": {"mode": "pinned", "at": 7.5}})
    assert mixed(call, voiced)[0] != first and knocked() == pytest.approx(7.0) != before


@pytest.mark.parametrize("plan", [
    {"cues": [{**SEA, "sound": {"made": "a unicorn"}}]}, {"cues": [{**SEA, "sound": {"file": "/etc/passwd"}}]},
    {"cues": [{**SEA, "gain_db": 99}]}, {"layers": [{"name": "x", "kind": "smell"}]}, {"cues": [{**SEA, "layer": "smell"}]}])
def test_what_is_none_is_refused(call: Call, production: Production, plan: dict[str, Any]) -> None:
    answer = call("owner", "put", f"/api/productions/{production.pk}/sounds/", {"layers": [], "cues": [], **plan})
    assert answer.status_code == 400 and not SoundWorld.objects.exists()


def test_a_description_is_understood_and_heard(call: Call, production: Production) -> None:
    told = call("reader", "get", "/api/sounds/?told=heavy rain on a tin roof, a unicorn").json()
    [rain] = told["parts"]
    assert (rain["sound"], rain["settings"], rain["level_db"]) == ("rain", {"density": 0.9, "metal": 0.9}, 0.0)
    assert {dial["name"] for dial in rain["dials"]} == {"density", "metal", "distance"} and all(dial["what"] for dial in rain["dials"])
    assert told["missed"] == ["unicorn"] and told["goes_on"] is True
    answer = call("reader", "get", "/api/sounds/heard.flac?told=three knocks&number=3")
    samples, rate = soundfile.read(io.BytesIO(content(answer)))
    assert rate == 48_000 and samples.shape[1] == 2 and np.abs(samples).max() > 0.1
    assert call("reader", "get", "/api/sounds/heard.flac?told=unicorn").status_code == 400
    assert call(None, "get", "/api/sounds/?told=rain").status_code == 401


def test_ties_stay_with_their_lines_when_others_come_before_them(call: Call, production: Production, voiced: str) -> None:
    told = set_world(call, production, cues=[KNOCK], places=[{"room": "telephone", "speaker": "Orrin"}])
    third = list(production.lines.all())[2].pk  # type: ignore[attr-defined]
    assert told["cues"][0]["at"]["line"] == f"#{third}" and told["places"][0]["room"] == "telephone"
    added = call("owner", "post", f"/api/productions/{production.pk}/script/add/", {"behind": None, "text": ""})
    assert added.status_code in (200, 201), added.json()
    named = call("reader", "get", f"/api/productions/{production.pk}/sounds/?names=true").json()
    lines = [line.pk for line in production.lines.all()]  # type: ignore[attr-defined]
    assert named["cues"][0]["at"]["line"] == str(lines.index(third) + 1)


def test_a_copy_and_a_script_have_the_sounds_with_them(call: Call, production: Production, voiced: str) -> None:
    speaker = Speaker.objects.filter(production=production).first()
    assert speaker is not None
    set_world(call, production, cues=[SEA, KNOCK], speakers=[{"speaker": speaker.name, "pan": -0.5}])
    copied = call("owner", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Again"}).json()["id"]
    names = [call("owner", "get", f"/api/productions/{one}/sounds/?names=true").json() for one in (production.pk, copied)]
    assert names[0] == names[1] and names[0]["speakers"][0]["speaker"] == speaker.name
    ids = [call("owner", "get", f"/api/productions/{one}/sounds/").json()["cues"][1]["at"]["line"] for one in (production.pk, copied)]
    assert ids[0] != ids[1]
    script = production_script(production)
    assert script.sounds["cues"][1]["at"]["line"] == "3" and script.sounds["speakers"][0]["speaker"] == speaker.name


def test_one_changed_line_remakes_its_blocks_alone(call: Call, production: Production, voiced: str) -> None:
    edition = production.editions.get(language="es-MX")  # type: ignore[attr-defined]
    set_world(call, production, cues=[SEA])
    recipe, _ = mixed(call, voiced)
    report = Mix.objects.get(edition=edition, recipe=recipe).report
    assert report["blocks_made"] == report["blocks"] == 1
    set_world(call, production, cues=[SEA, {**KNOCK, "at": {"seconds": 25.0}}])
    assert mixed(call, voiced)[0] == recipe, "what comes after the end of the programme is heard by nobody"
    for plan, made in (({"cues": [SEA, KNOCK]}, 1), ({"cues": [SEA], "ceiling_db": -2}, 0), ({"cues": [SEA, KNOCK], "ceiling_db": -2}, 0)):
        set_world(call, production, **plan)  # type: ignore[arg-type]
        assert Mix.objects.get(edition=edition, recipe=mixed(call, voiced)[0]).report["blocks_made"] == made


def test_strips_rooms_and_an_edition_that_differs_are_heard(call: Call, production: Production, voiced: str) -> None:
    first = production.lines.first()  # type: ignore[attr-defined]
    name = first.speaker.name
    set_world(call, production, speakers=[{"speaker": name, "pan": -1.0}])
    _, left = mixed(call, voiced)
    start = slice(48_000, 115_000)  # the first line
    assert np.abs(left[start, 0]).max() > 0.01 and np.abs(left[start, 1]).max() < 1e-4
    set_world(call, production, editions={"es-MX": {"speakers": {name: {"mute": True}}}})
    _, muted = mixed(call, voiced)
    assert np.abs(muted[start]).max() < 1e-4
    set_world(call, production, places=[{"room": "hall", "line": "1"}])
    _, hall = mixed(call, voiced)
    assert hall.shape[1] == 2 and not np.allclose(hall[start, 0], hall[start, 1])
    assert call("owner", "put", f"/api/productions/{production.pk}/sounds/", {"editions": {"es-MX": {"layers": {}, "speakers": {name: {"pan": 7}}}}}).status_code == 400


def test_what_hides_words_is_told_and_given_way_to(call: Call, production: Production, voiced: str) -> None:
    loud = {**SEA, "sound": {"made": "heavy rain"}, "gain_db": 18}
    set_world(call, production, cues=[loud])
    recipe, _ = mixed(call, voiced)
    unclear = call("reader", "get", f"{voiced}mixes/{recipe}/").json()["report"]["unclear"]
    assert unclear
    line = next(iter(unclear))
    set_world(call, production, cues=[loud], deeper=[{"line": f"#{line}", "db": 20}])
    recipe, _ = mixed(call, voiced)
    after = call("reader", "get", f"{voiced}mixes/{recipe}/").json()["report"]
    assert after["unclear"].get(line, 99.0) > unclear[line] + 15 and after["voices"] < after["lufs"] + 3


def test_dialogue_is_at_its_own_loudness(call: Call, production: Production, voiced: str) -> None:
    call("owner", "patch", f"/api/productions/{production.pk}/", {"target_lufs": -27})
    set_world(call, production, cues=[{**SEA, "sound": {"made": "heavy rain"}, "gain_db": 18}], dialogue=True)
    recipe, _ = mixed(call, voiced)
    report = call("reader", "get", f"{voiced}mixes/{recipe}/").json()["report"]
    assert report["voices"] == pytest.approx(-27, abs=0.1) and report["lufs"] > -26.5


class TestLayers:
    def test_layers_sum_to_the_mix(self, call: Call, production: Production, voiced: str) -> None:
        set_world(call, production, cues=[SEA, {**KNOCK, "gain_db": -15}], layers=[{"name": "effects", "kind": "effects", "pan": 0.3}])
        _, whole = mixed(call, voiced)
        told = call("reader", "get", f"{voiced}layers/").json()
        assert {layer["kind"] for layer in told["layers"]} == {"voice", "ambience", "effects"} and told["block_seconds"] == 10
        total = np.zeros((round(told["seconds"] * 48_000), 2))
        for layer in told["layers"]:
            for number, key in enumerate(layer["blocks"]):
                if not key:
                    continue
                answer = call("reader", "get", f"{voiced}layers/piece.flac?layer={layer['name']}&block={number}&key={key}")
                piece, _ = soundfile.read(io.BytesIO(content(answer)), always_2d=True)
                if piece.shape[1] == 1:
                    piece = piece * np.array([np.cos((layer["pan"] + 1) * np.pi / 4), np.sin((layer["pan"] + 1) * np.pi / 4)])
                else:
                    piece = piece * np.minimum(1, np.sqrt(2) * np.array([np.cos((layer["pan"] + 1) * np.pi / 4), np.sin((layer["pan"] + 1) * np.pi / 4)]))
                total[number * 480_000: number * 480_000 + len(piece)] += piece * 10 ** ((layer["level_db"] + told["headroom_db"]) / 20)
        assert 20 * np.log10(np.abs(total * 10 ** (told["gain_db"] / 20) - whole).max()) < -70  # of sixteen bits

    def test_a_piece_of_what_has_moved_on_is_none(self, call: Call, production: Production, voiced: str) -> None:
        set_world(call, production, cues=[SEA])
        layer = next(one for one in call("reader", "get", f"{voiced}layers/").json()["layers"] if one["name"] == "ambience")
        set_world(call, production, cues=[{**SEA, "gain_db": -3}])
        answer = call("reader", "get", f"{voiced}layers/piece.flac?layer=ambience&block=0&key={layer['blocks'][0]}")
        assert answer.status_code == 404
        again = next(one for one in call("reader", "get", f"{voiced}layers/").json()["layers"] if one["name"] == "ambience")
        assert again["blocks"][0] != layer["blocks"][0]

    def test_cues_are_told_where_they_lie(self, call: Call, production: Production, voiced: str) -> None:
        music = {"layer": "music", "sound": {"composed": {"mood": "playful", "seconds": 20}}, "at": 0, "until": {"line": 3, "edge": "end", "seconds": 8}, "fit": True}
        set_world(call, production, cues=[KNOCK, music, {**KNOCK, "at": {"line": "99"}}])
        told = call("reader", "get", f"{voiced}layers/").json()
        knock, theme = sorted(told["cues"], key=lambda one: one["layer"])
        assert told["left_out"] and theme["cut"] and theme["sound_seconds"] == 20 and theme["joins"] and theme["seconds"] < told["seconds"] + 0.01
        assert knock["start"] > 0 and 0.2 < knock["seconds"] < 4


class TestLibrary:
    def test_it_comes_with_forty_sounds_and_six_pieces_of_music(self, call: Call, production: Production) -> None:
        rows = call("reader", "get", "/api/library/sounds/").json()
        kinds = [row["kind"] for row in rows if row["origin"] == "shipped"]
        assert len(kinds) - kinds.count("music") >= 40 and kinds.count("music") == 6
        assert all(row["licence"] and row["tags"] for row in rows)
        found = call("reader", "get", "/api/library/sounds/?text=clock tower").json()
        assert [row["name"] for row in found] == ["Works of the clock"]

    def test_a_file_is_brought_in_named_used_and_let_go(self, call: Call, production: Production, voiced: str) -> None:
        file = io.BytesIO()
        soundfile.write(file, 0.2 * np.sin(np.arange(3 * 22_050) * 0.2), 22_050, format="OGG")
        answer = call("editor", "post", "/api/library/sounds/", {"file": SimpleUploadedFile("Tide bell (far).ogg", file.getvalue()), "kind": "effects", "tags": "bell, sea", "licence": "ours"}, format="multipart")
        assert answer.status_code == 202 and answer.json()["state"] == "reading", answer.json()
        number = answer.json()["sound"]["kept"]
        row = next(one for one in call("editor", "get", "/api/library/sounds/").json() if one["sound"] == {"kept": number})
        assert row["state"] == "ready" and row["seconds"] == pytest.approx(3.0, abs=0.05) and -20 < row["lufs"] < -10 and row["tags"] == ["bell", "sea"]
        assert call("owner", "put", f"/api/productions/{production.pk}/sounds/", {"cues": [{"layer": "effects", "sound": {"kept": number}, "at": 1}]}).status_code == 400, "another's, which lies nowhere yet"
        cue = {"layer": "effects", "sound": {"kept": number}, "at": 1}
        assert call("editor", "put", f"/api/productions/{production.pk}/sounds/", {"cues": [cue]}).status_code == 200
        assert mixed(call, voiced)[1].shape[1] == 2
        assert call("editor", "patch", f"/api/library/sounds/{number}/", {"name": "Bell buoy", "tags": ["buoy"]}).json()["name"] == "Bell buoy"
        call("editor", "put", "/api/library/favourites/", {"name_id": f"kept/{number}", "favourite": True})
        first = call("editor", "get", "/api/library/sounds/").json()[0]
        assert (first["name"], first["favourite"], first["used_in"]) == ("Bell buoy", True, [production.name])
        assert call("owner", "patch", f"/api/library/sounds/{number}/", {"name": "Mine"}).status_code == 404
        assert call("editor", "delete", f"/api/library/sounds/{number}/").status_code == 204
        recipe, _ = mixed(call, voiced)
        assert recipe, "what lies under voices stays there"

    @pytest.mark.parametrize("data", [b"", b"no sound at all", b"#EXTM3U\nhttp://127.0.0.1/x.wav\n"])
    def test_what_is_no_sound_is_refused(self, call: Call, production: Production, data: bytes) -> None:
        answer = call("owner", "post", "/api/library/sounds/", {"file": SimpleUploadedFile("a.wav", data)}, format="multipart")
        assert answer.status_code == 400

    def test_a_sound_is_heard_drawn_and_cut(self, call: Call, production: Production) -> None:
        source = quote(json.dumps({"composed": {"mood": "playful", "seconds": 30}, "number": 2}))
        drawn = call("reader", "get", f"/api/sounds/peaks/?source={source}").json()
        assert drawn["seconds"] == 30 and len(drawn["peaks"]) > 1_000
        ways = call("reader", "get", f"/api/sounds/cuts/?source={source}&seconds=41").json()
        assert 1 <= len(ways) <= 3 and all(1 <= len(way["joins"]) <= 4 for way in ways)
        sound, _ = soundfile.read(io.BytesIO(content(call("reader", "get", f"/api/sounds/whole.flac?source={source}&seconds=41&which=1"))))
        assert len(sound) == 41 * 48_000
        assert call("reader", "get", "/api/sounds/whole.flac?source={}").status_code == 400
        assert call(None, "get", f"/api/sounds/whole.flac?source={source}").status_code == 401


class TestBed:
    def brought(self, call: Call, production: Production, samples: Any, purpose: str) -> dict[str, Any]:
        file = io.BytesIO()
        soundfile.write(file, samples, 48_000, format="FLAC")
        answer = call("owner", "post", f"/api/productions/{production.pk}/media/", {"file": SimpleUploadedFile(f"{purpose}.flac", file.getvalue()), "purpose": purpose}, format="multipart")
        assert answer.status_code == 202, answer.json()
        told: dict[str, Any] = answer.json()
        return told

    def source(self) -> Any:
        rng = np.random.default_rng(5)
        time = np.arange(9 * 48_000) / 48_000
        return (0.1 * rng.standard_normal(len(time)) * (np.sin(2 * np.pi * 1.3 * time) > 0)).astype(np.float32)

    def test_the_source_lies_under_the_dub_and_not_under_itself(self, call: Call, production: Production, voiced: str) -> None:
        _, bare = mixed(call, voiced)
        self.brought(call, production, self.source(), "source")
        set_world(call, production, bed={"use": "keep"})
        assert EditionState.load(production.editions.get(language="en-GB")).bed is None  # type: ignore[attr-defined]
        _, kept = mixed(call, voiced)
        assert kept.shape[1] == 2 and np.abs(kept[:40_000]).max() > 0.01 > np.abs(bare[:40_000]).max()
        layers = {layer["name"] for layer in call("reader", "get", f"{voiced}layers/").json()["layers"]}
        assert "source" in layers
        part = production.parts.first()  # type: ignore[attr-defined]
        told = set_world(call, production, bed={"use": "keep", "parts": {part.name: "off"}})
        assert told["bed"]["parts"] == {f"#{part.pk}": "off"}

    def test_music_and_effects_are_lined_up_and_used_instead(self, call: Call, production: Production, voiced: str) -> None:
        source = self.source()
        played = self.brought(call, production, source, "source")
        clean = self.brought(call, production, np.concatenate([np.zeros(24_000, np.float32), source]), "bed")
        media = f"/api/productions/{production.pk}/media/{clean['id']}/"
        told = call("reader", "get", media).json()
        assert told["offset"] == pytest.approx(0.5, abs=0.001) and told["sure"] > 0.05 and told["played"]
        set_world(call, production, bed={"use": "mute"})
        bed = EditionState.load(production.editions.get(language="es-MX")).bed  # type: ignore[attr-defined]
        assert bed is not None and bed.clean and bed.pieces[0].source == pytest.approx(0.5, abs=0.001)
        before = mixed(call, voiced)[0]
        assert call("owner", "patch", media, {"offset": 0.25}).json()["offset"] == 0.25
        assert mixed(call, voiced)[0] != before
        # What somebody said is not overruled by what is found, whoever brings the same file in elsewhere.
        other = call("owner", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Again", "with_takes": False}).json()["id"]
        Media.objects.filter(production=other, purpose="bed").update(by_hand=False, offset=None)
        call("owner", "patch", f"/api/productions/{production.pk}/media/{played['id']}/", {"played": True})
        assert call("reader", "get", media).json()["offset"] == 0.25
        assert Media.objects.get(production=other, purpose="bed").offset == pytest.approx(0.5, abs=0.001)

    def test_a_bed_is_lined_up_anew_with_another_recording(self, call: Call, production: Production, voiced: str) -> None:
        source = self.source()
        first = self.brought(call, production, source, "source")
        clean = self.brought(call, production, np.concatenate([np.zeros(24_000, np.float32), source]), "bed")
        self.brought(call, production, np.concatenate([np.zeros(12_000, np.float32), source]), "source")
        assert Media.objects.get(pk=clean["id"]).offset == pytest.approx(0.25, abs=0.001)
        call("owner", "patch", f"/api/productions/{production.pk}/media/{first['id']}/", {"played": True})
        assert Media.objects.get(pk=clean["id"]).offset == pytest.approx(0.5, abs=0.001)

    def test_what_is_neither_is_refused(self, call: Call, production: Production) -> None:
        answer = call("owner", "post", f"/api/productions/{production.pk}/media/", {"file": SimpleUploadedFile("a.flac", b"x"), "purpose": "smell"}, format="multipart")
        assert answer.status_code == 400


def test_ties_of_one_edition_lead_to_the_copys_own_lines_and_are_taken_out(production: Production, call: Call) -> None:
    first, second, third = Line.objects.filter(production=production).values_list("pk", flat=True)
    part = production.parts.create(name="Boathouse", position=0)
    speaker = Speaker.objects.filter(production=production).first()
    assert speaker is not None
    plan = {"layers": [{"name": "effects", "kind": "effects", "level_db": -8}], "bed": {"use": "mute", "parts": {f"#{part.pk}": "keep"}},
            "cues": [{"id": "a", "layer": "effects", "sound": {"made": "bell"}, "at": {"seconds": 0, "line": f"#{first}"}}],
            "editions": {"es-MX": {"cues": {"a": {"at": {"seconds": 1, "line": f"#{second}", "edge": "end"}, "until": {"seconds": 0, "part": f"#{part.pk}"}}},
                                   "speakers": {f"#{speaker.pk}": {"pan": 0.5}}, "deeper": [{"line": f"#{third}", "db": 3}],
                                   "bed": {"use": "keep", "parts": {f"#{part.pk}": "mute"}}}}}
    assert call("owner", "put", f"/api/productions/{production.pk}/sounds/", plan).status_code == 200
    named = call("owner", "get", f"/api/productions/{production.pk}/sounds/?names=true").json()["editions"]["es-MX"]
    assert named["cues"]["a"]["at"] == {"seconds": 1, "line": "2", "edge": "end"} and named["cues"]["a"]["until"]["part"] == "Boathouse"
    assert named["bed"]["parts"] == {"Boathouse": "mute"} and named["deeper"][0]["line"] == "3"
    made = call("owner", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Again"}).json()["id"]
    copy = Production.objects.get(pk=made)
    quay = f"#{copy.parts.get(name='Boathouse').pk}"
    lines = [f"#{pk}" for pk in Line.objects.filter(production=copy).values_list("pk", flat=True)]
    there = call("owner", "get", f"/api/productions/{made}/sounds/").json()["editions"]["es-MX"]
    assert there["cues"]["a"]["at"]["line"] == lines[1] and there["deeper"][0]["line"] == lines[2]
    assert there["cues"]["a"]["until"]["part"] == quay and there["bed"]["parts"] == {quay: "mute"}
    assert list(there["speakers"]) == [f"#{copy.speakers.get(name=speaker.name).pk}"]


def test_a_sound_that_one_edition_ties_elsewhere_is_tied_there_alone(production: Production, call: Call) -> None:
    """Laid over, a place is a place of its own: to a part, or to nothing, and not to the line that it was tied to."""
    line = Line.objects.filter(production=production).first()
    assert line is not None
    cue = {"id": "a", "layer": "effects", "sound": {"made": "bell"}, "at": {"seconds": 0, "line": f"#{line.pk}"}}
    told = sound_plan_of({"layers": [{"name": "effects", "kind": "effects", "level_db": -8}], "cues": [cue], "editions": {
        "es-MX": {"cues": {"a": {"at": {"seconds": 2}}}}, "fr-FR": {"cues": {"a": {"gain_db": -3}}}}})
    assert not told.in_edition("es-MX").cues[0].at.line and told.in_edition("es-MX").cues[0].at.seconds == 2
    assert told.in_edition("fr-FR").cues[0].at.line == f"#{line.pk}"
