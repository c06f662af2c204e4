"""Bringing scripts in, changing them, and undoing it, through the interface for programs."""

from __future__ import annotations

from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.productions.models import ActionRecord, Line, Production, Speaker, Wording
from janoglot.script.models import ImportDraft
from tests.server.conftest import SCRIPT, Call, content, edition_path, handed, lines


def bring_in(call: Call, data: bytes, name: str) -> Any:
    return call("stranger", "post", "/api/imports/", {"file": SimpleUploadedFile(name, data)}, format="multipart")


class TestBringingIn:
    def test_a_preview_creates_nothing_and_shows_everything(self, production: Production, call: Call) -> None:
        before = Production.objects.count()
        answer = bring_in(call, SCRIPT.encode("utf-16"), "ferry.csv")
        assert answer.status_code == 201
        seen = answer.json()
        assert (seen["line_count"], seen["timed"], seen["source_language"]) == (3, 3, "en-GB")
        assert seen["languages"] == ["es-MX", "fr-FR"]
        assert seen["encoding"] == "UTF-16"
        assert [c["meaning"] for c in seen["columns"]] == ["part", "speaker", "start", "end", "en-GB", "es-MX", "fr-FR"]
        assert Production.objects.count() == before

    def test_what_was_understood_is_corrected_then_created(self, production: Production, call: Call) -> None:
        seen = bring_in(call, b"who,what,German\nPilot,Hello,Hallo\n", "a.csv").json()
        assert [c["meaning"] for c in seen["columns"]] == ["speaker", "", "de"]
        seen = call("stranger", "patch", f"/api/imports/{seen['draft']}/",
                    {"columns": {"0": "speaker", "1": "words", "2": "de-AT"}, "source_language": "en-IE"}).json()
        made = call("stranger", "post", f"/api/imports/{seen['draft']}/production/", {"name": "Ferry"})
        assert made.status_code == 201
        assert [e["language"] for e in made.json()["editions"]] == ["en-IE", "de-AT"]
        assert not ImportDraft.objects.exists()

    def test_names_that_differ_in_case_or_accents_are_two_until_somebody_says_so(self, production: Production, call: Call) -> None:
        draft = bring_in(call, "Pilot: a\nPILOT: b\nJosé: c\nJose: d".encode(), "a.txt").json()["draft"]
        made = call("stranger", "post", f"/api/imports/{draft}/production/", {"name": "Four"})
        assert made.status_code == 201
        assert [s["name"] for s in made.json()["speakers"]] == ["Pilot", "PILOT", "José", "Jose"]

    @pytest.mark.parametrize(("data", "name", "says"), [
        (b"", "a.csv", "empty"), (b"\x00\x01\x02\x03" * 40, "a.srt", "not a text file"),
        (b"x" * (5 * 1024**2 + 1), "a.txt", "5 MB at most"), (b"1\n00:00 --> soon\nhi\n", "a.srt", "No lines"),
        (b'speaker,words\nA,"open', "a.csv", ""), (b"part,scene\n1,2", "a.csv", "No column holds the words"),
    ])
    def test_bad_files_are_one_sentence_and_never_a_500(self, data: bytes, name: str, says: str,
                                                        production: Production, call: Call) -> None:
        answer = bring_in(call, data, name)
        assert answer.status_code in (201, 400)
        if says:
            assert answer.status_code == 400
            assert says in answer.json()["message"]
            assert not ImportDraft.objects.exists()

    @pytest.mark.parametrize("body", [{}, {"text": 7}, {"text": ""}, {"text": "A: b", "format": "docx"}, [1]])
    def test_bad_calls_are_refused(self, body: Any, production: Production, call: Call) -> None:
        answer = call("stranger", "post", "/api/imports/", body)
        assert answer.status_code == 400
        assert answer.json()["message"]

    def test_nothing_is_half_created(self, production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
        draft = call("stranger", "post", "/api/imports/", {"text": "A: b\nC: d"}).json()["draft"]

        def fail(*_: Any, **__: Any) -> None:
            raise ConnectionError("the database went away")

        monkeypatch.setattr(Wording.objects, "bulk_create", fail)
        before = (Production.objects.count(), Line.objects.count(), Speaker.objects.count())
        answer = call("stranger", "post", f"/api/imports/{draft}/production/", {"name": "Half"})
        assert answer.status_code == 503
        assert (Production.objects.count(), Line.objects.count(), Speaker.objects.count()) == before
        assert ImportDraft.objects.filter(pk=draft).exists()

    def test_the_script_as_csv_comes_in_again_unchanged(self, production: Production, call: Call) -> None:
        call("owner", "put", f"{edition_path(production)}wordings/{production.lines.first().pk}/",  # type: ignore[attr-defined]
             {"text": "=Todo; \"sí\", dijo", "revision": 1})
        first = handed(call, f"/api/productions/{production.pk}/", "script.csv")
        assert "attachment" in first["Content-Disposition"]
        written = content(first)
        draft = bring_in(call, written, "again.csv").json()
        assert not draft["problems"]
        made = call("stranger", "post", f"/api/imports/{draft['draft']}/production/", {"name": "Again"}).json()
        assert content(handed(call, f"/api/productions/{made['id']}/", "script.csv", "stranger")) == written


class TestCaptions:
    SRT = "1\n00:00:01,100 --> 00:00:02,900\nLa marea gira.\n\n2\n00:00:06,000 --> 00:00:08,000\nTodo espera.\n\n" \
          "3\n00:05:00,000 --> 00:05:02,000\nPerdido.\n"

    def test_they_are_shown_before_they_are_written(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production)}captions/"
        shown = call("editor", "post", path, {"text": self.SRT}).json()
        assert (shown["applied"], shown["matched"]) == (False, 2)
        assert lines(call, production)[0]["words"] == "La marea está cambiando."
        assert {p["code"] for p in shown["problems"]} == {"lines_without_caption"}
        assert shown["left"] == ["Perdido."]
        assert call("editor", "post", path, {"text": self.SRT, "apply": True}).json()["applied"]
        assert [x["words"] for x in lines(call, production)] == [
            "La marea gira.", "Entonces la sopa debe esperar.", "Todo espera."]
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert lines(call, production)[0]["words"] == "La marea está cambiando."

    def test_the_source_takes_none(self, production: Production, call: Call) -> None:
        answer = call("editor", "post", f"{edition_path(production, 'en-GB')}captions/", {"text": self.SRT})
        assert answer.status_code == 400


class TestChanges:
    def test_the_second_of_two_people_is_told_and_nothing_is_lost(self, production: Production, call: Call) -> None:
        line = lines(call, production)[0]
        path = f"{edition_path(production)}wordings/{line['id']}/"
        first = call("owner", "put", path, {"text": "Primera.", "revision": line["revision"]})
        second = call("editor", "put", path, {"text": "Segunda.", "revision": line["revision"]})
        assert first.status_code == 200
        assert second.status_code == 409
        assert second.json()["current"] == {"text": "Primera.", "revision": 2}
        assert lines(call, production)[0]["words"] == "Primera."
        assert call("editor", "put", path, {"text": "Segunda.", "revision": 2}).status_code == 200

    def test_too_many_words_are_refused(self, production: Production, call: Call) -> None:
        line = lines(call, production)[0]
        answer = call("owner", "put", f"{edition_path(production)}wordings/{line['id']}/",
                      {"text": "a" * 4001, "revision": 1})
        assert answer.status_code == 400
        assert "4000" in answer.json()["message"]

    def test_speakers_are_renamed_and_merged_and_it_is_undone(self, production: Production, call: Call) -> None:
        pilot, cook = Speaker.objects.filter(production=production)
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        assert call("owner", "patch", f"/api/speakers/{pilot.pk}/", {"name": " Cook "}).status_code == 400
        assert call("owner", "patch", f"/api/speakers/{pilot.pk}/", {"name": "The  Pilot"}).status_code == 204
        assert call("owner", "post", f"/api/speakers/{cook.pk}/merge/", {"into": pilot.pk}).status_code == 204
        assert {x["speaker"] for x in lines(call, production)} == {pilot.pk}
        assert not Speaker.objects.filter(pk=cook.pk).exists()
        undo = f"/api/productions/{production.pk}/undo/"
        assert call("owner", "post", undo, {}).json()["done"]["name"] == "merge_speakers"
        assert [x["speaker"] for x in lines(call, production)] == [pilot.pk, cook.pk, pilot.pk]
        assert len(call("owner", "get", f"{path}castings/").json()) == 2
        assert call("owner", "post", undo, {}).json()["done"]["name"] == "rename_speaker"
        assert Speaker.objects.get(pk=pilot.pk).name == "Pilot"

    def test_merging_across_productions_is_refused(self, production: Production, call: Call) -> None:
        draft = call("owner", "post", "/api/imports/", {"text": "A: b"}).json()["draft"]
        other = call("owner", "post", f"/api/imports/{draft}/production/", {"name": "Other"}).json()
        mine = Speaker.objects.filter(production=production).first()
        answer = call("owner", "post", f"/api/speakers/{mine.pk}/merge/", {"into": other["speakers"][0]["id"]})
        assert answer.status_code == 400

    def test_undo_refuses_to_lose_later_work_then_ends(self, production: Production, call: Call) -> None:
        line = lines(call, production)[0]
        path = f"{edition_path(production)}wordings/{line['id']}/"
        call("owner", "put", path, {"text": "Uno.", "revision": 1})
        Wording.objects.filter(line=line["id"], edition__language="es-MX").update(text="Otra mano.")
        undo = f"/api/productions/{production.pk}/undo/"
        assert call("owner", "post", undo, {}).status_code == 409
        Wording.objects.filter(line=line["id"], edition__language="es-MX").update(text="Uno.")
        assert call("owner", "post", undo, {}).status_code == 200
        assert call("owner", "post", undo, {}).status_code == 409

    def test_every_change_is_recorded_with_who_did_it(self, production: Production, call: Call) -> None:
        call("editor", "post", f"/api/productions/{production.pk}/editions/", {"language": "German (Austria)"})
        call("editor", "patch", f"/api/productions/{production.pk}/", {"target_lufs": -23})
        history = call("reader", "get", f"/api/productions/{production.pk}/history/").json()
        assert [(r["name"], r["user"]) for r in history] == [
            ("set_production", "editor"), ("add_edition", "editor"), ("create_production", "owner")]
        assert ActionRecord.objects.count() == 3
        assert call("editor", "patch", f"/api/productions/{production.pk}/", {"target_lufs": -23}).status_code == 200
        assert ActionRecord.objects.count() == 3

    @pytest.mark.parametrize(("path", "body"), [
        ("editions/", {"language": "es-MX"}), ("editions/", {"language": "Harbourish"}), ("editions/", {}),
        ("", {"target_lufs": -3}), ("", {"name": "  "}),
    ])
    def test_settings_that_make_no_sense_are_refused(self, path: str, body: Any, production: Production, call: Call) -> None:
        method = "post" if path == "editions/" else "patch"
        answer = call("owner", method, f"/api/productions/{production.pk}/{path}", body)
        assert answer.status_code == 400
        assert answer.json()["message"]

    def test_lines_get_other_speakers_and_slots(self, production: Production, call: Call) -> None:
        line = lines(call, production)[0]
        cook = Speaker.objects.get(production=production, name="Cook")
        assert call("editor", "patch", f"/api/lines/{line['id']}/", {"speaker": cook.pk, "end": 3.25}).status_code == 204
        after = lines(call, production)[0]
        assert (after["speaker"], after["slot"]) == (cook.pk, [1.0, 3.25])
        assert call("editor", "patch", f"/api/lines/{line['id']}/", {"end": 0.5}).status_code == 400
        assert call("editor", "patch", f"/api/lines/{line['id']}/", {"speaker": 999_999}).status_code == 400
