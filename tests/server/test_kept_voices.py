"""Voices that people keep: rows of the catalogue that belong to a production or to somebody."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from janoglot.core.dubbing import dub
from janoglot.core.script.formats import read_script
from janoglot.editions.keeping import forget_all
from janoglot.editions.state import EditionState
from janoglot.productions.actions.create_production import create_production
from janoglot.productions.models import Casting, Edition, KeptVoice, Membership, Production, Role, Speaker
from tests.server.conftest import Call, content, edition_path, handed, lines, user

VOICE, NAME = "quetzal", "The old Pilot"


@pytest.fixture
def path(production: Production, call: Call) -> str:
    """An edition whose Pilot speaks lower, older and breathier than the catalogue's voice."""
    path = edition_path(production)
    call("owner", "post", f"{path}castings/", {})
    call("owner", "put", f"{path}castings/{pilot(production)}/",
         {"voice": VOICE, "pitch": -2, "younger": -0.5, "breathier": 0.2, "brighter": 1.5, "pace": 1.1, "level_db": -2})
    return path


def pilot(production: Production) -> int:
    return Speaker.objects.get(production=production, name="Pilot").pk


def keep(call: Call, production: Production, path: str, name: str = NAME, who: str = "owner", **more: Any) -> Any:
    return call(who, "post", f"{path}castings/{pilot(production)}/kept/", {"name": name, **more})


def recipe(production: Production) -> Any:
    """What the Pilot's first line would be made from."""
    forget_all()
    return EditionState.load(Edition.objects.get(production=production, language="es-MX")).lines[0].recipe


def offered(call: Call, production: Production | None = None, who: str = "owner") -> list[str]:
    of = f"&production={production.pk}" if production else ""
    return [one["name"] for one in call(who, "get", f"/api/voices/?language=es-MX{of}").json() if one["version"]]


def test_one_sounds_by_itself_as_the_speaker_did(production: Production, call: Call, path: str) -> None:
    before = recipe(production)
    made = keep(call, production, path)
    assert (made.status_code, made.json()["name"], made.json()["version"], made.json()["production"]) == (201, NAME, 1, "The Night Ferry")
    casting = next(one for one in call("owner", "get", f"{path}castings/").json() if one["speaker"] == pilot(production))
    assert casting["voice"]["name"] == NAME
    assert (casting["settings"]["pitch"], casting["settings"]["younger"], casting["settings"]["pace"], casting["settings"]["level_db"]) == (0, 0, 1.1, -2)
    after = recipe(production)
    assert after.voice.shaping.tract == before.voice.shaping.tract
    assert (after.voice.shaping.breath, after.voice.shaping.tilt_db) == (before.voice.shaping.breath, before.voice.shaping.tilt_db)
    assert after.voice.shaping.pitch_hz == pytest.approx(before.voice.shaping.pitch_hz * 2 ** (-2 / 12), abs=0.01)
    assert after.delivery.pitch == 0
    assert after.delivery.pace == before.delivery.pace
    # The whole way with it: voiced, gauged, heard, and undone.
    call("owner", "post", f"{path}voicings/", {})
    assert lines(call, production)[0]["state"] == "current"
    assert call("owner", "post", f"{path}wordings/{lines(call, production)[0]['id']}/gauge/", {"text": "Hola a todos."}).json()["natural"] > 0.3
    kept = KeptVoice.objects.get().pk
    assert call("owner", "post", f"{path}castings/{pilot(production)}/audition/?voice={kept}", None).json()["finished"] is True
    assert kept in [row["voice"] for row in call("owner", "get", f"{path}castings/{pilot(production)}/match/").json()]
    assert call("owner", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
    assert Casting.objects.get(edition__language="es-MX", speaker=pilot(production)).voice == VOICE


def test_the_same_name_again_is_another_version_and_the_first_stays(production: Production, call: Call, path: str) -> None:
    keep(call, production, path)
    first = recipe(production)
    cook = Speaker.objects.get(production=production, name="Cook").pk
    call("owner", "put", f"{path}castings/{cook}/", {"voice": KeptVoice.objects.get().pk})
    call("owner", "put", f"{path}castings/{pilot(production)}/", {"pitch": 1})
    assert keep(call, production, path).json()["version"] == 2
    assert recipe(production).voice.recipe != first.voice.recipe
    forget_all()
    state = EditionState.load(Edition.objects.get(production=production, language="es-MX"))
    assert state.lines[1].voice is not None
    assert state.lines[1].voice.recipe == first.voice.recipe, "who was cast with the first sounds as before"
    assert offered(call, production) == [NAME], "the newest alone is offered"
    assert len({use["speaker"] for use in call("owner", "get", f"/api/voices/{KeptVoice.objects.first().pk}/uses/").json()}) == 2  # type: ignore[union-attr]


@pytest.mark.parametrize(("name", "said"), [("", "blank"), ("   ", "blank"), ("Quetzal", "catalogue has a voice"), ("x" * 61, "60")])
def test_a_name_that_is_none(production: Production, call: Call, path: str, name: str, said: str) -> None:
    answer = keep(call, production, path, name)
    assert (answer.status_code, said in answer.json()["message"]) == (400, True), answer.json()
    assert not KeptVoice.objects.exists()


class TestWhoMayCastIt:
    def test_a_productions_own_is_offered_there_to_all_who_see_it(self, production: Production, call: Call, path: str) -> None:
        keep(call, production, path)
        other = create_production(production.created_by, "Other", read_script("speaker,en-GB,es-MX\nA,Hi.,Hola.\n", "o.csv"), "en-GB")  # type: ignore[arg-type]
        kept = KeptVoice.objects.get().pk
        assert (offered(call, production), offered(call, production, "reader"), offered(call, other)) == ([NAME], [NAME], [])
        speaker = Speaker.objects.get(production=other).pk
        refused = call("owner", "put", f"{edition_path(other)}castings/{speaker}/", {"voice": kept})
        assert (refused.status_code, refused.json()["code"]) == (400, "unknown_voice")
        assert call("stranger", "get", f"/api/voices/?production={production.pk}").status_code == 404

    def test_ones_own_is_offered_in_all_of_theirs_and_to_nobody_else(self, production: Production, call: Call, path: str) -> None:
        keep(call, production, path, mine=True)
        other = create_production(production.created_by, "Other", read_script("speaker,en-GB,es-MX\nA,Hi.,Hola.\n", "o.csv"), "en-GB")  # type: ignore[arg-type]
        Membership.objects.create(production=other, user=user("colleague"), role=Role.EDITOR)
        kept, speaker = KeptVoice.objects.get().pk, Speaker.objects.get(production=other).pk
        assert (offered(call, other), offered(call, None), offered(call, other, "colleague")) == ([NAME], [NAME], [])
        own = f"{edition_path(other)}castings/{speaker}/"
        assert call("colleague", "put", own, {"voice": kept}).status_code == 400
        assert call("owner", "put", own, {"voice": kept}).status_code == 200
        # Once it is cast, everybody hears it, and may set it.
        assert call("colleague", "put", own, {"pace": 1.2}).status_code == 200
        assert [one["voice"]["name"] for one in call("colleague", "get", f"{edition_path(other)}castings/").json()] == [NAME]
        assert call("colleague", "delete", f"/api/voices/kept/{kept}/").status_code == 404
        production.created_by.delete()  # type: ignore[union-attr]
        forget_all()
        assert EditionState.load(Edition.objects.get(production=other, language="es-MX")).lines[0].voice is not None

    def test_one_that_is_put_away_is_offered_no_more_and_stays_where_it_is(self, production: Production, call: Call, path: str) -> None:
        keep(call, production, path)
        kept = KeptVoice.objects.get().pk
        assert [one["id"] for one in call("reader", "get", "/api/voices/kept/").json()] == [kept]
        assert call("reader", "delete", f"/api/voices/kept/{kept}/").status_code == 403
        assert call("stranger", "get", "/api/voices/kept/").json() == []
        assert call("owner", "delete", f"/api/voices/kept/{kept}/").status_code == 204
        assert offered(call, production) == []
        assert recipe(production).voice.name == NAME


def test_a_single_line_may_have_one_that_nobody_had_before(production: Production, call: Call, path: str) -> None:
    keep(call, production, path)
    kept = KeptVoice.objects.get().pk
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert lines(call, production)[1]["state"] == "unvoiced"
    call("owner", "put", f"{path}lines/{lines(call, production)[1]['id']}/casting/", {"voice": kept})
    kept_up_to_date = EditionState.load(Edition.objects.get(production=production, language="es-MX"))
    assert kept_up_to_date.lines[1].voice is not None
    assert kept_up_to_date.lines[1].voice.name == NAME


def test_they_go_with_their_production_wherever_it_goes(production: Production, call: Call, path: str, tmp_path: Path) -> None:
    keep(call, production, path)
    call("owner", "put", f"{path}lines/{lines(call, production)[1]['id']}/casting/", {"voice": KeptVoice.objects.get().pk})
    wanted = recipe(production).hash
    # Copied.
    copy = call("owner", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Again"}).json()["id"]
    assert recipe(Production.objects.get(pk=copy)).hash == wanted
    # Taken out, and brought in by somebody who has never seen it.
    written = content(handed(call, f"/api/productions/{production.pk}/", "script.json"))
    made = create_production(user("far"), "Far", read_script(written, "script.json"), "en-GB")
    assert recipe(made).hash == wanted
    assert sorted(KeptVoice.objects.values_list("production__name", "name")) == [("Far", NAME), ("The Night Ferry", NAME)]
    # By the command line, with no server.
    report = dub(read_script(written, "script.json"), "en-GB", ["es-MX"], {}, tmp_path / "out", tmp_path / "made", quality="sketch")
    assert report["editions"]["es-MX"]["lines"][0]["voice"].startswith("kept-")
    # On a sheet, by name.
    sheet = call("owner", "get", f"/api/productions/{production.pk}/castings.csv").content.decode("utf-8-sig")
    assert NAME in sheet
    answer = call("owner", "post", f"/api/productions/{production.pk}/castings/", {"text": sheet.replace("-2.0", "-3").replace("-2,", "-3,")})
    assert (answer.status_code, answer.json()["problems"]) == (200, [])


@pytest.mark.parametrize("wrong", [{"engine": "../../bin/sh"}, {"base": "../../etc/passwd"}, {"shaping": {}}, {"shaping": "low"},
                                   {"shaping": {"pitch_hz": 1e9}}, {"shaping": {"pitch_hz": True}}])
def test_what_a_file_says_of_a_voice_is_not_believed(production: Production, call: Call, path: str, wrong: dict[str, Any]) -> None:
    keep(call, production, path)
    told = json.loads(content(handed(call, f"/api/productions/{production.pk}/", "script.json")))
    voice = next(iter(told["voices"].values()))
    voice.update({**wrong, "shaping": {**voice["shaping"], **wrong["shaping"]}} if wrong.get("shaping") and isinstance(wrong["shaping"], dict) else wrong)
    draft = call("stranger", "post", "/api/imports/", {"text": json.dumps(told)}).json()["draft"]
    answer = call("stranger", "post", f"/api/imports/{draft}/production/", {"name": "Bad"})
    assert (answer.status_code, NAME in answer.json()["message"]) == (400, True)
    assert not Production.objects.filter(name="Bad").exists()
