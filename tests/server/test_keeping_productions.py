"""Productions and editions: deleted and brought back, duplicated, archived; speakers noted, taken out, cast everywhere."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.utils import timezone

from janoglot.core.speech.catalogue import catalogue
from janoglot.productions.actions.delete_production import purge_deleted
from janoglot.productions.models import (
    Casting,
    Edition,
    Line,
    Production,
    Speaker,
    Take,
    Wording,
)
from tests.server.conftest import Call, edition_path, handed, lines
from tests.server.test_making import cast_and_voice


def listed(call: Call, who: str = "owner", query: str = "") -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = call(who, "get", f"/api/productions/{query}").json()
    return found


class TestDeleting:
    def test_kept_brought_back_and_let_go_at_last(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/"
        assert call("editor", "delete", path).status_code == 403
        assert call("owner", "delete", path).status_code == 204
        assert listed(call) == []
        assert call("owner", "get", path).status_code == 404
        assert [p["name"] for p in listed(call, query="?deleted=true")] == ["The Night Ferry"]
        assert listed(call, "editor", "?deleted=true") == []
        assert call("editor", "post", f"{path}bring-back/").status_code == 404
        assert call("owner", "post", f"{path}bring-back/").status_code == 204
        assert call("owner", "get", path).status_code == 200
        call("owner", "delete", path)
        assert purge_deleted() == 0
        Production.objects.update(deleted=timezone.now() - timedelta(days=31))
        assert purge_deleted() == 1
        assert not Line.objects.exists()


class TestDuplicating:
    @pytest.mark.parametrize("with_takes", [True, False])
    def test_a_production(self, with_takes: bool, production: Production, call: Call) -> None:
        cast_and_voice(call, production)
        pilot = Speaker.objects.get(production=production, name="Pilot").pk
        call("owner", "patch", f"{edition_path(production)}timing/", {"settings": {"speakers": {str(pilot): {"hard_fast": 1.3}}}})
        made = call("reader", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Again", "with_takes": with_takes}).json()
        copy = Production.objects.get(pk=made["id"])
        assert (copy.name, made["role"]) == ("Again", "owner")
        there = call("reader", "get", edition_path(copy)).json()["lines"]
        assert [line["words"] for line in there] == [line["words"] for line in lines(call, production)]
        assert {line["state"] for line in there} == {"current"}, "its takes are named by what they are made from"
        assert (set(Wording.objects.filter(edition__production=copy).values_list("take_id", flat=True)) == {""}) != with_takes
        assert list(Edition.objects.get(production=copy, language="es-MX").timing["speakers"]) == [
            str(Speaker.objects.get(production=copy, name="Pilot").pk)]
        call("reader", "post", f"/api/productions/{copy.pk}/script/remove/", {"lines": [there[0]["id"]]})
        assert len(lines(call, production)) == 3
        assert call("reader", "get", f"/api/productions/{copy.pk}/").json()["undo"] == "remove_lines"

    def test_an_edition_in_another_place(self, production: Production, call: Call) -> None:
        cast_and_voice(call, production)
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": [lines(call, production)[0]["id"]], "state": "approved"})
        answer = call("editor", "post", f"/api/productions/{production.pk}/editions/", {"language": "es-AR", "like": "es-MX"})
        assert answer.status_code == 201
        assert set(Wording.objects.filter(edition__language="es-AR").values_list("state", "origin")) == {("draft", "edition")}
        assert Casting.objects.filter(edition__language="es-AR").count() == 2
        call("editor", "post", f"/api/productions/{production.pk}/editions/", {"language": "it", "like": "es-MX"})
        assert set(Wording.objects.filter(edition__language="it").values_list("text", flat=True)) == {""}
        assert call("editor", "post", f"/api/productions/{production.pk}/editions/", {"language": "es-AR", "like": "es-MX"}).status_code == 400


class TestEditions:
    def test_taken_out_and_brought_back_with_its_takes(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        assert call("owner", "delete", f"{edition_path(production, 'en-GB')}removal/").status_code == 400
        assert call("editor", "delete", f"{path}removal/").status_code == 204
        assert call("editor", "get", path).status_code == 404
        assert call("editor", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
        assert {line["state"] for line in lines(call, production)} == {"current"}
        assert Take.objects.count() == 3


class TestListing:
    def test_how_each_stands(self, production: Production, call: Call) -> None:
        cast_and_voice(call, production)
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": [lines(call, production)[0]["id"]], "state": "approved"})
        (row,) = listed(call)
        spanish = next(one for one in row["languages"] if one["tag"] == "es-MX")
        assert {name: spanish[name] for name in ("worded", "approved", "drafts", "voiced")} == {
            "worded": 3, "approved": 1, "drafts": 0, "voiced": 3}
        assert (row["by"], row["role"], row["archived"]) == ("owner", "owner", False)
        assert row["changed"] >= row["created"]

    def test_settings_and_archiving(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/"
        assert call("owner", "patch", path, {"archived": True, "fps": 29.97, "name": "The Day Ferry"}).status_code == 200
        (row,) = listed(call)
        assert (row["archived"], row["name"]) == (True, "The Day Ferry")
        assert call("owner", "patch", path, {"fps": 0}).status_code == 400


class TestSpeakers:
    def test_noted_and_taken_out_once_silent(self, production: Production, call: Call) -> None:
        cast_and_voice(call, production)
        cook = Speaker.objects.get(production=production, name="Cook")
        call("editor", "patch", f"/api/speakers/{cook.pk}/", {"note": "Sixty, dry, from the coast"})
        told = call("reader", "get", f"/api/productions/{production.pk}/").json()["speakers"]
        assert next(one["note"] for one in told if one["id"] == cook.pk).startswith("Sixty")
        assert call("editor", "delete", f"/api/speakers/{cook.pk}/").status_code == 400
        call("editor", "post", f"/api/productions/{production.pk}/script/give/", {"all_of": cook.pk, "speaker": "Pilot"})
        assert call("editor", "delete", f"/api/speakers/{cook.pk}/").status_code == 204
        assert not Casting.objects.filter(speaker=cook.pk).exists()
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert Casting.objects.filter(speaker=cook.pk).count() == 1

    def test_cast_in_every_edition_as_the_same_person(self, production: Production, call: Call) -> None:
        pilot = Speaker.objects.get(production=production, name="Pilot").pk
        call("owner", "put", f"{edition_path(production, 'fr-FR')}castings/{pilot}/", {"voice": "curlew"})
        cast = call("owner", "post", f"/api/productions/{production.pk}/cast-all/", {}).json()["cast"]
        assert cast == {"en-GB": 2, "es-MX": 2, "fr-FR": 1}
        assert Casting.objects.get(edition__language="fr-FR", speaker=pilot).voice == "curlew", "chosen by hand"
        voices = catalogue()
        for speaker in Speaker.objects.filter(production=production):
            pitches = [voices[c.voice].shaping.pitch_hz for c in Casting.objects.filter(speaker=speaker)
                       if c.voice != "curlew"]
            assert max(pitches) / min(pitches) < 1.35

    def test_nobody_silent_is_cast(self, production: Production, call: Call) -> None:
        Speaker.objects.create(production=production, name="Silent", position=9)
        call("owner", "post", f"/api/productions/{production.pk}/cast-all/", {})
        assert not Casting.objects.filter(speaker__name="Silent").exists()


class TestUnreadDrafts:
    def test_stop_the_hand_over_with_a_way_past(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        first = lines(call, production)[0]["id"]
        call("owner", "patch", f"{path}wordings/", {"lines": [first], "state": "draft"})
        call("owner", "post", f"{path}mixes/", {})
        refused = handed(call, path, "mix.wav", sketch=True)
        assert (refused.status_code, "1 line is a draft" in refused.json()["message"]) == (400, True)
        assert handed(call, path, "mix.wav", sketch=True, unread=True).status_code == 200
        row = next(one for one in call("owner", "get", f"/api/productions/{production.pk}/deliveries/").json() if one["language"] == "es-MX")
        assert (row["unread"], row["approved"], row["worded"]) == ([first], 0, 3)
        call("owner", "patch", f"{path}wordings/", {"lines": [first], "state": "approved"})
        assert handed(call, path, "captions.srt").status_code == 200


class TestRecordings:
    def test_over_the_quota_nothing_is_read(self, production: Production, call: Call, settings: Any) -> None:
        settings.MEDIA_QUOTA = 10
        answer = call("owner", "post", f"/api/productions/{production.pk}/media/", {"file": b""}, format="multipart")
        assert (answer.status_code, answer.json()["code"]) == (400, "quota")


class TestBringingIn:
    def test_what_was_said_of_the_columns_is_kept_for_the_same_file_again(self, production: Production, call: Call) -> None:
        text = "Wer spricht,Was sagt er,Cue\nPilot,Hallo,00:00:01:00\nCook,Ja,00:00:02:00\n"
        first = call("owner", "post", "/api/imports/", {"text": text, "source_language": "de"}).json()
        columns = {"0": "speaker", "1": "words", "2": ""}
        call("owner", "patch", f"/api/imports/{first['draft']}/", {"format": "csv", "columns": columns, "fps": 24})
        again = call("owner", "post", "/api/imports/", {"text": text + "Mate,Nein,00:00:03:00\n"}).json()
        assert [one["meaning"] for one in again["columns"]] == ["speaker", "words", ""]
        assert again["source_language"] == "de"
        assert again["line_count"] == 3
        other = call("owner", "post", "/api/imports/", {"text": "speaker,words\nA,b"}).json()
        assert other["source_language"] == "en-GB"

    def test_what_was_decided_of_a_name_is_turned_and_made_so(self, production: Production, call: Call) -> None:
        text = "Pilot: Cast off.\nRemember one thing: never run.\nCook: Aye.\n"
        draft = call("owner", "post", "/api/imports/", {"text": text}).json()
        assert {one["name"]: (one["taken"], one["turned"]) for one in draft["labels"]} == {
            "Pilot": (True, False), "Remember one thing": (False, False), "Cook": (True, False)}
        call("owner", "patch", f"/api/imports/{draft['draft']}/", {"rows": {"1": {"drop": True}}})
        labels = {"Remember one thing": True, "Cook": False}
        turned = call("owner", "patch", f"/api/imports/{draft['draft']}/", {"labels": labels}).json()
        assert {one["name"] for one in turned["labels"] if one["turned"]} == set(labels)
        # Rows are others now: what was corrected of them means nothing any more.
        assert turned["rows"] == {}
        made = call("owner", "post", f"/api/imports/{draft['draft']}/production/", {"name": "Turned"}).json()
        assert [one["name"] for one in made["speakers"]] == ["Pilot", "Remember one thing"]
        assert call("owner", "patch", f"/api/imports/{draft['draft']}/", {"labels": {"Cook": "perhaps"}}).status_code in (400, 404)

    def test_times_inside_others_are_counted_as_one_says(self, production: Production, call: Call) -> None:
        text = ('<tt xmlns="http://www.w3.org/ns/ttml"><body><div begin="10s" end="30s"><p begin="11s" end="12s">Cast off.</p>'
                '<p begin="13s" end="14s">Aye.</p></div></body></tt>')
        draft = call("owner", "post", "/api/imports/", {"text": text}).json()
        starts = [line["start"] for line in draft["lines"]]
        other = call("owner", "patch", f"/api/imports/{draft['draft']}/", {"from_start": not draft["from_start"]}).json()
        assert sorted((starts, [line["start"] for line in other["lines"]])) == [[11.0, 13.0], [21.0, 23.0]]
        plain = call("owner", "post", "/api/imports/", {"text": "Pilot: Cast off."}).json()
        assert plain["from_start"] is None

    def test_rows_are_corrected_and_made_so(self, production: Production, call: Call) -> None:
        draft = call("owner", "post", "/api/imports/", {"text": "Pilot: Cast off. Now.\nCook: Aye.\nPilot: A slip."}).json()
        rows = {"0": {"split": 9}, "0.1": {"speaker": "Mate"}, "2": {"drop": True}}
        told = call("owner", "patch", f"/api/imports/{draft['draft']}/", {"rows": rows}).json()
        assert [(one["key"], one["speaker"], one["words"]) for one in told["lines"]] == [
            ("0", "Pilot", "Cast off."), ("0.1", "Mate", "Now."), ("1", "Cook", "Aye.")]
        made = call("owner", "post", f"/api/imports/{draft['draft']}/production/", {"name": "Corrected"}).json()
        assert [one["name"] for one in made["speakers"]] == ["Pilot", "Mate", "Cook"]
        for bad in ({"0": {"split": "x"}}, {"0": {"split": 0}}, [1]):
            assert call("owner", "patch", f"/api/imports/{draft['draft']}/", {"rows": bad}).status_code in (400, 404)

    def test_everything_left_out_is_said(self, production: Production, call: Call) -> None:
        draft = call("owner", "post", "/api/imports/", {"text": "Pilot: Cast off."}).json()["draft"]
        answer = call("owner", "patch", f"/api/imports/{draft}/", {"rows": {"0": {"drop": True}}})
        assert (answer.status_code, "left out" in answer.json()["message"]) == (400, True)


def test_the_demo_is_voiced_so_that_play_plays(db: None) -> None:
    from django.contrib.auth.models import User

    from janoglot.demo.demo import load_demo, voice_demo
    from janoglot.productions.models import Job

    for made in load_demo():
        voice_demo(made)
    assert User.objects.get(username="demo")
    asked = sorted(Job.objects.filter(kind="take").values_list("edition__production__name", "edition__language"))
    assert asked == [("Harbour Museum phone prompts", "en-GB"), ("The Tidewater Clock", "en-GB"), ("The Tidewater Clock", "es-MX")]


class TestUnheld:
    def test_it_is_said_before_anything_is_made(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/"
        assert call("owner", "get", f"{path}unheld/?file=script.json").json() == []
        said = call("owner", "get", f"{path}unheld/?file=script.txt").json()
        assert "unheld_decisions" in [one["code"] for one in said]
        assert all(one["message"] for one in said)
        assert call("owner", "get", f"{path}files/").json() == []

    def test_strangers_and_formats_that_are_none(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/unheld/"
        assert call("stranger", "get", f"{path}?file=script.txt").status_code == 404
        assert call("owner", "get", f"{path}?file=script.exe").status_code == 400
